import { useMutation, useQuery } from "@tanstack/react-query";
import { useMemo, useState } from "react";
import { Link } from "react-router";
import { api, ask, queries, workKey } from "../api/client";
import { key } from "../api/keys";
import { Elevation, type Look, useElevation } from "../elevation/Elevation";
import { Choice, Stage, useCount, usePerson } from "../frame/Frame";
import { age, count, Empty, Failed, many, Off, plain, Warn, when } from "../frame/figures";
import { useCountBins } from "../sheets/Sheets";

type Mode = "difference" | "balance" | "in-out" | "counted";
const about: Record<Mode, string> = {
	difference: "how much to add or take away; it holds whenever it is taken in",
	balance: "what the record should then say; worked out from the recorded stock and the movements since",
	"in-out": "the difference in two columns, both at least 0",
	counted: "what was counted, when and by whom, for record systems that work out the difference themselves",
};
const plural: Record<Mode, [string, string]> = {
	difference: ["difference", "differences"],
	balance: ["balance", "balances"],
	"in-out": ["line", "lines"],
	counted: ["count", "counts"],
};

/** Stock that was taken in since the freeze and says something else than the movements do: what that means for what goes out. */
function NewerStock({ id }: { id: number }) {
	const q = useQuery({
		queryKey: key.newer(id),
		queryFn: () => ask(api.GET("/api/counts/{count}/newer", { params: { path: { count: id } } })),
	});
	const n = q.data;
	if (!n?.at || n.lines === 0) return null;
	return (
		<details className="border-b border-rule px-4 py-1.5" data-newer>
			<summary className="cursor-pointer">
				<b className="text-warn">!</b> By the stock of {when(n.at)}, {many(n.lines, "line has", "lines have")} changed though no movement
				says so.
				<span className="text-dim"> Differences stay right. A balance would undo it.</span>
			</summary>
			<ul className="mt-1 max-h-40 overflow-y-auto text-[12.5px]">
				{n.first.map((x) => (
					<li key={x.pos} className="flex justify-between gap-3">
						<span className="code truncate">{x.line}</span>
						<span className="shrink-0">
							{plain(x.recorded)} at the freeze{x.moved !== "0" && <>, {plain(x.moved, true)} moved</>}, {plain(x.now)} now:{" "}
							<Off of={x.change} />
						</span>
					</li>
				))}
				{n.lines > n.first.length && <li className="text-dim">and {count(n.lines - n.first.length)} more</li>}
			</ul>
		</details>
	);
}

/** What goes out: the accepted lines as the very text of the file; and the postings that went, never changed. */
export function Adjustments() {
	const person = usePerson();
	const { id, data: c } = useCount();
	const [mode, setMode] = useState<Mode>("difference");
	const [once, setOnce] = useState(workKey);
	const [chosen, setChosen] = useState<Set<number>>(new Set());
	const tiles = useElevation(c?.warehouse_id);
	const bins = useCountBins(id);
	const byBin = useMemo(() => new Map(bins.data?.map((b) => [b.bin, b])), [bins.data]);
	const preview = useQuery({
		queryKey: [...key.postings(id), "preview", mode],
		queryFn: () => ask(api.GET("/api/counts/{count}/postings/preview", { params: { path: { count: id }, query: { mode } } })),
		placeholderData: (before) => before,
	});
	const postings = useQuery({
		queryKey: key.postings(id),
		queryFn: () => ask(api.GET("/api/counts/{count}/postings", { params: { path: { count: id } } })),
	});
	const post = useMutation({
		mutationFn: () =>
			ask(
				api.POST("/api/counts/{count}/postings", {
					params: { path: { count: id } },
					body: { key: once, mode, lines: preview.data?.lines ?? 0, sha: preview.data?.sha },
				}),
			),
		onSuccess: () => {
			setOnce(workKey());
			queries.invalidateQueries({ queryKey: key.count(id) });
		},
		onError: () => queries.invalidateQueries({ queryKey: key.count(id) }), // the file as it is now
	});
	if (postings.error) return <Failed what="The postings" error={postings.error} />;
	if (!c) return null;
	const p = preview.data;
	const look = (t: { id: number }): Look => {
		const b = byBin.get(t.id);
		if (!b) return { fill: "none", words: "not in this count" };
		if (b.accepted > 0) return { fill: "ink", mark: "up", words: `${many(b.accepted, "line", "lines")} to send out` };
		if (b.posted > 0) return { fill: "ink", mark: "dot", words: `${many(b.posted, "line", "lines")} sent` };
		return { fill: b.open > 0 ? "wash" : "none", words: b.open > 0 ? `${b.open} not decided` : "nothing to adjust" };
	};
	return (
		<Stage
			side={
				<div className="flex min-h-0 flex-1 flex-col">
					<div className="flex min-h-0 flex-[3] flex-col px-3 pt-2">
						{tiles.data && (
							<Elevation
								tiles={tiles.data}
								look={look}
								chosen={chosen}
								onChoose={setChosen}
								legend={[
									["ink", "up", "to send out"],
									["ink", "dot", "sent"],
									["wash", undefined, "not decided"],
								]}
							/>
						)}
					</div>
					<section className="min-h-0 flex-[2] overflow-y-auto border-t border-rule px-4 py-2" aria-label="Postings">
						<h2>Postings</h2>
						{postings.data?.length === 0 && <p className="text-dim">Nothing went out yet.</p>}
						{postings.data?.map((x) => (
							<div key={x.id} className="border-b border-hair py-1.5" data-posting={x.number}>
								<div className="flex justify-between">
									<a className="word" href={`/api/counts/${id}/postings/${x.number}/file`}>
										{x.file}
									</a>
									<span className="code">{x.lines} lines</span>
								</div>
								<div className="flex justify-between text-[12px] text-dim">
									<span>
										{x.mode}, {when(x.at)}, {x.person}
									</span>
									<span>
										<Off of={x.short} /> <Off of={x.over} />
									</span>
								</div>
								<div className="code truncate text-[10.5px]! text-dim" title={`SHA-256 ${x.sha}`}>
									{x.sha}
								</div>
							</div>
						))}
					</section>
				</div>
			}
			foot={
				<>
					{p && (
						<span>
							<b>{count(p.lines - p.alike)}</b> accepted lines
							{p.alike > 0 && <span className="text-dim"> and {count(p.alike)} that match or are let pass</span>}, worth{" "}
							<Off of={p.sums.short} /> <Off of={p.sums.over} />, net <b className="code">{plain(p.sums.net, true)}</b>
							{p.open > 0 && <span className="text-dim"> · {count(p.open)} undecided stay behind</span>}
							{p.no_reason > 0 && <span className="text-warn"> · ! {count(p.no_reason)} without a reason</span>}
						</span>
					)}
					{post.error && <Warn>{post.error.message}</Warn>}
					{person.role === "controller" && c.state === "running" && (
						<button
							type="button"
							className="act ml-auto"
							disabled={!p || p.lines === 0 || p.blocked !== "" || post.isPending || preview.isPlaceholderData}
							onClick={() => post.mutate()}
						>
							Send out {many(p?.lines ?? 0, ...plural[mode])}
						</button>
					)}
				</>
			}
			keys={[
				["E", "elevation"],
				["?", "all keys"],
			]}
		>
			<div className="flex items-baseline gap-4 border-b border-hair px-4 py-1.5">
				<Choice
					label="What the file says"
					value={mode}
					of={[
						["difference", "differences"],
						["balance", "balances"],
						["in-out", "in and out"],
						["counted", "what was counted"],
					]}
					onChange={setMode}
				/>
				<span className="truncate text-dim">{about[mode]}</span>
			</div>
			<NewerStock id={id} />
			{preview.error && <Warn>{preview.error.message}</Warn>}
			{p?.blocked && <Warn>{p.blocked}</Warn>}
			{p && mode === "balance" && !p.blocked && p.lines > 0 && (
				<Warn>
					These balances are worked out from stock recorded {when(p.age, "long")}, which is {age(p.age)}. What happened since and is not
					among the movements would be overwritten.
				</Warn>
			)}
			{p && p.lines === 0 && !p.blocked ? (
				<Empty title="No accepted line is waiting">
					{c.open > 0 ? (
						<>
							Decide the{" "}
							<Link className="word" to={`/counts/${id}/variances`}>
								{many(c.open, "open variance", "open variances")}
							</Link>{" "}
							first.
						</>
					) : (
						"Everything that was accepted went out; the postings are at the right."
					)}
				</Empty>
			) : (
				<FileText text={p?.text ?? ""} cut={p?.cut ?? 0} bins={p?.bins ?? []} chosen={chosen} />
			)}
		</Stage>
	);
}

/** The file's text exactly as it will be written, with its line numbers. */
function FileText({ text, cut, bins, chosen }: { text: string; cut: number; bins: number[]; chosen: ReadonlySet<number> }) {
	const rows = text.split("\n").slice(0, -1);
	return (
		<div
			className="min-h-0 flex-1 overflow-auto bg-sheet py-1"
			tabIndex={0}
			role="region"
			aria-label="The file as it will be written"
			data-file
		>
			{rows.map((r, i) => (
				<div key={i} className={`flex ${chosen.size > 0 && i > 0 && !chosen.has(bins[i - 1] ?? 0) ? "opacity-35" : ""}`}>
					<span className="code w-12 shrink-0 border-r border-hair pr-2 text-right text-dim select-none">{i + 1}</span>
					<span className={`code pl-3 ${i === 0 ? "font-bold" : ""}`}>{r}</span>
				</div>
			))}
			{cut > 0 && <p className="px-4 py-2 text-dim">and {count(cut)} more lines, which are in the file</p>}
		</div>
	);
}

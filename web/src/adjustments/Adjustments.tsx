import { useMutation, useQuery } from "@tanstack/react-query";
import { useDeferredValue, useMemo, useState } from "react";
import { Link } from "react-router";
import { api, ask, queries, type Schemas, workKey } from "../api/client";
import { key } from "../api/keys";
import { Elevation, type Look, useElevation } from "../elevation/Elevation";
import { Stage, useCount, usePerson } from "../frame/Frame";
import { age, count, Empty, Failed, many, Off, plain, Warn, when } from "../frame/figures";
import { useKept } from "../lines/kept";
import { useCountBins } from "../sheets/Sheets";
import { SentElsewhere } from "../variances/Elsewhere";
import { AgreementOf, Approval } from "./Approval";
import { type Ask, type Layout, LayoutEditor } from "./LayoutEditor";
import { Postings } from "./Postings";

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

const lines: [string, string] = ["line", "lines"];

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
	const [form, setForm] = useKept("out.form", "difference"); // one of our own, or the name of a layout
	const [reasons, setReasons] = useState<string[]>([]);
	const [day, setDay] = useState("");
	const [reference, setReference] = useState("");
	const [word, setWord] = useState("");
	const [draft, setDraft] = useState<Layout | null>(null);
	const [asks, setAsks] = useState<Ask[]>([]);
	const [marks, setMarks] = useState(false);
	const lists = useQuery({ queryKey: key.outLayouts, queryFn: () => ask(api.GET("/api/out-layouts")) });
	const [once, setOnce] = useState(workKey);
	const [chosen, setChosen] = useState<Set<number>>(new Set());
	const tiles = useElevation(c?.warehouse_id);
	const bins = useCountBins(id);
	const byBin = useMemo(() => new Map(bins.data?.map((b) => [b.bin, b])), [bins.data]);
	const named = lists.data && [...lists.data.kept, ...lists.data.ready].find((l) => l.name === form);
	const mode: Mode = form in about ? (form as Mode) : "difference";
	const deferred = useDeferredValue(draft);
	const going: Schemas["Going"] = {
		...(deferred ? { try: deferred } : named ? { layout: form } : { mode }),
		reasons: reasons.length > 0 ? reasons : undefined,
		day: day || undefined,
		reference: reference.trim() || undefined,
	};
	const preview = useQuery({
		queryKey: [...key.postings(id), "preview", JSON.stringify(going)],
		queryFn: () => ask(api.POST("/api/counts/{count}/postings/preview", { params: { path: { count: id } }, body: going })),
		placeholderData: (before) => before,
	});
	const post = useMutation({
		mutationFn: () =>
			ask(
				api.POST("/api/counts/{count}/postings", {
					params: { path: { count: id } },
					body: { ...going, key: once, lines: preview.data?.lines ?? 0, sha: preview.data?.sha, word: word.trim() || undefined },
				}),
			),
		onSuccess: () => {
			setOnce(workKey());
			setWord("");
			setReference("");
			queries.invalidateQueries({ queryKey: key.count(id) });
		},
		onError: () => queries.invalidateQueries({ queryKey: key.count(id) }), // the file as it is now
	});
	if (lists.error && !lists.data) return <Failed what="The layouts" error={lists.error} />;
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
					<div className="flex min-h-0 flex-[2] flex-col px-3 pt-2">
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
					<Postings id={id} may={person.role === "controller"} running={c.state === "running"} />
					<AgreementOf may={person.owner} />
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
						<span className="ml-auto flex flex-wrap items-center gap-x-3 gap-y-1">
							{p?.agree && p.no_worth > 0 && (
								<span className="text-warn" data-no-worth>
									! {many(p.no_worth, "line has", "lines have")} no known worth, so somebody else has to agree
								</span>
							)}
							{p?.agree && (
								<input
									className="w-60"
									placeholder="a word to who agrees"
									value={word}
									maxLength={500}
									onChange={(e) => setWord(e.target.value)}
									aria-label="A word to who agrees"
								/>
							)}
							<button
								type="button"
								className="act"
								disabled={!p || p.lines === 0 || p.blocked !== "" || post.isPending || preview.isPlaceholderData || draft !== null}
								onClick={() => post.mutate()}
								title={draft ? "Keep the layout first" : undefined}
							>
								{p?.agree ? "Ask to agree to" : "Send out"} {many(p?.lines ?? 0, ...(named ? lines : plural[mode]))}
							</button>
						</span>
					)}
				</>
			}
			keys={[
				["E", "elevation"],
				["?", "all keys"],
			]}
		>
			<Approval
				id={id}
				onShow={(g) => {
					setForm(g.layout || g.mode || "difference");
					setReasons(g.reasons ?? []);
					setDay(g.day ?? "");
					setReference(g.reference ?? "");
				}}
			/>
			<div className="flex flex-wrap items-baseline gap-x-4 gap-y-1 border-b border-hair px-4 py-1.5">
				<label className="flex items-baseline gap-1.5">
					<span className="text-dim">written as</span>
					<select
						value={named || form in about ? form : "difference"}
						disabled={draft !== null}
						onChange={(e) => setForm(e.target.value)}
						aria-label="What the file says"
					>
						{(Object.keys(about) as Mode[]).map((m) => (
							<option key={m} value={m} title={about[m]}>
								{modeWord[m]}
							</option>
						))}
						{lists.data && lists.data.kept.length > 0 && (
							<optgroup label="Our record system's">
								{lists.data.kept.map((l) => (
									<option key={l.name}>{l.name}</option>
								))}
							</optgroup>
						)}
						<optgroup label="Ready-made">
							{lists.data?.ready.map((l) => (
								<option key={l.name}>{l.name}</option>
							))}
						</optgroup>
					</select>
				</label>
				{person.role === "controller" && draft === null && (
					<>
						<button
							type="button"
							className="word"
							onClick={() => {
								setDraft({ name: "", columns: [] });
								setAsks([]);
							}}
							data-new-layout
						>
							a layout of the record system…
						</button>
						{named && (
							<>
								<button
									type="button"
									className="word text-dim"
									onClick={() => {
										const own = lists.data?.kept.includes(named);
										setDraft({ ...named, name: own ? named.name : `Copy of ${named.name}` });
										setAsks([]);
									}}
								>
									{lists.data?.kept.includes(named) ? "change" : "copy"}
								</button>
								<a className="word text-dim" href={`/api/out-layouts/${encodeURIComponent(form)}/file`}>
									as JSON
								</a>
							</>
						)}
					</>
				)}
				{p && p.reasons.length > 1 && (
					<label className="flex items-baseline gap-1.5">
						<span className="text-dim">of</span>
						<select
							value={reasons[0] ?? "*"}
							onChange={(e) => setReasons(e.target.value === "*" ? [] : [e.target.value])}
							aria-label="Which reasons go out"
							className="max-w-56"
						>
							<option value="*">all reasons</option>
							{p.reasons.map((r) => (
								<option key={r.reason} value={r.reason}>
									{r.name || "no reason"}, {many(r.lines, "line", "lines")}, {plain(r.sums.gross)}
								</option>
							))}
						</select>
					</label>
				)}
				<label className="flex items-baseline gap-1.5">
					<span className="text-dim">on</span>
					<input
						className="code w-24"
						placeholder={p?.day ?? ""}
						value={day}
						onChange={(e) => setDay(e.target.value)}
						aria-label="Posting date"
					/>
				</label>
				<label className="flex items-baseline gap-1.5">
					<span className="text-dim">reference</span>
					<input
						className="code w-28"
						value={reference}
						placeholder={p?.reference ?? ""}
						maxLength={60}
						onChange={(e) => setReference(e.target.value)}
						aria-label="Reference"
					/>
				</label>
				<label className="ml-auto flex items-baseline gap-1.5 text-dim">
					<input type="checkbox" checked={marks} onChange={(e) => setMarks(e.target.checked)} />¶ signs
				</label>
			</div>
			{draft && lists.data && (
				<LayoutEditor
					layout={draft}
					asks={asks}
					lists={lists.data}
					onChange={setDraft}
					onAsks={setAsks}
					onKept={(name) => {
						setForm(name);
						setDraft(null);
					}}
					onClose={() => setDraft(null)}
				/>
			)}
			<SentElsewhere id={id} may={person.role === "controller" && c.state === "running"} />
			<NewerStock id={id} />
			{preview.error && <Warn>{preview.error.message}</Warn>}
			{p?.blocked && !(draft && draft.columns.length === 0) && <Warn>{p.blocked}</Warn>}
			{p?.harms.map((h) => (
				<p key={h.column + h.what} className="border-b border-hair px-4 py-1 text-[13px]" data-harm={h.what}>
					<b className="text-warn">!</b> A spreadsheet program that opens this file would damage {many(h.rows, "code", "codes")} in{" "}
					<b>{h.column}</b> ({h.what}), such as <span className="code">{h.example}</span>. Let the record system take the file as it is, or
					write a workbook with text cells.
				</p>
			))}
			{draft && p && p.problems.length > 0 && (
				<ul className="max-h-28 overflow-y-auto border-b border-hair px-4 py-1 text-[12.5px]" data-layout-problems>
					{p.problems.map((x, i) => (
						<li key={i}>
							<span className="code">{x.line}</span> <b>{x.column}</b>: {x.text}
						</li>
					))}
				</ul>
			)}
			{p && !draft && !named && mode === "balance" && !p.blocked && p.lines > 0 && (
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
				<FileText text={p?.text ?? ""} cut={p?.cut ?? 0} bins={p?.bins ?? []} chosen={chosen} marks={marks} files={p?.files ?? []} />
			)}
		</Stage>
	);
}

const modeWord: Record<Mode, string> = {
	difference: "differences",
	balance: "balances",
	"in-out": "in and out",
	counted: "what was counted",
};

/** A line with its invisible signs made visible. */
function visible(line: string, last: boolean): string {
	const text = line
		.replace(/\uFEFF/g, "⟨mark⟩")
		.replace(/\t/g, "→\t")
		.replace(/ /g, "·")
		.replace(/\r/g, "␍");
	return last ? text : `${text}␊`;
}

/** The files' text exactly as it will be written, with its line numbers. */
function FileText({
	text,
	cut,
	bins,
	chosen,
	marks,
	files,
}: {
	text: string;
	cut: number;
	bins: number[];
	chosen: ReadonlySet<number>;
	marks: boolean;
	files: Schemas["PostingPart"][];
}) {
	const open = text !== "" && !text.endsWith("\n");
	const rows = open ? text.split("\n") : text.split("\n").slice(0, -1);
	return (
		<div
			className="min-h-0 flex-1 overflow-auto bg-sheet py-1"
			tabIndex={0}
			role="region"
			aria-label="The file as it will be written"
			data-file
		>
			{files.length > 0 && files.some((f) => f.name) && (
				<p className="px-4 pb-1 text-[12.5px] text-dim">
					{many(files.length, "file", "files")}:{" "}
					{files.slice(0, 8).map((f) => (
						<span key={f.name} className="code mr-3">
							{f.name} ({count(f.lines)})
						</span>
					))}
					{files.length > 8 && `and ${count(files.length - 8)} more`}
				</p>
			)}
			{rows.map((r, i) => (
				<div key={i} className={`flex ${chosen.size > 0 && bins.length > 0 && i > 0 && !chosen.has(bins[i - 1] ?? 0) ? "opacity-35" : ""}`}>
					<span className="code w-12 shrink-0 border-r border-hair pr-2 text-right text-dim select-none">{i + 1}</span>
					<span className={`code pl-3 whitespace-pre ${i === 0 ? "font-bold" : ""}`}>
						{marks ? visible(r, open && i === rows.length - 1) : r}
					</span>
				</div>
			))}
			{cut > 0 && <p className="px-4 py-2 text-dim">and {count(cut)} more lines, which are in the file</p>}
		</div>
	);
}

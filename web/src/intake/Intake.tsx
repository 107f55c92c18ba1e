import { useMutation, useQuery } from "@tanstack/react-query";
import { useEffect, useState } from "react";
import { Link, useSearchParams } from "react-router";
import { api, ask, Problem, queries, type Schemas, workKey } from "../api/client";
import { useProgress } from "../api/events";
import { key } from "../api/keys";
import { Stage } from "../frame/Frame";
import { count, Empty, many, Warn, when } from "../frame/figures";
import { typing } from "../frame/typing";
import { DropField } from "./DropField";
import { changeDrop, type Drop, forgetDrop, takeUp, useDrops } from "./drops";
import { FileView } from "./FileView";
import { Form } from "./Form";
import { kindWord, type Settle, useSettle } from "./settling";
import { What } from "./What";
import { useWaiting } from "./waiting";

/** Dropped files: what each was taken for, what would happen, what is wrong. Nothing is stored before the last button. */
export function Intake() {
	const drops = useDrops();
	const [at, setAt] = useState(0);
	const drop = drops.find((d) => d.id === at) ?? drops[0];
	const [search] = useSearchParams();
	const waiting = useWaiting();
	const wanted = search.get("draft");
	const asked = waiting.data?.find((w) => w.id === wanted);
	useEffect(() => {
		if (asked) setAt(takeUp(asked));
	}, [asked]);
	const open = new Set(drops.flatMap((d) => [d.draft?.id, d.waits]));
	const left = waiting.data?.filter((w) => !open.has(w.id)) ?? [];
	if (!drop) {
		return (
			<Empty title="Take files in">
				<p>
					Places, items, recorded stock, movements, or sheets that came back: as delimited text or as workbooks. You see what a file was
					taken for, and what it would change, before anything is stored.
				</p>
				<div className="mt-6">
					<DropField />
				</div>
				<p className="mt-4">
					<Link className="word" to="/layouts">
						Saved layouts
					</Link>
				</p>
				<Waits list={left} onTake={(w) => setAt(takeUp(w))} />
				<Lately />
				<p className="mt-4" data-templates>
					Empty files to fill in:{" "}
					{["places", "items", "stock", "movements", "counts"].map((k) => (
						<a key={k} className="word mr-3" href={`/api/templates/${k}`} download>
							{k}
						</a>
					))}
				</p>
			</Empty>
		);
	}
	return (
		<>
			{(drops.length > 1 || left.length > 0) && (
				<DropList drops={drops} at={drop.id} onAt={setAt} left={left} onTake={(w) => setAt(takeUp(w))} />
			)}
			<OneDrop key={drop.id} drop={drop} />
		</>
	);
}

/** Files that wait to be taken in since before the page was opened, with what they come to. */
function Waits({ list, onTake }: { list: Schemas["Waiting"][]; onTake: (w: Schemas["Waiting"]) => void }) {
	if (list.length === 0) return null;
	return (
		<div className="mt-6 text-left" data-waiting>
			<h2 className="border-b border-rule pb-1">Dropped, and not taken in yet</h2>
			{list.slice(0, 20).map((w) => (
				<div key={w.id} className="flex items-baseline gap-3 border-b border-hair py-0.5">
					<button type="button" className="word shrink-0 font-semibold" onClick={() => onTake(w)}>
						{w.name}
					</button>
					<span className="truncate text-dim">{w.word}</span>
					<span className="code ml-auto shrink-0 text-dim">{when(w.at)}</span>
				</div>
			))}
			{list.length > 20 && <p className="text-dim">and {many(list.length - 20, "file", "files")} more</p>}
		</div>
	);
}

/** What was taken in last, by whom, and what it came to. */
function Lately() {
	const q = useQuery({ queryKey: key.intakes, queryFn: () => ask(api.GET("/api/intakes")) });
	const list = q.data?.slice(0, 5) ?? [];
	if (list.length === 0) return null;
	return (
		<div className="mt-6 text-left" data-lately>
			<h2 className="border-b border-rule pb-1">Taken in lately</h2>
			{list.map((i) => (
				<div key={i.id} className="flex items-baseline gap-3 border-b border-hair py-0.5">
					<span className={`shrink-0 ${i.state === "undone" ? "line-through" : ""}`}>{i.file}</span>
					<span className="truncate text-dim">
						{i.kind}
						{!i.hidden && `: ${count(i.added)} new, ${count(i.changed)} changed`}
						{i.state === "undone" && `, undone by ${i.undone_by}`} · {i.person}
					</span>
					<span className="code ml-auto shrink-0 text-dim">{when(i.at)}</span>
				</div>
			))}
			<Link className="word text-dim" to="/stock">
				All of them, and how to undo one
			</Link>
		</div>
	);
}

function DropList({
	drops,
	at,
	onAt,
	left,
	onTake,
}: {
	drops: Drop[];
	at: number;
	onAt: (id: number) => void;
	left: Schemas["Waiting"][];
	onTake: (w: Schemas["Waiting"]) => void;
}) {
	const ready = drops.filter(
		(d) => d.draft && !d.done && d.draft.blocked === "" && (d.draft.effect.refused === 0 || d.draft.kind === "counts"),
	);
	const all = useMutation({
		mutationFn: async () => {
			for (const d of ready) {
				changeDrop(d.id, { busy: true });
				try {
					changeDrop(d.id, { done: await takeIn(d, d.draft?.effect.refused ?? 0), busy: false });
				} catch (e) {
					changeDrop(d.id, { error: (e as Error).message, busy: false });
				}
			}
		},
	});
	return (
		<div className="flex items-center gap-1 overflow-x-auto border-b border-ink px-3 pt-1.5" role="tablist">
			{drops.map((d) => (
				<button
					key={d.id}
					type="button"
					role="tab"
					aria-selected={d.id === at}
					onClick={() => onAt(d.id)}
					className={`shrink-0 border border-b-0 px-3 py-1 ${d.id === at ? "border-ink bg-sheet font-semibold" : "border-rule"}`}
				>
					{d.done ? "✓ " : d.error || d.draft?.blocked || (d.draft?.effect.refused ?? 0) > 0 ? <b className="text-warn">! </b> : ""}
					{d.file.name}
				</button>
			))}
			{left.slice(0, 20).map((w) => (
				<button
					key={w.id}
					type="button"
					role="tab"
					aria-selected={false}
					title={w.word}
					onClick={() => onTake(w)}
					className="shrink-0 border border-b-0 border-rule px-3 py-1 text-dim"
				>
					{w.name}
				</button>
			))}
			{ready.length > 1 && (
				<button type="button" className="act mb-1 ml-auto" disabled={all.isPending} onClick={() => all.mutate()}>
					Take in all {ready.length} files
				</button>
			)}
		</div>
	);
}

/** The key of each drop's taking in stays the same over all tries, so that one whose answer was lost is done once. */
const keys = new Map<string, string>();
const keyOf = (drop: Drop, leaveOut: number) => {
	const what = `${drop.draft?.id} ${leaveOut}`;
	if (!keys.has(what)) keys.set(what, workKey());
	return keys.get(what) as string;
};

async function takeIn(drop: Drop, leaveOut: number) {
	const key = keyOf(drop, leaveOut);
	const done = await ask(
		api.POST("/api/uploads/{draft}/take-in", { params: { path: { draft: drop.draft?.id ?? "" } }, body: { key, leave_out: leaveOut } }),
	);
	queries.invalidateQueries();
	return done;
}

function OneDrop({ drop }: { drop: Drop }) {
	const { draft } = drop;
	const [shown, setShown] = useState<number | null>(null); // the sheet
	const [only, setOnly] = useState<{ kind: string; field: string } | null>(null); // rows of one problem group
	const [column, setColumn] = useState(""); // the one in hand
	const settling = useSettle(drop);
	const take = useMutation({
		mutationFn: (leaveOut: number) => takeIn(drop, leaveOut),
		onSuccess: (done) => changeDrop(drop.id, { done }),
		onError: async (e) => {
			// What it comes to has changed meanwhile: show it as it is now.
			if (e instanceof Problem && e.kind === "changed" && drop.draft)
				changeDrop(drop.id, { draft: await ask(api.GET("/api/uploads/{draft}", { params: { path: { draft: drop.draft.id } } })) });
		},
	});
	const back = () => settling.mutate({ back: true });
	useEffect(() => {
		const onKey = (e: KeyboardEvent) => {
			if ((e.ctrlKey || e.metaKey) && e.key.toLowerCase() === "z" && !typing(e) && draft?.can_back) {
				e.preventDefault();
				settling.mutate({ back: true });
			}
		};
		window.addEventListener("keydown", onKey);
		return () => window.removeEventListener("keydown", onKey);
	}, [draft?.can_back, settling.mutate]);
	if (drop.error) {
		return (
			<Empty title={`${drop.file.name} cannot be read`}>
				<Warn>{drop.error}</Warn>
				<button
					type="button"
					className="act-plain mt-4"
					onClick={() => {
						forgetDrop(drop.id);
						queries.invalidateQueries({ queryKey: key.waiting });
					}}
				>
					Discard
				</button>
			</Empty>
		);
	}
	if (!draft || drop.busy) return <Looking name={drop.file.name} />;
	if (drop.done) return <LastWord drop={drop} done={drop.done} />;
	const settle: Settle = (answer) => settling.mutate(answer);
	const sheet = draft.sheets.find((s) => s.number === shown) ?? draft.sheets.find((s) => s.use) ?? draft.sheets[0];
	const { refused } = draft.effect;
	const going =
		draft.effect.gone > 0 && draft.kind !== "counts" ? `, ${many(draft.effect.gone, "recorded line goes", "recorded lines go")}` : "";
	const used = draft.sheets.filter((s) => s.use);
	const counting = used.length === 1 && used[0]?.kind === "counts";
	return (
		<Stage
			side={
				<What
					draft={draft}
					sheet={sheet}
					drop={drop}
					settle={settle}
					busy={settling.isPending}
					only={only}
					onOnly={setOnly}
					onColumn={setColumn}
				/>
			}
			foot={
				<>
					<span>
						<b>{count(draft.rows)}</b> rows of{" "}
						{[...new Set(used.map((s) => kindWord[s.kind] ?? "no known kind"))].join(", ") || "no known kind"}
						{draft.mended > 0 && `, ${many(draft.mended, "cell", "cells")} mended`}
						{draft.effect.left > 0 && `, ${count(draft.effect.left)} left out by choice`}
					</span>
					{(take.error ?? settling.error) && <Warn>{(take.error ?? settling.error)?.message}</Warn>}
					<span className="ml-auto flex items-center gap-3">
						{draft.can_back && (
							<button type="button" className="word" onClick={back} disabled={settling.isPending}>
								Take the last answer back
							</button>
						)}
						<button
							type="button"
							className="act-plain"
							onClick={() => {
								ask(api.DELETE("/api/uploads/{draft}", { params: { path: { draft: draft.id } } }))
									.catch(() => {})
									.finally(() => queries.invalidateQueries({ queryKey: key.waiting }));
								forgetDrop(drop.id);
							}}
						>
							Discard
						</button>
						<button
							type="button"
							className="act"
							disabled={draft.blocked !== "" || take.isPending || settling.isPending}
							onClick={() => take.mutate(refused)}
						>
							{take.isPending
								? "Taking in…"
								: counting && refused + draft.effect.tray > 0
									? `Take in ${many(draft.effect.added + draft.effect.changed, "count", "counts")}, put ${many(refused + draft.effect.tray, "row", "rows")} into the tray`
									: refused > 0
										? `Take in ${many(draft.taking, "good row", "good rows")}, leave out ${count(refused)}${going}`
										: counting
											? `Take in ${many(draft.effect.added + draft.effect.changed, "count", "counts")}${draft.effect.gone > 0 ? `, withdraw ${count(draft.effect.gone)}` : ""}`
											: `Take in ${many(draft.taking, "row", "rows")}${going}`}
						</button>
					</span>
				</>
			}
			keys={[
				["↑ ↓ ← →", "in the file"],
				["F2", "mend the cell"],
				["Tab", "from choice to choice"],
				["Ctrl Z", "take the last answer back"],
				["Ctrl K", "go anywhere"],
			]}
		>
			<Form draft={draft} sheet={sheet} settle={settle} onSheet={setShown} />
			{sheet && <FileView key={sheet.number} drop={drop} sheet={sheet} settle={settle} only={only} column={column} onColumn={setColumn} />}
		</Stage>
	);
}

/** A file on its way: how much of it was read, and how fast. */
function Looking({ name }: { name: string }) {
	const p = useProgress();
	const mine = p?.text?.endsWith(name) ? p : null;
	const part = mine?.of ? (mine.done ?? 0) / mine.of : 0;
	return (
		<Empty title={`Having a look at ${name}…`}>
			<div className="mx-auto my-3 h-1.5 w-80 bg-hair">
				<div className="h-1.5 bg-ink" style={{ width: `${Math.round(part * 100)}%` }} />
			</div>
			{mine?.rows ? `${count(mine.rows)} rows read. ` : ""}Nothing is stored yet.
		</Empty>
	);
}

/** The last word: what was done, and where to go now. */
function LastWord({ drop, done }: { drop: Drop; done: Schemas["TakenIn"] }) {
	return (
		<Empty title={`${drop.file.name} is taken in`}>
			<p className="text-[15px] text-ink" data-last-word>
				{count(done.added)} new, {count(done.changed)} {done.kind === "counts" ? "revised" : "changed"}, {count(done.unchanged)} unchanged
				{done.gone > 0 && `, ${count(done.gone)} ${done.kind === "counts" ? "withdrawn" : "gone"}`}, {count(done.refused)}{" "}
				{done.kind === "counts" && done.refused > 0 ? (
					<Link className="word" to={`/counts/${done.count}/counting/tray`}>
						put into the tray
					</Link>
				) : (
					"refused"
				)}
				{done.left > 0 && `, ${count(done.left)} left out by choice`}.
			</p>
			<p>
				{when(new Date().toISOString(), "clock")} ·{" "}
				{done.kind === "counts"
					? "Drop a corrected sheet again, and it becomes a revision. It can be taken back on the counting screen."
					: "It can be undone on the stock screen."}
			</p>
			<div className="mt-5 flex justify-center gap-3">
				{done.count > 0 ? (
					<>
						<Link className="act" to={`/counts/${done.count}/variances`}>
							See the variances
						</Link>
						<Link className="act-plain" to={`/counts/${done.count}/counting`}>
							See the counting
						</Link>
					</>
				) : (
					<Link className="act" to="/stock">
						See the stock
					</Link>
				)}
				<button type="button" className="act-plain" onClick={() => forgetDrop(drop.id)}>
					Discard
				</button>
			</div>
		</Empty>
	);
}

import { useMutation, useQuery } from "@tanstack/react-query";
import { useMemo, useState } from "react";
import { api, ask, Problem, type Schemas, zone } from "../api/client";
import { key } from "../api/keys";
import { changed } from "../counting/changed";
import { Choice } from "../frame/Frame";
import { hours, many, Warn } from "../frame/figures";
import { namesIn } from "../plan/names";

type Sheet = Schemas["SheetView"];
type By = "zone" | "size" | "people";

/** The bins of sheets that follow one another, with what each takes. */
const useBins = (id: number, sheets: Sheet[], on: boolean) =>
	useQuery({
		queryKey: key.sheetBins(id, sheets.map((s) => s.number).join()),
		enabled: on,
		queryFn: async () =>
			(
				await Promise.all(
					sheets.map((s) =>
						ask(api.GET("/api/counts/{count}/sheets/{number}/bins", { params: { path: { count: id, number: s.number } } })),
					),
				)
			).flat(),
	});

/** The border in the walk of the sheets in hand: one is parted there, or two meet there. It begins where half of the work is done. */
export function useBorder(id: number, sheets: Sheet[], on: boolean) {
	const one = sheets.length === 1 ? sheets[0] : undefined;
	// One sheet is parted wherever it is; the border between two is moved while they are with us.
	const idle = sheets.every((s) => s.state === "with us" && s.counted === 0);
	const can =
		on &&
		sheets.every((s) => s.recount === 0) &&
		((one !== undefined && (one.state === "out" || one.state === "with us")) || (sheets.length === 2 && idle));
	const named = sheets.map((s) => s.number).join();
	const [moved, setMoved] = useState<{ of: string; at: number } | null>(null);
	const bins = useBins(id, sheets, can);
	const list = useMemo(() => (can ? (bins.data ?? []) : []), [can, bins.data]);
	const here = moved?.of === named ? moved.at : undefined;
	const at = Math.max(1, Math.min(list.length - 1, here ?? half(list)));
	const order = useMemo(() => new Map(list.map((b, i) => [b.id, i])), [list]);
	const behind = useMemo(() => new Set(here === undefined ? [] : list.slice(at).map((b) => b.id)), [list, here, at]);
	const onMove = (at: number) => setMoved({ of: named, at });
	return { list, at, behind, onMove, done: () => setMoved(null), on: list.length > 1 ? { order, at, onMove } : undefined };
}

/** What can be done with the sheets in hand: handed out or over, taken back, parted, cut anew. */
export function SheetsInHand({
	id,
	sheets,
	names: known,
	border,
	onDone,
}: {
	id: number;
	sheets: Sheet[];
	names: string[];
	border: ReturnType<typeof useBorder>;
	onDone: () => void;
}) {
	const planned = sheets[0]?.state === "with us" && sheets.every((s) => s.counter === sheets[0]?.counter) ? sheets[0].counter : "";
	const [who, setWho] = useState(planned);
	const [due, setDue] = useState("");
	const [why, setWhy] = useState("");
	const [by, setBy] = useState<By>("size");
	const [rows, setRows] = useState("60");
	const [people, setPeople] = useState("");
	const numbers = sheets.map((s) => s.number);
	const lines = sheets.reduce((sum, s) => sum + s.lines, 0);
	const out = sheets.filter((s) => s.state === "out");
	const idle = sheets.every((s) => s.state === "with us" && s.counted === 0);
	const one = sheets.length === 1 ? sheets[0] : undefined;
	const { list, at } = border;
	const path = { params: { path: { count: id } } };
	const then = {
		onSuccess: async () => {
			border.done();
			setWho("");
			setDue("");
			onDone();
			await changed(id);
		},
	};
	const hand = useMutation({
		mutationFn: (counter: string) =>
			ask(
				api.POST("/api/counts/{count}/hand-out", {
					...path,
					body: {
						sheets: numbers,
						counter,
						due: counter && due ? due.replace("T", " ") : undefined,
						zone: zone(),
						why: why.trim() || undefined,
					},
				}),
			),
		...then,
	});
	const back = useMutation({
		mutationFn: (back: boolean) => ask(api.POST("/api/counts/{count}/take-back", { ...path, body: { sheets: numbers, back } })),
		...then,
	});
	const names = namesIn(people);
	const anew = useMutation({
		mutationFn: (at?: string) =>
			ask(
				api.POST("/api/counts/{count}/cut-anew", {
					...path,
					body: {
						sheets: numbers,
						at: at ? [at] : undefined,
						rows: Math.max(1, Math.min(5000, Number.parseInt(rows, 10) || 60)),
						by: at ? undefined : by,
						for: at || by !== "people" ? undefined : names,
					},
				}),
			),
		...then,
	});
	const part = useMutation({
		mutationFn: (from: string) =>
			ask(
				api.POST("/api/counts/{count}/sheets/{number}/part", {
					params: { path: { count: id, number: one?.number ?? 0 } },
					body: { from, counter: who.trim() || undefined },
				}),
			),
		...then,
	});
	const letGo = useMutation({
		mutationFn: (again: boolean) => ask(api.POST("/api/counts/{count}/let-go", { ...path, body: { sheets: numbers, again } })),
		...then,
	});
	const drop = useMutation({
		mutationFn: () => ask(api.POST("/api/counts/{count}/recount/drop", { ...path, body: { sheets: numbers } })),
		...then,
	});
	const recounts = sheets.every((s) => s.recount > 0);
	const asksWhy = hand.error instanceof Problem && hand.error.field === "why";
	const [sure, setSure] = useState(false);
	const busy = drop.isPending || letGo.isPending || hand.isPending || back.isPending || anew.isPending || part.isPending;
	const error = drop.error ?? letGo.error ?? hand.error ?? back.error ?? anew.error ?? part.error;
	const seconds = (from: number, to: number) => list.slice(from, to).reduce((sum, b) => sum + b.seconds, 0);
	const named = one ? `sheet ${one.number}` : many(sheets.length, "sheet", "sheets");
	return (
		<div className="border-t border-ink px-3 py-2" data-in-hand>
			<h2>
				{one ? `Sheet ${one.number}` : many(sheets.length, "sheet", "sheets")}, {many(lines, "row", "rows")}, about{" "}
				{hours(sheets.reduce((sum, s) => sum + s.seconds, 0))}
			</h2>
			{sheets.some((s) => s.state === "with us" || s.state === "out") && (
				<form
					className="mt-1 flex flex-wrap items-center gap-2"
					onSubmit={(e) => {
						e.preventDefault();
						hand.mutate(who);
					}}
				>
					<input
						className="w-28 flex-1"
						value={who}
						onChange={(e) => setWho(e.target.value)}
						placeholder="who gets it"
						aria-label="Who gets the sheets"
						list="crew"
					/>
					<datalist id="crew">
						{known.map((name) => (
							<option key={name} value={name} />
						))}
					</datalist>
					<button type="submit" className="act-plain" disabled={who.trim() === "" || busy}>
						{out.length === sheets.length ? "Hand over" : "Hand out"} {named}
					</button>
					<label className="flex items-center gap-1.5">
						<span className="text-dim">back by</span>
						<input type="datetime-local" value={due} onChange={(e) => setDue(e.target.value)} aria-label="To be back by" />
					</label>
				</form>
			)}
			{list.length > 1 && (
				<div className="mt-2" data-border>
					<label className="flex items-center gap-2">
						<span className="text-dim">{one ? "part it before" : "border before"}</span>
						<span className="code w-20 font-semibold">{list[at]?.bin}</span>
						<input
							type="range"
							className="min-w-0 flex-1 accent-[var(--ink)]"
							min={1}
							max={list.length - 1}
							value={at}
							onChange={(e) => border.onMove(Number(e.target.value))}
							aria-label={`Border before bin ${list[at]?.bin}`}
						/>
					</label>
					<p className="mt-0.5 flex items-center gap-2">
						<span className="text-dim">
							{many(at, "bin", "bins")}, {hours(seconds(0, at))} | {many(list.length - at, "bin", "bins")},{" "}
							{hours(seconds(at, list.length))}
						</span>
						<button
							type="button"
							className="word ml-auto"
							disabled={busy}
							onClick={() => (one ? part.mutate(list[at]?.bin ?? "") : anew.mutate(list[at]?.bin))}
						>
							{one ? (who.trim() && who.trim() !== one.counter ? `the rest to ${who.trim()}` : "part it there") : "move the border there"}
						</button>
					</p>
				</div>
			)}
			{asksWhy && (
				<form
					className="mt-1 flex items-center gap-2"
					onSubmit={(e) => {
						e.preventDefault();
						hand.mutate(who);
					}}
				>
					<input
						className="min-w-0 flex-1"
						value={why}
						onChange={(e) => setWhy(e.target.value)}
						placeholder="why nobody else can"
						aria-label="Why the first counter counts again"
						maxLength={200}
					/>
					<button type="submit" className="act-plain" disabled={why.trim() === "" || busy}>
						Give it all the same
					</button>
				</form>
			)}
			{idle && !recounts && sheets.every((s) => s.recount === 0) && (
				<form
					className="mt-2"
					data-anew
					onSubmit={(e) => {
						e.preventDefault();
						anew.mutate(undefined);
					}}
				>
					<Choice<By>
						label="Cut anew"
						value={by}
						of={[
							["size", "by rows"],
							["zone", "by zone"],
							["people", "by people"],
						]}
						onChange={setBy}
					/>
					<p className="mt-1 flex flex-wrap items-center gap-2">
						<input
							className="code w-14 text-right"
							inputMode="numeric"
							value={rows}
							onChange={(e) => setRows(e.target.value)}
							aria-label="Rows on a sheet cut anew"
						/>
						<span className="text-dim">rows at most</span>
						{by === "people" && (
							<input
								className="w-40"
								value={people}
								onChange={(e) => setPeople(e.target.value)}
								placeholder="names, apart by commas"
								aria-label="Who counts the sheets cut anew"
							/>
						)}
						<button type="submit" className="act-plain ml-auto" disabled={busy || (by === "people" && names.length === 0)}>
							Cut {named} anew
						</button>
					</p>
				</form>
			)}
			<p className="mt-1 flex flex-wrap gap-x-4">
				{sheets.every((s) => s.state === "let go") && (
					<button type="button" className="word" disabled={busy} onClick={() => letGo.mutate(true)}>
						take {one ? "it" : "them"} into the count again
					</button>
				)}
				{recounts && sheets.every((s) => s.state !== "back" && s.counted === 0) && (
					<button type="button" className="word" disabled={busy} onClick={() => drop.mutate()}>
						drop {one ? "this recount" : "these recounts"}
					</button>
				)}
				{sheets.every((s) => s.recount === 0 && (s.state === "with us" || s.state === "out") && s.counted === 0) &&
					(sure ? (
						<button type="button" className="word text-warn" disabled={busy} onClick={() => letGo.mutate(false)}>
							! {many(lines, "line is", "lines are")} not counted then: let {one ? "it" : "them"} go
						</button>
					) : (
						<button type="button" className="word" disabled={busy} onClick={() => setSure(true)}>
							let {one ? "it" : "them"} go…
						</button>
					))}
				{out.length === sheets.length && (
					<>
						<button type="button" className="word" disabled={busy} onClick={() => back.mutate(true)}>
							{one ? "it is back" : "they are back"}
						</button>
						<button type="button" className="word" disabled={busy} onClick={() => hand.mutate("")}>
							with us again
						</button>
					</>
				)}
				{sheets.every((s) => s.state === "back") && (
					<button type="button" className="word" disabled={busy} onClick={() => back.mutate(false)}>
						{one ? "it is out again" : "they are out again"}
					</button>
				)}
			</p>
			{error && <Warn>{error.message}</Warn>}
		</div>
	);
}

/** Where half of the work is done. */
function half(bins: { seconds: number }[]) {
	const all = bins.reduce((sum, b) => sum + b.seconds, 0);
	let done = 0;
	for (let i = 0; i < bins.length; i++) {
		done += bins[i]?.seconds ?? 0;
		if (done * 2 >= all) return i + 1;
	}
	return 1;
}

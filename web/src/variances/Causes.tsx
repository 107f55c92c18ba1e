import { useMutation } from "@tanstack/react-query";
import { Link } from "react-router";
import { api, ask, type Schemas } from "../api/client";
import { changed } from "../counting/changed";
import { count, many, plain, Warn } from "../frame/figures";

type Cause = Schemas["CauseView"];
type Tally = Schemas["CauseTally"];

/** Likely causes in a word or two, as a column has room for. */
export const causeWord: Record<string, string> = {
	misplaced: "other bin",
	"mistaken-item": "other item",
	"wrong-lot": "other lot",
	"pack-slip": "packs",
	"key-slip": "keys",
	"row-slip": "row slipped",
	"counted-twice": "twice",
	"cut-off": "cut-off",
	"place-uncounted": "bin left out",
	"negative-record": "below zero",
	none: "unexplained",
};

/** Likely causes as a sentence begins. */
export const causeSentence: Record<string, string> = {
	misplaced: "Put in another bin",
	"mistaken-item": "Taken for another item",
	"wrong-lot": "Put down under another lot",
	"pack-slip": "Packs and pieces mixed up",
	"key-slip": "A slip of the keys",
	"row-slip": "Written in another row",
	"counted-twice": "Counted twice",
	"cut-off": "A movement near the count",
	"place-uncounted": "Another bin was not counted",
	"negative-record": "The records are below zero",
	tolerated: "Within tolerance, let pass",
};

/** The likely cause of a line in a list: the stronger what speaks for it, the darker; a question mark where little does. */
export function CauseMark({ cause, grade }: { cause: string; grade: string }) {
	const look = grade === "strong" ? "font-semibold" : grade === "weak" ? "text-dim" : "";
	return (
		<span className={look} title={`${grade} evidence`}>
			{causeWord[cause] ?? cause}
			{grade === "weak" && "?"}
		</span>
	);
}

/** Why the variances are likely there: pressing a cause narrows the queue to it. */
export function CauseFilter({
	tallies,
	working,
	value,
	show,
	onChange,
}: {
	tallies: Tally[];
	working: boolean;
	value: string;
	show: (t: Tally) => number;
	onChange: (cause: string) => void;
}) {
	const shown = tallies.filter((t) => show(t) > 0 || t.cause === value).map((t): [string, number] => [t.cause, show(t)]);
	if (value && !shown.some(([c]) => c === value)) shown.push([value, 0]); // what narrows the queue can be let go of
	return (
		<>
			{working && shown.length === 0 && <span className="text-dim">is being worked out…</span>}
			{shown.map(([c, n]) => (
				<button
					key={c}
					type="button"
					aria-pressed={c === value}
					data-cause={c}
					className={`border-b-2 hover:text-ink ${c === value ? "border-ink font-semibold" : "border-transparent text-dim"}`}
					onClick={() => onChange(c === value ? "" : c)}
				>
					{causeWord[c]} {count(n)}
				</button>
			))}
		</>
	);
}

/** What accepting a cause does, as its button says it. */
function deed(c: Cause) {
	switch (c.does) {
		case "decide":
			return c.cause === "misplaced" ? "Settle both as one transfer" : "Correct both";
		case "withdraw":
			return `Drop the count of ${plain(c.quantity)}`;
		case "move":
			return "Move the cut-off for this line";
		default:
			return "";
	}
}

/** Accepts the likely cause of a line, and does what is to be done about it. */
export function useAccept(id: number, onAct?: (lines: number[]) => void) {
	return useMutation({
		mutationFn: (x: { pos: number; cause: Cause }) =>
			ask(
				api.POST("/api/counts/{count}/lines/{pos}/cause", {
					params: { path: { count: id, pos: x.pos } },
					body: { cause: x.cause.cause, evidence: x.cause.evidence },
				}),
			),
		onMutate: (x) => onAct?.([x.pos, ...x.cause.lines]),
		onSettled: () => changed(id),
	});
}

/** Makes sheets of lines that are counted again. */
export function useRecount(id: number) {
	return useMutation({
		mutationFn: (lines: number[]) => ask(api.POST("/api/counts/{count}/recount", { params: { path: { count: id } }, body: { lines } })),
		onSettled: () => changed(id),
	});
}

/** The likely cause of the line in hand, with what speaks for it and what to do. */
export function LikelyCause({
	id,
	line,
	cause,
	may,
	accept,
	recount,
}: {
	id: number;
	line: Schemas["VarianceLine"];
	cause: Cause;
	may: boolean;
	accept: ReturnType<typeof useAccept>;
	recount: ReturnType<typeof useRecount>;
}) {
	const open = line.queue === "open" || line.queue === "held";
	return (
		<div className="my-1.5 border-l-4 border-ink bg-sheet px-2.5 py-1.5" data-likely={cause.cause}>
			<p className="flex items-baseline justify-between gap-2">
				<b>{causeSentence[cause.cause]}</b>
				<span className={cause.grade === "strong" ? "font-semibold" : "text-dim"}>{cause.grade}</span>
			</p>
			<p>{cause.evidence}</p>
			{may && open && (
				<p className="mt-1 flex flex-wrap items-center gap-x-3">
					{cause.does ? (
						<button
							type="button"
							className="act-plain"
							disabled={accept.isPending}
							onClick={() => accept.mutate({ pos: line.pos, cause })}
							data-accept-cause
						>
							{deed(cause)} <span className="text-dim">C</span>
						</button>
					) : line.again > 0 ? (
						<Link className="word" to={`/counts/${id}/sheets`}>
							being counted again on sheet {line.again}
						</Link>
					) : cause.remedy === "recount" ? (
						<button
							type="button"
							className="act-plain"
							disabled={recount.isPending}
							onClick={() => recount.mutate(cause.lines)}
							data-recount-cause
						>
							{cause.lines.length > 1 ? `Count these ${cause.lines.length} rows again` : "Count it again"}{" "}
							<span className="text-dim">C</span>
						</button>
					) : (
						<span className="text-dim">
							To do: {cause.remedy}
							{cause.sheet > 0 && (
								<>
									,{" "}
									<Link className="word" to={`/counts/${id}/counting/${cause.sheet}`}>
										sheet {cause.sheet}
									</Link>
								</>
							)}
						</span>
					)}
					{cause.offered && cause.cause !== "cut-off" && (
						<span className="text-dim">
							it may be <b className="code text-ink">{plain(cause.offered)}</b>
						</span>
					)}
				</p>
			)}
			{accept.error && <Warn>{accept.error.message}</Warn>}
		</div>
	);
}

/** Settles all of a cause for which much speaks, at once. */
export function SettleStrong({ id, tally, may }: { id: number; tally?: Tally; may: boolean }) {
	const settle = useMutation({
		mutationFn: (t: Tally) =>
			ask(
				api.POST("/api/counts/{count}/causes/{cause}/accept", {
					params: { path: { count: id, cause: t.cause } },
					body: { expect: t.ready },
				}),
			),
		onSettled: () => changed(id),
	});
	if (!may || !tally || tally.ready === 0) return settle.error ? <Warn>{settle.error.message}</Warn> : null;
	const pairs = ["misplaced", "mistaken-item", "wrong-lot"].includes(tally.cause);
	return (
		<>
			<button
				type="button"
				className="act-plain"
				disabled={settle.isPending}
				onClick={() => settle.mutate(tally)}
				data-settle={tally.cause}
				title="Only those for which much speaks, and of which nothing is decided yet"
			>
				{pairs
					? `Settle ${many(tally.ready, "strong pair", "strong pairs")}, ${many(tally.ready * 2, "line", "lines")}`
					: tally.cause === "counted-twice"
						? `Drop ${many(tally.ready, "count", "counts")} too many`
						: `Move the cut-off of ${many(tally.ready, "line", "lines")}`}
			</button>
			{settle.error && <Warn>{settle.error.message}</Warn>}
		</>
	);
}

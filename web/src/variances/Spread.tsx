import { scaleLinear } from "d3-scale";
import { area, curveStepAfter, line } from "d3-shape";
import type { Schemas } from "../api/client";
import { count, many, Off, plain } from "../frame/figures";

type Tally = Schemas["FilterTally"];
const width = 240;
const height = 44;

/**
 * How the value of the variances is spread, over the lines and by sign. Pressing the curve narrows the queue to the few lines that hold
 * most of it, pressing a sign to those of that sign.
 */
export function SpreadOf({
	tally,
	sign,
	least,
	onSign,
	onLeast,
}: {
	tally: Tally;
	sign: string;
	least: number;
	onSign: (sign: "" | "over" | "short") => void;
	onLeast: (least: number) => void;
}) {
	const { spread } = tally;
	const cents = (v: string) => Number(v.replace(".", ""));
	const gross = cents(tally.gross);
	if (spread.curve.length === 0 || gross === 0) return null;
	const x = scaleLinear([0, tally.lines], [0, width]);
	const y = scaleLinear([0, gross], [height - 1, 2]);
	// Positions only; the figures are the server's.
	const points: [number, number][] = [[0, 0], ...spread.curve.map((p): [number, number] => [p.lines, cents(p.gross)])];
	const to = (p: [number, number]) => y(p[1]);
	const under = area<[number, number]>()
		.x((p) => x(p[0]))
		.y0(height - 1)
		.y1(to)
		.curve(curveStepAfter);
	const along = line<[number, number]>()
		.x((p) => x(p[0]))
		.y(to);
	const most = points.filter((p) => p[0] <= spread.most);
	const narrowed = least > 0;
	const short = Math.abs(cents(tally.short)) / gross;
	return (
		<div className="flex flex-wrap items-center gap-x-5 gap-y-1 border-b border-hair px-2 py-1.5 tight:hidden" data-spread>
			<button
				type="button"
				className="flex items-center gap-3 text-left hover:bg-sheet"
				aria-pressed={narrowed}
				onClick={() => onLeast(narrowed ? 0 : cents(spread.least))}
				title={narrowed ? "All of them again" : "Only these"}
			>
				<svg
					width={width}
					height={height}
					role="img"
					aria-label={`The heaviest ${spread.most} of ${tally.lines} lines hold 80 percent of the value`}
				>
					<path d={under(most) ?? ""} fill="var(--tone)" />
					<path d={along(points) ?? ""} fill="none" stroke="var(--ink)" strokeWidth={1.5} />
					<line x1={x(spread.most)} x2={x(spread.most)} y1={2} y2={height - 1} stroke="var(--ink)" strokeDasharray="2 2" />
					<line x1={0} x2={width} y1={height - 0.5} y2={height - 0.5} stroke="var(--ink)" />
				</svg>
				<span>
					{narrowed ? (
						<>
							<b>{many(tally.lines, "line", "lines")}</b>, the heaviest
						</>
					) : (
						<>
							<b>{count(spread.most)}</b> of {many(tally.lines, "line", "lines")}
						</>
					)}
					<br />
					<span className="text-dim">
						{narrowed ? "press for all of them" : `${spread.most === 1 ? "holds" : "hold"} 80 % of ${plain(tally.gross)}`}
					</span>
				</span>
			</button>
			<span className="ml-auto flex flex-col gap-0.5" role="group" aria-label="Over against short">
				<svg width={220} height={8} role="presentation">
					<rect x={0} y={0} width={220 * short} height={8} fill="var(--short)" />
					<rect x={220 * short} y={0} width={220 * (1 - short)} height={8} fill="var(--over)" />
				</svg>
				<span className="flex w-[220px] justify-between">
					{(["short", "over"] as const).map((s) => (
						<button
							key={s}
							type="button"
							aria-pressed={sign === s}
							data-sign={s}
							className={`border-b-2 ${sign === s ? "border-ink font-semibold" : "border-transparent hover:border-hair"}`}
							onClick={() => onSign(sign === s ? "" : s)}
						>
							<Off of={s === "short" ? tally.short : tally.over} />
						</button>
					))}
				</span>
			</span>
		</div>
	);
}

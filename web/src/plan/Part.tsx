import { Link } from "react-router";
import type { Schemas } from "../api/client";
import { Choice } from "../frame/Frame";
import { count, many, Warn } from "../frame/figures";

/** What is counted of the lines that places and rules pick: all, today's portion of the rotation, or a sample. */
export type Draw = {
	how: "" | "rotation" | "lines" | "value";
	confidence: string;
	accuracy: string;
	wrong: string;
	lines: string;
	seed: number;
};

/** All lines; with a seed of its own for when a sample is drawn. */
export const all = (): Draw => ({
	how: "",
	confidence: "95",
	accuracy: "97",
	wrong: "0",
	lines: "",
	seed: 1 + Math.floor(Math.random() * 1e12),
});

/** The sample that a draw stands for; none where it is not one. */
export const sampleOf = (d: Draw): Schemas["Sample"] | undefined =>
	d.how === "lines" || d.how === "value"
		? {
				by: d.how,
				confidence: Math.round(Number(d.confidence) * 10) || 950,
				accuracy: Math.round(Number(d.accuracy) * 100) || 9700,
				wrong: Number.parseInt(d.wrong, 10) || undefined,
				lines: Number.parseInt(d.lines, 10) || undefined,
				seed: d.seed,
			}
		: undefined;

export function Part({
	draw,
	house,
	tally,
	error,
	onChange,
}: {
	draw: Draw;
	house: Schemas["WarehouseView"];
	tally?: Schemas["Tally"];
	error: Error | null;
	onChange: (d: Draw) => void;
}) {
	const figure = (label: string, k: "confidence" | "accuracy" | "wrong" | "lines") => (
		<input
			className="code w-14 text-right"
			inputMode="decimal"
			aria-label={label}
			value={draw[k]}
			onChange={(e) => onChange({ ...draw, [k]: e.target.value })}
		/>
	);
	return (
		<div className="mt-2 flex flex-col gap-1.5" data-sample>
			<div className="flex flex-wrap items-baseline gap-x-3">
				<Choice
					label="Sample"
					value={draw.how}
					of={[
						["", "every line of these"],
						...(house.rotation ? ([["rotation", "today's portion of the rotation"]] as [Draw["how"], string][]) : []),
						["lines", "a sample, each line as likely"],
						["value", "a sample by value"],
					]}
					onChange={(how) => onChange({ ...draw, how })}
				/>
				<Link to={`/rotation/${house.id}`} className="word">
					{house.rotation ? "the rotation" : "count in rotation"}
				</Link>
			</div>
			{sampleOf(draw) && (
				<p className="flex flex-wrap items-center gap-x-2 gap-y-1">
					so many that with {figure("Confidence in per cent", "confidence")}% confidence the accuracy is above
					{figure("Accuracy in per cent", "accuracy")}%, where no more than {figure("Wrong lines that are borne", "wrong")} are wrong; or
					just {figure("Lines to draw", "lines")} lines
				</p>
			)}
			{tally && tally.sample_of > 0 && draw.how && (
				<p className="text-dim" data-drawn>
					{count(tally.lines)} of {many(tally.sample_of, "line", "lines")}, drawn by seed <span className="code">{draw.seed}</span>, which
					is kept
				</p>
			)}
			{tally && draw.how === "rotation" && tally.lines === 0 && !error && (
				<p className="text-dim">Nothing is left of today's portion, or today nobody counts.</p>
			)}
			{error && <Warn>{error.message}</Warn>}
		</div>
	);
}

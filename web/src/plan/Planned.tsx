import { useMemo, useState } from "react";
import { Elevation, useElevation } from "../elevation/Elevation";
import { Stage, useCount, usePerson } from "../frame/Frame";
import { many, plain, when } from "../frame/figures";
import { useCountBins } from "../sheets/Sheets";
import { CountItself } from "./CountItself";
import { CutOff } from "./CutOff";
import { More } from "./More";

/** The plan of a count that is frozen already. */
export function Plan() {
	const { data: c, id } = useCount();
	const person = usePerson();
	const tiles = useElevation(c?.warehouse_id);
	const bins = useCountBins(id);
	const inside = useMemo(() => new Set(bins.data?.map((b) => b.bin)), [bins.data]);
	const [chosen, setChosen] = useState<Set<number>>(new Set());
	if (!c) return null;
	const words = (l: { quantity?: string | null; percent?: string | null; value?: string | null }) =>
		[
			l.quantity && `${l.quantity} units`,
			l.percent && `${l.percent} % of what is expected`,
			l.value && `${plain(l.value)} of value at most`,
		]
			.filter(Boolean)
			.join(", or ");
	const limits = words({ quantity: c.tolerance_quantity, percent: c.tolerance_percent, value: c.tolerance_value });
	const ofClasses = Object.entries(c.classes ?? {});
	return (
		<Stage
			side={
				<div className="flex min-h-0 flex-1 flex-col px-3 py-2">
					{tiles.data && (
						<Elevation
							tiles={tiles.data}
							look={(t) => ({ fill: inside.has(t.id) ? "ink" : "none", words: inside.has(t.id) ? "in scope" : "not in scope" })}
							chosen={chosen}
							onChoose={setChosen}
							legend={[
								["ink", undefined, "in scope"],
								["none", undefined, "not in scope"],
							]}
						/>
					)}
				</div>
			}
			foot={c.state === "running" && person.role === "controller" && <CountItself c={c} />}
			keys={[
				["E", "elevation"],
				["?", "all keys"],
			]}
		>
			<div className="px-6 py-4">
				<h1>What was planned</h1>
				<dl className="mt-3 grid max-w-2xl grid-cols-[11rem_1fr] gap-x-6 gap-y-2 border-t border-ink pt-3">
					<dt className="text-dim">Frozen</dt>
					<dd>
						{when(c.frozen_at, "long")}, by {c.person}; it is not changed any more
						{c.later.map((f) => (
							<div key={f.at} data-later>
								{many(f.lines, "line that was", "lines that were")} added meanwhile: {when(f.at, "long")}
							</div>
						))}
					</dd>
					<dt className="text-dim">Scope</dt>
					<dd>
						{many(c.recorded_lines, "line", "lines")} of <span className="code">{c.warehouse}</span>, cut into{" "}
						{many(c.sheets, "sheet", "sheets")}
					</dd>
					<dt className="text-dim">Left out</dt>
					<dd>
						{many(c.left_out.services, "service", "services")}, {many(c.left_out.parents, "grouping parent", "grouping parents")},{" "}
						{many(c.left_out.inactive, "inactive item without stock", "inactive items without stock")}
					</dd>
					<dt className="text-dim">Sheets</dt>
					<dd>
						{c.rounds === 2 && "two rounds by different people, which must agree; "}
						{c.blind ? "blind: they do not show what is recorded" : "open: they show what is recorded"}
					</dd>
					<dt className="text-dim">Let pass</dt>
					<dd>
						{limits || (ofClasses.length > 0 ? "" : "nothing: every variance wants a decision")}
						{ofClasses.map(([name, l]) => (
							<div key={name}>
								class {name}: {words(l) || "nothing"}
							</div>
						))}
						{c.post_tolerated && <div>it wants a decision and goes out, too</div>}
					</dd>
				</dl>
				{c.state === "running" && person.role === "controller" && c.recorded_lines > 0 && <More id={id} bins={chosen} />}
				<CutOff id={id} open={c.state === "running"} />
			</div>
		</Stage>
	);
}

import { useQuery } from "@tanstack/react-query";
import { useMemo, useState } from "react";
import { Link, useNavigate, useParams, useSearchParams } from "react-router";
import { api, ask, type Schemas } from "../api/client";
import { key } from "../api/keys";
import { Elevation, type Look, useElevation } from "../elevation/Elevation";
import { Stage, useCount } from "../frame/Frame";
import { count, Failed, many, when } from "../frame/figures";
import { DropField } from "../intake/DropField";
import { useCountBins, useSheets } from "../sheets/Sheets";
import { Again } from "./Again";
import { Returned } from "./Returned";
import { RoundsDiffer } from "./Rounds";
import { TrayOf } from "./Tray";
import { TypeIn } from "./TypeIn";
import { Uncounted } from "./Uncounted";

const legend: [Look["fill"], Look["mark"] | undefined, string][] = [
	["ink", undefined, "counted"],
	["half", undefined, "in part"],
	["hatch", undefined, "uncounted"],
];

/** Counting as it happens: a lane for each sheet, the racks filling up, and a grid to type a sheet into. */
export function Counting() {
	const { sheet } = useParams();
	const [search] = useSearchParams();
	const { id, data: c } = useCount();
	const sheets = useSheets(id);
	const bins = useCountBins(id);
	const tiles = useElevation(c?.warehouse_id);
	const navigate = useNavigate();
	const [chosen, setChosen] = useState<Set<number>>(new Set());
	const byBin = useMemo(() => new Map(bins.data?.map((b) => [b.bin, b])), [bins.data]);
	const number = Number(sheet) || 0;
	const lit = useMemo(() => new Set(number ? bins.data?.filter((b) => b.sheet === number).map((b) => b.bin) : []), [bins.data, number]);
	if (sheets.error) return <Failed what="The sheets" error={sheets.error} />;
	if (!c || sheets.loading) return null;
	const look = (t: { id: number }): Look => {
		const b = byBin.get(t.id);
		if (!b) return { fill: "none", words: "not in this count" };
		if (b.counted === 0) return { fill: "hatch", words: `uncounted, ${many(b.lines, "line", "lines")}` };
		return { fill: b.counted < b.lines ? "half" : "ink", words: `${b.counted} of ${many(b.lines, "line", "lines")} counted` };
	};
	const on = new Set([...chosen].map((b) => byBin.get(b)?.sheet));
	const shown = chosen.size === 0 ? sheets.rows : sheets.rows.filter((s) => on.has(s.number));
	const racks = tiles.data && (
		<Elevation
			tiles={tiles.data}
			look={look}
			chosen={chosen}
			onChoose={(b) => {
				setChosen(b);
				const first = byBin.get([...b][0] ?? 0)?.sheet;
				if (number && first && first !== number) navigate(`/counts/${id}/counting/${first}`);
			}}
			lit={lit}
			legend={legend}
		/>
	);
	const side = (
		<>
			<div className="flex min-h-0 flex-1 flex-col px-3 py-2">{racks}</div>
			{!number && <Returned id={id} running={c.state === "running"} />}
		</>
	);
	if (sheet === "tray") return <TrayOf id={id} c={c} side={side} />;
	if (number && search.get("again")) return <Again key={number} id={id} number={number} side={side} />;
	if (number) return <TypeIn key={number} id={id} c={c} number={number} side={side} />;
	return (
		<Stage
			side={side}
			foot={
				<>
					<span>
						<b>{count(c.counted)}</b> of <b>{count(c.lines)}</b> lines counted, <b>{count(c.uncounted)}</b> uncounted
					</span>
					<span className="text-dim">An empty cell is uncounted, a 0 is a count.</span>
					<span className="ml-auto text-dim">
						{c.sheets_back} of {c.sheets} sheets are back
					</span>
				</>
			}
			keys={[
				["E", "elevation"],
				["Tab Enter", "open a sheet"],
				["?", "all keys"],
			]}
		>
			<div className="min-h-0 flex-1 overflow-y-auto px-4 py-3">
				<div className="mb-3 flex items-center gap-6">
					<div className="flex-1">
						<h1>Sheets come back</h1>
						<p className="text-dim">
							Drop any number of them at once: renamed, sorted, with columns moved. They are known by their codes. Or open one and type.
						</p>
					</div>
					<div className="w-80">
						<DropField />
					</div>
				</div>
				{c.doubts > 0 && (
					<Link
						to={`/counts/${id}/counting/tray`}
						className="mb-2 flex justify-between border border-warn bg-warn-wash px-3 py-1 hover:bg-sheet"
						data-tray
					>
						<span>
							<b className="text-warn">!</b> <b>{many(c.doubts, "row waits", "rows wait")}</b> in the tray: written, and not understood as a
							count
						</span>
						<span className="word">Settle {c.doubts === 1 ? "it" : "them"}</span>
					</Link>
				)}
				{c.rounds === 2 && <RoundsDiffer id={id} c={c} />}
				<People id={id} />
				<div className="border-t border-ink">
					{shown.map((s) => (
						<Lane key={s.id} id={id} s={s} />
					))}
				</div>
				{sheets.more && (
					<button type="button" className="act-plain mt-2" onClick={sheets.onMore}>
						Show more sheets
					</button>
				)}
				<Uncounted id={id} c={c} />
			</div>
		</Stage>
	);
}

const past = (time: string | null | undefined) => Boolean(time) && new Date(time as string) < new Date();

/** Who counts: what is in hand, when it is likely to be done, who is late, who is idle. */
function People({ id }: { id: number }) {
	const q = useQuery({
		queryKey: key.lanes(id),
		queryFn: () => ask(api.GET("/api/counts/{count}/lanes", { params: { path: { count: id } } })),
	});
	if (!q.data || q.data.length === 0) return null;
	const ends = q.data.flatMap((l) => (l.likely ? [l.likely] : [])).sort();
	return (
		<details className="mb-3" data-people open={q.data.some((l) => l.late) || q.data.length <= 6}>
			<summary className="cursor-pointer">
				<b>{many(q.data.filter((l) => l.out > 0).length, "person counts", "people count")}</b>
				{ends.length > 0 && (
					<>
						, {past(ends.at(-1)) ? "all should be done since" : "likely to be done"} {when(ends.at(-1))}
					</>
				)}
				{q.data.some((l) => l.late) && <span className="text-warn"> ! {q.data.filter((l) => l.late).length} late</span>}
			</summary>
			<ul className="mt-1 grid grid-cols-[repeat(auto-fill,minmax(22rem,1fr))] gap-x-6">
				{q.data.map((l) => (
					<li key={l.counter} className="flex justify-between gap-2 border-b border-hair py-0.5" data-person={l.counter}>
						<span className={`whitespace-nowrap ${l.out > 0 ? "font-semibold" : "text-dim"}`}>
							{l.late && <span className="text-warn">! </span>}
							{l.counter}
						</span>
						<span className="text-right text-dim">
							{l.out > 0 ? (
								<>
									{many(l.rows, "row", "rows")} left,{" "}
									<span className={past(l.likely) ? "text-warn" : ""}>
										{past(l.likely) ? "! due since" : "likely"} {when(l.likely)}
									</span>
									{l.due && <span className={l.late ? "text-warn" : ""}>, back by {when(l.due, "clock")}</span>}
								</>
							) : (
								`idle since ${when(l.idle)}`
							)}
						</span>
					</li>
				))}
			</ul>
		</details>
	);
}

/** One sheet's lane: how far it is and who has it. */
function Lane({ id, s }: { id: number; s: Schemas["SheetView"] }) {
	const part = s.lines === 0 ? 0 : Math.min(100, (s.counted / s.lines) * 100);
	return (
		<Link
			to={`/counts/${id}/counting/${s.number}`}
			className="grid grid-cols-[2.5rem_5.5rem_7rem_9rem_1fr_6rem_12rem] items-center gap-2 border-b border-hair py-1 hover:bg-sheet"
			data-lane={s.number}
		>
			<span className="code text-right text-dim">{s.number}</span>
			<span className="code">{s.code}</span>
			<span className="truncate">
				{s.round === 2 && <b>2nd </b>}
				{s.zone}
			</span>
			<span className="code truncate">
				{s.first_bin} – {s.last_bin}
			</span>
			<span className="h-2.5 border border-dim" title={`${s.counted} of ${s.lines}`}>
				<span className="block h-full bg-dim" style={{ width: `${part}%` }} />
			</span>
			<span className="code text-right">{s.empty > 0 ? "to fill in" : `${s.counted} of ${s.lines}`}</span>
			<span className="truncate">
				{s.state === "back" ? (
					`✓ ${s.checked_by ? "checked" : "back"} ${when(s.back_at)}`
				) : s.state === "out" ? (
					<b className="font-semibold">{s.counter ? `out with ${s.counter}` : "out"}</b>
				) : (
					<span className="text-dim">with us</span>
				)}
				{s.revisions > 0 && <span className="text-warn"> ! rev {s.revisions + 1}</span>}
			</span>
		</Link>
	);
}

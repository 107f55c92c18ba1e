import { useQuery } from "@tanstack/react-query";
import { useMemo, useRef, useState } from "react";
import { Link, useNavigate, useParams } from "react-router";
import { api, ask, Problem, queries, type Schemas, workKey, zone } from "../api/client";
import { Elevation, type Look, useElevation } from "../elevation/Elevation";
import { Stage, useCount, usePerson } from "../frame/Frame";
import { count, Empty, many, plain, Quantity, Warn, when } from "../frame/figures";
import { DropField } from "../intake/DropField";
import { useCountBins, useSheets } from "../sheets/Sheets";

type Line = Schemas["VarianceLine"];

const legend: [Look["fill"], Look["mark"] | undefined, string][] = [
	["ink", undefined, "counted"],
	["half", undefined, "in part"],
	["hatch", undefined, "uncounted"],
];

/** Counting as it happens: a lane for each sheet, the racks filling up, and a grid to type a sheet into. */
export function Counting() {
	const { sheet } = useParams();
	const { id, data: c } = useCount();
	const sheets = useSheets(id);
	const bins = useCountBins(id);
	const tiles = useElevation(c?.warehouse_id);
	const navigate = useNavigate();
	const [chosen, setChosen] = useState<Set<number>>(new Set());
	const byBin = useMemo(() => new Map(bins.data?.map((b) => [b.bin, b])), [bins.data]);
	const number = Number(sheet) || 0;
	const lit = useMemo(() => new Set(number ? bins.data?.filter((b) => b.sheet === number).map((b) => b.bin) : []), [bins.data, number]);
	if (!c || !sheets.data) return null;
	const look = (t: { id: number }): Look => {
		const b = byBin.get(t.id);
		if (!b) return { fill: "none", words: "not in this count" };
		if (b.counted === 0) return { fill: "hatch", words: `uncounted, ${many(b.lines, "line", "lines")}` };
		return { fill: b.counted < b.lines ? "half" : "ink", words: `${b.counted} of ${many(b.lines, "line", "lines")} counted` };
	};
	const on = new Set([...chosen].map((b) => byBin.get(b)?.sheet));
	const shown = chosen.size === 0 ? sheets.data : sheets.data.filter((s) => on.has(s.number));
	const side = (
		<div className="flex min-h-0 flex-1 flex-col px-3 py-2">
			{tiles.data && (
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
			)}
		</div>
	);
	if (number)
		return (
			<TypeIn
				key={number}
				id={id}
				c={c}
				sheet={sheets.data.find((s) => s.number === number)}
				side={side}
				next={sheets.data.find((s) => s.number > number && s.counted < s.lines)?.number}
			/>
		);
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
				<div className="border-t border-ink">
					{shown.map((s) => (
						<Lane key={s.id} id={id} s={s} />
					))}
				</div>
			</div>
		</Stage>
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
			<span className="truncate">{s.zone}</span>
			<span className="code truncate">
				{s.first_bin} – {s.last_bin}
			</span>
			<span className="h-2.5 border border-dim" title={`${s.counted} of ${s.lines}`}>
				<span className="block h-full bg-dim" style={{ width: `${part}%` }} />
			</span>
			<span className="code text-right">
				{s.counted} of {s.lines}
			</span>
			<span className="truncate">
				{s.state === "back" ? (
					`✓ back ${when(s.back_at)}`
				) : s.state === "out" ? (
					<b className="font-semibold">out with {s.counter}</b>
				) : (
					<span className="text-dim">with us</span>
				)}
				{s.revisions > 0 && <span className="text-warn"> ! rev {s.revisions + 1}</span>}
			</span>
		</Link>
	);
}

/** The grid for typing a sheet's counts: type, Enter, next. Empty stays uncounted; 0 is a count. */
function TypeIn({
	id,
	c,
	sheet,
	side,
	next,
}: {
	id: number;
	c: Schemas["StageLine"];
	sheet?: Schemas["SheetView"];
	side: React.ReactNode;
	next?: number;
}) {
	const person = usePerson();
	const [typed, setTyped] = useState<Record<string, string>>({});
	const [wrong, setWrong] = useState<Record<string, string>>({});
	const [saving, setSaving] = useState(0);
	const [at, setAt] = useState("");
	const [who, setWho] = useState(sheet?.counter || person.name);
	const fields = useRef(new Map<number, HTMLInputElement>());
	const lines = useQuery({
		queryKey: ["count", String(id), "lines", sheet?.number],
		enabled: sheet !== undefined,
		queryFn: () =>
			ask(api.GET("/api/counts/{count}/lines", { params: { path: { count: id }, query: { sheet: sheet?.number, limit: 1000 } } })),
	});
	if (!sheet) return <Empty title="There is no such sheet" />;
	const rows = lines.data?.lines ?? [];
	const open = c.state === "running" && (person.role === "controller" || person.role === "counter");

	const save = async (line: Line) => {
		const text = typed[line.row_code]?.trim();
		if (text === undefined || text === "" || text === line.counted) return;
		setSaving((n) => n + 1);
		try {
			await ask(
				api.POST("/api/counts/{count}/entries", {
					params: { path: { count: id } },
					body: {
						key: workKey(),
						zone: zone(),
						entries: [
							{ row_code: line.row_code, quantity: text, counted_at: at ? at.replace("T", " ") : undefined, counter: who || undefined },
						],
					},
				}),
			);
			setWrong(({ [line.row_code]: _, ...rest }) => rest);
			await queries.invalidateQueries({ queryKey: ["count", String(id)] });
			setTyped(({ [line.row_code]: _, ...rest }) => rest);
		} catch (e) {
			setWrong((w) => ({ ...w, [line.row_code]: `${line.bin} · ${line.sku}: ${e instanceof Problem ? e.message : String(e)}` }));
		}
		setSaving((n) => n - 1);
	};
	const go = (i: number) => {
		const f = fields.current.get(Math.max(0, Math.min(rows.length - 1, i)));
		f?.focus();
		f?.select();
	};
	const left = rows.filter((r) => r.counted == null).length;
	return (
		<Stage
			side={side}
			foot={
				<>
					<Link className="act-plain" to={`/counts/${id}/counting`}>
						All sheets
					</Link>
					<span>
						<b>{rows.length - left}</b> of <b>{rows.length}</b> rows counted
					</span>
					<span className="text-dim" role="status">
						{saving > 0 ? "Saving…" : Object.keys(wrong).length > 0 ? "" : "Everything typed is saved."}
					</span>
					{Object.values(wrong)[0] && <Warn>{Object.values(wrong)[0]}</Warn>}
					{next && (
						<Link className="act-plain ml-auto" to={`/counts/${id}/counting/${next}`}>
							Next sheet with rows to count: {next}
						</Link>
					)}
				</>
			}
			keys={[
				["0–9 Enter", "count, and on to the next row"],
				["Enter", "leaves an empty row uncounted"],
				["↑ ↓", "row"],
				["Esc", "what stood there before"],
			]}
		>
			<div className="flex items-center gap-5 border-b border-hair px-4 py-1.5">
				<h1>
					Sheet {sheet.number} <span className="code text-[15px]">{sheet.code}</span>
				</h1>
				<span className="text-dim">
					{sheet.zone}, <span className="code">{`${sheet.first_bin} – ${sheet.last_bin}`}</span>
				</span>
				<label className="ml-auto flex items-center gap-1.5">
					<span className="text-dim">counted at</span>
					<input
						type="datetime-local"
						value={at}
						onChange={(e) => setAt(e.target.value)}
						aria-label="Counted at; left empty, it is the moment of typing"
						title="Left empty, it is the moment of typing"
					/>
				</label>
				<label className="flex items-center gap-1.5">
					<span className="text-dim">by</span>
					<input className="w-32" value={who} onChange={(e) => setWho(e.target.value)} />
				</label>
			</div>
			<div className="min-h-0 flex-1 overflow-y-auto" data-grid>
				<table className="w-full">
					<thead className="sticky top-0 bg-paper text-[12px] text-dim">
						<tr className="border-b border-ink text-left">
							<th className="px-3 py-1 font-normal">Row code</th>
							<th className="px-2 font-normal">Bin</th>
							<th className="px-2 font-normal">SKU</th>
							<th className="px-2 font-normal">Item</th>
							<th className="px-2 font-normal">Lot, serial</th>
							{!c.blind && <th className="px-2 text-right font-normal">Recorded</th>}
							<th className="w-32 px-2 text-right font-normal">Counted</th>
							<th className="w-10 font-normal" />
							<th className="w-48 px-2 font-normal">When, by whom</th>
						</tr>
					</thead>
					<tbody>
						{rows.map((r, i) => (
							<tr key={r.pos} className={`border-b border-hair ${r.bin !== rows[i - 1]?.bin && i > 0 ? "border-t border-t-rule" : ""}`}>
								<td className="code px-3 text-dim">{r.row_code || "by hand"}</td>
								<td className="code px-2 font-semibold">{r.bin === rows[i - 1]?.bin ? "" : r.bin}</td>
								<td className="code px-2">{r.sku}</td>
								<td className="max-w-52 truncate px-2">{r.description}</td>
								<td className="code px-2">{r.lot || r.serial}</td>
								{!c.blind && (
									<td className="px-2 text-right">
										<Quantity of={r.recorded} />
									</td>
								)}
								<td
									className={`p-0 ${wrong[r.row_code] ? "bg-warn-wash" : r.counted == null && typed[r.row_code] === undefined ? "bg-[repeating-linear-gradient(45deg,transparent_0_4px,var(--hair)_4px_6px)]" : ""}`}
								>
									{r.row_code ? (
										<input
											ref={(f) => {
												if (f) fields.current.set(i, f);
												else fields.current.delete(i);
											}}
											className="code w-full border-x border-y-0 border-dim bg-transparent text-right"
											inputMode="decimal"
											disabled={!open}
											aria-label={`Counted, ${r.bin}, ${r.sku}${r.counted == null ? ", uncounted" : ""}`}
											data-row={r.row_code}
											value={typed[r.row_code] ?? r.counted ?? ""}
											onFocus={(e) => e.target.select()}
											onChange={(e) => setTyped({ ...typed, [r.row_code]: e.target.value })}
											onBlur={() => save(r)}
											onKeyDown={(e) => {
												const step = e.key === "Enter" || e.key === "ArrowDown" ? 1 : e.key === "ArrowUp" ? -1 : 0;
												if (step) {
													e.preventDefault();
													if (i === rows.length - 1 && step === 1) e.currentTarget.blur();
													else go(i + step);
												} else if (e.key === "Escape") {
													setTyped(({ [r.row_code]: _, ...rest }) => rest);
													setWrong(({ [r.row_code]: _, ...rest }) => rest);
												}
											}}
										/>
									) : (
										<span className="code block px-2 text-right">{plain(r.counted)}</span>
									)}
								</td>
								<td className="px-1 text-dim">{r.unit}</td>
								<td className="truncate px-2 text-dim">{r.counted == null ? "uncounted" : `${when(r.counted_at)} ${r.counter}`}</td>
							</tr>
						))}
					</tbody>
				</table>
			</div>
		</Stage>
	);
}

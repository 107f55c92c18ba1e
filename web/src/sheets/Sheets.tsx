import { useQuery } from "@tanstack/react-query";
import { useMemo, useState } from "react";
import { useNavigate } from "react-router";
import { api, ask, type Schemas } from "../api/client";
import { key } from "../api/keys";
import { Elevation, type Look, useAt, useElevation } from "../elevation/Elevation";
import { Stage, useCount, usePerson } from "../frame/Frame";
import { count, Empty, Failed, many, when } from "../frame/figures";
import { useHand } from "../lines/hand";
import { type Column, Lines } from "../lines/Lines";
import { usePages } from "../lines/paging";
import { SheetsInHand, useBorder } from "./InHand";
import { PlannedFor, useCrew } from "./Planned";

type Sheet = Schemas["SheetView"];

/** The sheets of a count, page by page. */
export function useSheets(id: number) {
	return usePages<Sheet>(key.sheets(id), true, async (after) => {
		const page = await ask(api.GET("/api/counts/{count}/sheets", { params: { path: { count: id }, query: { after, limit: 500 } } }));
		return { lines: page.sheets, next: page.next };
	});
}
export function useCountBins(id: number) {
	const [at] = useAt();
	return useQuery({
		queryKey: key.bins(id, at),
		placeholderData: (before) => before,
		queryFn: () => ask(api.GET("/api/counts/{count}/bins", { params: { path: { count: id }, query: { at } } })),
	});
}

const numbers = (sheets: Sheet[]) => sheets.map((s) => `&number=${s.number}`).join("");

/** The sheets of a count: who has each and where it stands; downloads one by one or all together. */
export function Sheets() {
	const person = usePerson();
	const navigate = useNavigate();
	const { id, data: c } = useCount();
	const sheets = useSheets(id);
	const bins = useCountBins(id);
	const tiles = useElevation(c?.warehouse_id);
	const hand = useHand();
	const { chosen, marked } = hand;
	const [paper, setPaper] = useState("A4");
	const byBin = useMemo(() => new Map(bins.data?.map((b) => [b.bin, b])), [bins.data]);
	const rows = useMemo(() => {
		if (chosen.size === 0) return sheets.rows;
		const on = new Set([...chosen].map((b) => byBin.get(b)?.sheet));
		return sheets.rows.filter((s) => on.has(s.number));
	}, [sheets.rows, chosen, byBin]);
	const { at, row: now, wanted, gone, onActive } = hand.of(rows, (s) => s.number, sheets.settled);
	const mayCut = c?.state === "running" && person.role === "controller";
	const again = useQuery({
		queryKey: key.recount(id, now?.number ?? 0),
		enabled: now !== undefined && now.recount > 0,
		queryFn: () =>
			ask(api.GET("/api/counts/{count}/lines", { params: { path: { count: id }, query: { sheet: now?.number, limit: 500 } } })),
	});
	const onRecount = useMemo(() => new Set(now && now.recount > 0 ? again.data?.lines.map((l) => l.bin_id) : []), [now, again.data]);
	const crew = useCrew(id, mayCut);
	const border = useBorder(id, wanted, mayCut);
	if (sheets.error) return <Failed what="The sheets" error={sheets.error} />;
	if (!c) return null;
	const look = (t: { id: number }): Look => {
		const b = byBin.get(t.id);
		if (!b) return { fill: "none", words: "not in this count" };
		return { fill: b.sheet === now?.number ? "ink" : b.sheet % 2 ? "tone" : "half", words: b.sheet ? `sheet ${b.sheet}` : "on no sheet" };
	};
	const columns: Column<Sheet>[] = [
		{
			key: "n",
			title: "Sheet",
			width: "56px",
			right: true,
			cell: (s) => <span className="code">{s.number}</span>,
			text: (s) => String(s.number),
		},
		{ key: "code", title: "Code", width: "84px", cell: (s) => <span className="code">{s.code}</span>, text: (s) => s.code },
		{
			key: "zone",
			room: 680,
			title: "Zone",
			width: "minmax(92px,0.6fr)",
			cell: (s) => (
				<>
					{s.round === 2 && <b>2nd </b>}
					{s.recount > 0 && (
						<b title={s.why ? `by who counted first: ${s.why}` : "by somebody else than first"}>
							{s.why && <span className="text-warn">! </span>}again{s.recount > 1 && ` ${s.recount}`}{" "}
						</b>
					)}
					{s.zone}
				</>
			),
			text: (s) => s.zone,
		},
		{
			key: "bins",
			room: 600,
			title: "Bins",
			width: "minmax(156px,1fr)",
			cell: (s) => (
				<span className="code">
					{s.first_bin} – {s.last_bin}
				</span>
			),
			text: (s) => `${s.first_bin} – ${s.last_bin}`,
		},
		{
			key: "rows",
			title: "Counted",
			width: "88px",
			right: true,
			cell: (s) => <span className="code">{s.empty > 0 ? "to fill in" : `${s.counted} of ${s.lines}`}</span>,
			text: (s) => (s.empty > 0 ? "to fill in" : `${s.counted}/${s.lines}`),
		},
		{
			key: "state",
			title: "Where it is",
			width: "164px",
			cell: (s) => (
				<span className={s.state === "back" ? "" : s.state === "out" ? "font-semibold" : "text-dim"}>
					{s.state === "back" ? "✓ back" : s.state}
					{s.state === "out" && (
						<span className={`font-normal ${s.due && s.likely && s.likely > s.due ? "text-warn" : "text-dim"}`}>
							{" "}
							{s.due && s.likely && s.likely > s.due ? "! " : ""}
							{s.due ? `back by ${when(s.due)}` : `since ${when(s.out_at)}`}
						</span>
					)}
					{s.revisions > 0 && <span className="text-warn"> ! rev {s.revisions + 1}</span>}
				</span>
			),
			text: (s) => s.state,
		},
		{ key: "who", room: 490, title: "With", width: "96px", cell: (s) => s.counter, text: (s) => s.counter },
		{
			key: "get",
			room: 868,
			title: "Download",
			width: "132px",
			cell: (s) => (
				<span className="flex gap-2.5">
					<a className="word" href={`/api/counts/${id}/sheets.pdf?number=${s.number}&paper=${paper}`}>
						paper
					</a>
					<a className="word" href={`/api/counts/${id}/sheets/${s.number}/csv`}>
						text
					</a>
					<a className="word" href={`/api/counts/${id}/sheets/${s.number}/xlsx`}>
						book
					</a>
				</span>
			),
			text: () => "",
		},
	];
	return (
		<Stage
			side={
				<>
					<div className="flex min-h-0 flex-1 flex-col px-3 py-2">
						{tiles.data && (
							<Elevation
								tiles={tiles.data}
								look={look}
								chosen={chosen}
								onChoose={hand.choose}
								lit={now && now.recount > 0 ? onRecount : border.behind}
								border={border.on}
								legend={[
									["ink", undefined, "the sheet in hand"],
									["tone", undefined, "sheets in turn"],
									["half", undefined, "and the next"],
								]}
							/>
						)}
					</div>
					{mayCut && crew.data && crew.data.planned.length > 0 && <PlannedFor id={id} planned={crew.data.planned} />}
					{mayCut && wanted.length > 0 && (
						<SheetsInHand
							key={wanted.map((s) => s.number).join()}
							id={id}
							sheets={wanted}
							names={crew.data?.names ?? []}
							border={border}
							onDone={() => {
								hand.act(wanted.map((s) => s.number));
								hand.unmark();
							}}
						/>
					)}
				</>
			}
			foot={
				<span className="ml-auto flex flex-wrap items-center gap-x-3 gap-y-1">
					<span className="text-dim" title={c.blind ? "They do not show what is recorded." : "They show what is recorded."}>
						{c.blind ? "Blind" : "Open"} ·
					</span>
					<span className="text-dim">all {count(c.sheets)} as</span>
					<a className="word" href={`/api/counts/${id}/sheets.zip?form=csv`}>
						text
					</a>
					<a className="word" href={`/api/counts/${id}/sheets.zip?form=xlsx`}>
						workbooks
					</a>
					<label className="flex items-center gap-1.5">
						<span className="text-dim">on</span>
						<select value={paper} onChange={(e) => setPaper(e.target.value)} aria-label="Paper">
							<option value="A4">A4</option>
							<option value="Letter">Letter</option>
						</select>
					</label>
					<a className="act" href={`/api/counts/${id}/sheets.pdf?paper=${paper}${marked.size > 0 ? numbers(wanted) : ""}`}>
						Print {marked.size > 0 ? many(wanted.length, "sheet", "sheets") : `all ${count(c.sheets)} sheets`}
					</a>
				</span>
			}
			keys={[
				["↑ ↓", "sheet"],
				["X", "mark"],
				["Enter", "type its counts"],
				["E", "elevation"],
				...(border.on ? [["Shift ← →", "border on the racks"] as [string, string]] : []),
				["?", "all keys"],
			]}
		>
			<Lines
				label="Sheets"
				columns={columns}
				rows={rows}
				rowKey={(s) => s.number}
				active={at}
				onActive={onActive}
				idle={gone !== undefined}
				marked={marked}
				onMark={hand.setMarked}
				more={sheets.more}
				onMore={sheets.onMore}
				onOpen={(s) => navigate(`/counts/${id}/counting/${s.number}`)}
				empty={<Empty title="No sheet has these bins">Let go of the bins on the racks.</Empty>}
			/>
		</Stage>
	);
}

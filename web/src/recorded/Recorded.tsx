import { useMutation, useQuery } from "@tanstack/react-query";
import { useMemo, useState } from "react";
import { Link, useNavigate, useParams, useSearchParams } from "react-router";
import { api, ask, queries, type Schemas, workKey } from "../api/client";
import { key } from "../api/keys";
import { Elevation, type Look, useAt, useElevation } from "../elevation/Elevation";
import { Choice, FilterField, Stage, useCount, usePerson } from "../frame/Frame";
import { age, apart, BeingRead, count, Empty, itemPath, many, mostPlaces, plain, Quantity, Warn, when } from "../frame/figures";
import { DropField } from "../intake/DropField";
import { useHand } from "../lines/hand";
import { type Column, Lines } from "../lines/Lines";
import { usePages } from "../lines/paging";

type Line = Schemas["RecordedLine"];

export function useWarehouses() {
	return useQuery({ queryKey: key.houses, queryFn: () => ask(api.GET("/api/warehouses")) });
}

/** Recorded stock outside of a count: any warehouse. */
export function Recorded() {
	const { house } = useParams();
	const [search] = useSearchParams();
	const houses = useWarehouses();
	if (!houses.data) return <BeingRead what="Recorded stock" of={[houses]} />;
	const text = search.get("text") ?? "";
	const id = Number(house) || houses.data[0]?.id;
	if (!id) {
		return (
			<Empty title="Nothing is recorded yet">
				<p>Drop a stock export of your record system.</p>
				<div className="mt-6">
					<DropField />
				</div>
			</Empty>
		);
	}
	return <RecordedStock key={`${id} ${text}`} house={id} houses={houses.data} text={text} />;
}

/** Recorded stock of a count's warehouse. */
export function RecordedOfCount() {
	const { data } = useCount();
	const houses = useWarehouses();
	if (!data || !houses.data) return <BeingRead what="Recorded stock" of={[houses]} />;
	return <RecordedStock house={data.warehouse_id} houses={houses.data.filter((h) => h.id === data.warehouse_id)} />;
}

function RecordedStock({ house, houses, text: begin = "" }: { house: number; houses: Schemas["WarehouseView"][]; text?: string }) {
	const navigate = useNavigate();
	const [by, setBy] = useState<"bin" | "item">("bin");
	const hand = useHand(begin);
	const { text, chosen, marked } = hand;
	const tiles = useElevation(house);
	const [at] = useAt();
	const bins = useQuery({
		queryKey: key.houseBins(house, at),
		placeholderData: (before) => before,
		queryFn: () => ask(api.GET("/api/warehouses/{house}/bins", { params: { path: { house }, query: { at } } })),
	});
	const list = [...chosen];
	const person = usePerson();
	const pages = usePages<Line, Schemas["RecordedPage"]>(["stock", "lines", house, by, text, list.join()], true, (after) =>
		ask(api.GET("/api/warehouses/{house}/recorded", { params: { path: { house }, query: { by, text, after, bins: list, limit: 300 } } })),
	);
	const w = houses.find((h) => h.id === house);
	const lines = useMemo(() => new Map(bins.data?.map((b) => [b.bin, b.lines])), [bins.data]);
	const look = (t: { id: number }): Look => {
		const n = lines.get(t.id) ?? 0;
		return { fill: n === 0 ? "none" : n > 4 ? "ink" : "tone", words: n === 0 ? "nothing recorded" : many(n, "line", "lines") };
	};
	const { at: now, row, gone, onActive } = hand.of(pages.rows, (r) => r.pos, pages.settled);
	// What a unit costs is corrected by itself, of the line in hand, or of all that are marked with it.
	const recost = async (r: Line, value: string) => {
		const of = marked.has(r.pos) ? pages.rows.filter((x) => marked.has(x.pos)) : [r];
		await ask(
			api.POST("/api/warehouses/{house}/costs", {
				params: { path: { house } },
				body: { key: workKey(), set: pages.first?.set ?? 0, lines: of.map((x) => ({ pos: x.pos, cost: value === "" ? null : value })) },
			}),
		);
		await queries.invalidateQueries({ queryKey: ["stock"] });
	};
	const costs = mostPlaces(pages.rows.map((r) => r.cost));
	const lit = useMemo(() => new Set(row ? (by === "bin" ? [row.bin_id] : row.bin_ids) : []), [row, by]);
	const pad = mostPlaces(pages.rows.flatMap((r) => [r.on_hand, r.reserved, r.available]));
	const columns: Column<Line>[] = [
		...(by === "bin"
			? [{ key: "bin", title: "Bin", width: "92px", cell: (r: Line) => <span className="code">{r.bin}</span>, text: (r: Line) => r.bin }]
			: []),
		{
			key: "sku",
			title: "SKU",
			width: "100px",
			cell: (r) => (
				<Link className="code hover:underline" to={itemPath(r.sku)} tabIndex={-1}>
					{r.sku}
				</Link>
			),
			text: (r) => r.sku,
		},
		{ key: "item", title: "Item", width: "minmax(150px,1fr)", cell: (r) => r.description, text: (r) => r.description },
		...(by === "bin"
			? [
					{
						key: "lot",
						room: 480,
						title: "Lot, serial",
						width: "104px",
						cell: (r: Line) => <span className="code">{apart(r)}</span>,
						text: (r: Line) => apart(r),
					},
				]
			: [
					{
						key: "bins",
						title: "Lines",
						width: "60px",
						right: true,
						cell: (r: Line) => <span className="code">{r.bins}</span>,
						text: (r: Line) => String(r.bins),
					},
				]),
		{
			key: "hand",
			title: "On hand",
			width: "88px",
			right: true,
			cell: (r) => <Quantity of={r.on_hand} pad={pad} />,
			text: (r) => r.on_hand,
		},
		{
			key: "res",
			room: 720,
			title: "Reserved",
			width: "80px",
			right: true,
			cell: (r) => (r.reserved == null ? <span className="text-dim">not known</span> : <Quantity of={r.reserved} pad={pad} />),
			text: (r) => r.reserved ?? "",
		},
		{
			key: "av",
			room: 640,
			title: "Available",
			width: "88px",
			right: true,
			cell: (r) => <Quantity of={r.available} pad={pad} />,
			text: (r) => r.available ?? "",
		},
		{ key: "unit", title: "", width: "36px", cell: (r) => <span className="text-dim">{r.unit}</span>, text: (r) => r.unit },
		...(by === "bin"
			? [
					{
						key: "holding",
						title: "Holding",
						width: "80px",
						off: true,
						cell: (r: Line) => r.holding,
						text: (r: Line) => r.holding,
					},
					{
						key: "zone",
						title: "Zone",
						width: "100px",
						off: true,
						cell: (r: Line) => r.zone,
						text: (r: Line) => r.zone,
					},
					{
						key: "record",
						title: "Record id",
						width: "90px",
						off: true,
						cell: (r: Line) => <span className="code">{r.record_id}</span>,
						text: (r: Line) => r.record_id,
					},
					{
						key: "cost",
						room: 800,
						title: "Unit cost",
						width: "84px",
						right: true,
						off: true,
						cell: (r: Line) =>
							r.cost == null ? (
								<span className="text-dim">not known</span>
							) : (
								<span title={r.cost_of === "item" ? "The item's: the line brought none." : undefined}>
									{r.cost_of === "item" && <span className="pr-1 text-dim">item's</span>}
									<Quantity of={r.cost} pad={costs} />
								</span>
							),
						text: (r: Line) => r.cost ?? "",
						edit: (r: Line) => r.cost ?? "",
					},
				]
			: []),
		{
			key: "value",
			title: "Value",
			width: "96px",
			right: true,
			cell: (r) => (r.value == null ? <span className="text-dim">no cost</span> : <span className="code">{plain(r.value)}</span>),
			text: (r) => r.value ?? "",
		},
	];
	return (
		<Stage
			side={
				<div className="flex min-h-0 flex-1 flex-col">
					<div className="flex min-h-0 flex-[3] flex-col px-3 pt-2">
						{tiles.data && (
							<Elevation
								tiles={tiles.data}
								look={look}
								chosen={chosen}
								onChoose={hand.choose}
								lit={lit}
								legend={[
									["none", undefined, "nothing recorded"],
									["tone", undefined, "1 to 4 lines"],
									["ink", undefined, "5 or more"],
								]}
							/>
						)}
					</div>
					<Intakes />
				</div>
			}
			foot={
				<>
					<span>
						<b>{count(w?.lines ?? 0)}</b> lines worth <b className="code">{plain(w?.value)}</b>
						{w && w.unvalued > 0 && <span className="text-dim"> · {count(w.unvalued)} without a cost are not in it</span>}
					</span>
					{w?.recorded_at && (
						<span className="text-dim">
							as at {when(w.recorded_at, "long")}, {age(w.recorded_at)}
						</span>
					)}
					<Link to={`/plan?warehouse=${house}`} className="act ml-auto">
						Plan a count here
					</Link>
				</>
			}
			keys={[
				["/", "filter"],
				["E", "elevation"],
				["X", "mark"],
				["Ctrl C", "copy"],
				["?", "all keys"],
			]}
		>
			<div className="flex flex-wrap items-center gap-x-5 gap-y-1 border-b border-hair px-2 py-1.5">
				{houses.length > 1 ? (
					<Choice
						label="Warehouse"
						value={String(house)}
						of={houses.map((h) => [String(h.id), h.code])}
						onChange={(v) => navigate(`/stock/${v}`)}
					/>
				) : (
					<b className="code px-1">{w?.code}</b>
				)}
				<span className="h-4 border-l border-rule" />
				<Choice
					label="Order"
					value={by}
					of={[
						["bin", "by bin"],
						["item", "by item"],
					]}
					onChange={(v) => {
						setBy(v);
						hand.anew();
					}}
				/>
				<span className="ml-auto">
					<FilterField value={text} onChange={hand.filter} />
				</span>
			</div>
			{pages.error && <Warn>{pages.error.message}</Warn>}
			<Lines
				label="Recorded stock"
				columns={columns}
				rows={pages.rows}
				rowKey={(r) => r.pos}
				active={now}
				onActive={onActive}
				idle={gone !== undefined}
				marked={marked}
				onMark={hand.setMarked}
				more={pages.more}
				onMore={pages.onMore}
				out={{ list: by === "bin" ? "stock" : "stock-by-item", query: { warehouse: house, text, bins: list } }}
				onEdit={by === "bin" && person.role === "controller" ? (r, _, value) => recost(r, value) : undefined}
				empty={!pages.loading && <Empty title="No line fits">Take the filter out, or let go of the bins.</Empty>}
			/>
		</Stage>
	);
}

/** The intakes on a time line, newest first, each with its undo. */
function Intakes() {
	const person = usePerson();
	const q = useQuery({ queryKey: key.intakes, queryFn: () => ask(api.GET("/api/intakes")) });
	const [asking, setAsking] = useState(0);
	const undo = useMutation({
		mutationFn: (intake: number) => ask(api.POST("/api/intakes/{intake}/undo", { params: { path: { intake }, query: { sure: true } } })),
		onSuccess: () => setAsking(0),
	});
	return (
		<section className="mt-2 min-h-0 flex-[2] overflow-y-auto border-t border-rule px-3 py-2" aria-label="Intakes">
			<h2>Intakes</h2>
			{undo.error && <Warn>{undo.error.message}</Warn>}
			<ol className="mt-1 border-l border-ink">
				{q.data?.map((i) => (
					<li key={i.id} className="relative mb-2 pl-3">
						<span className={`absolute top-1.5 -left-[4px] size-[7px] border border-ink ${i.state === "undone" ? "bg-paper" : "bg-ink"}`} />
						<div className="flex items-baseline justify-between gap-2">
							{i.hidden ? (
								<span className={`truncate ${i.state === "undone" ? "line-through" : ""}`}>{i.file}</span>
							) : (
								<a
									className={`truncate ${i.state === "undone" ? "line-through" : "word"}`}
									href={`/api/files/${i.sha}?name=${encodeURIComponent(i.file)}`}
									title="Download the file as it was"
								>
									{i.file}
								</a>
							)}
							{i.state === "taken in" && person.role === "controller" && asking !== i.id && (
								<button type="button" className="word shrink-0 text-dim" title={i.blocked} onClick={() => setAsking(i.id)}>
									{i.blocked ? "why it stays" : "Undo"}
								</button>
							)}
						</div>
						<div className="text-[12px] text-dim">
							{when(i.at)} · {i.person} · {i.kind}
							{!i.hidden && `: ${count(i.added)} new, ${count(i.changed)} changed`}
							{i.gone > 0 && `, ${count(i.gone)} gone`}
							{i.refused > 0 && `, ${count(i.refused)} left out`}
						</div>
						{i.state === "undone" && (
							<div className="text-[12px] text-dim">
								undone by {i.undone_by}, {when(i.undone_at)}
							</div>
						)}
						{asking === i.id && (
							<div className="mt-1 border-l-4 border-warn bg-warn-wash px-2 py-1">
								<p>{i.blocked || `Undoing ${i.undoing}.`}</p>
								{i.warning && (
									<p className="text-warn" data-warning>
										! {i.warning}
									</p>
								)}
								<div className="mt-1 flex gap-2">
									{!i.blocked && (
										<button type="button" className="act" disabled={undo.isPending} onClick={() => undo.mutate(i.id)}>
											{i.warning ? "Undo it all the same" : "Undo this intake"}
										</button>
									)}
									<button type="button" className="act-plain" onClick={() => setAsking(0)}>
										Leave it
									</button>
								</div>
							</div>
						)}
					</li>
				))}
			</ol>
			{q.data?.length === 0 && <p className="text-dim">No file was taken in yet.</p>}
		</section>
	);
}

import { useQuery } from "@tanstack/react-query";
import { type ReactNode, useState } from "react";
import { Link, useNavigate, useParams } from "react-router";
import { api, ask, queries, type Schemas, workKey } from "../api/client";
import { key } from "../api/keys";
import { Choice, FilterField, Stage, usePerson } from "../frame/Frame";
import { apart, count, Empty, itemPath, many, mostPlaces, Quantity, Warn, when } from "../frame/figures";
import { dropFiles } from "../intake/drops";
import { useHand } from "../lines/hand";
import { type Column, Lines } from "../lines/Lines";
import { usePages } from "../lines/paging";
import { useWarehouses } from "../recorded/Recorded";
import { OwnReason } from "../variances/Reasons";

type Item = Schemas["ItemLine"];
type Place = Schemas["PlaceLine"];
type Movement = Schemas["MovementLine"];
type Reason = Schemas["ReasonView"];

/** What is looked up often and changed seldom: items, places, movements, reasons. */
export function Reference() {
	const { list } = useParams();
	switch (list) {
		case "places":
			return <Places />;
		case "movements":
			return <Movements />;
		case "reasons":
			return <Reasons />;
	}
	return <Items />;
}

/** Which of these lists is in sight. */
function Which({ at }: { at: string }) {
	const navigate = useNavigate();
	return (
		<>
			<Choice
				label="List"
				value={at}
				of={[
					["items", "items"],
					["places", "places"],
					["movements", "movements"],
					["reasons", "reasons"],
				]}
				onChange={(v) => navigate(`/reference/${v}`)}
			/>
			<Link className="word text-dim" to="/layouts">
				layouts
			</Link>
		</>
	);
}

/** A list that comes in pages, with what narrows it above it and what is said of the line in hand below. */
function Listing<R extends { id: number }>({
	at,
	label,
	noun,
	query,
	page,
	columns,
	narrowing,
	foot,
	keys = lineKeys,
	...lines
}: {
	at: string;
	label: string;
	noun: [string, string];
	query: Record<string, string | number | undefined>; // what narrows it, beside the text
	page: (narrowed: { text: string; after: string; limit: number }) => Promise<{ lines: R[]; next: string }>;
	columns: (rows: R[]) => Column<R>[];
	narrowing: (anew: () => void) => ReactNode;
	foot?: (row: R) => ReactNode;
	keys?: [string, string][];
} & Pick<Parameters<typeof Lines<R>>[0], "onOpen" | "onEdit" | "onPaste" | "empty">) {
	const hand = useHand();
	const { text } = hand;
	const pages = usePages<R>(["stock", at, text, JSON.stringify(query)], true, (after) => page({ text, after, limit: 300 }));
	const { at: active, row, gone, onActive } = hand.of(pages.rows, (r) => r.id, pages.settled);
	return (
		<Stage
			foot={
				<>
					<span>
						{many(pages.rows.length, ...noun)}
						{pages.more && " and more"}
					</span>
					{row && foot?.(row)}
				</>
			}
			keys={keys}
		>
			<div className={bar}>
				<Which at={at} />
				{narrowing(hand.anew)}
				<span className="ml-auto">
					<FilterField value={text} onChange={hand.filter} />
				</span>
			</div>
			{pages.error && <Warn>{pages.error.message}</Warn>}
			<Lines
				{...lines}
				label={label}
				columns={columns(pages.rows)}
				rows={pages.rows}
				rowKey={(r) => r.id}
				active={active}
				onActive={onActive}
				idle={gone !== undefined}
				marked={hand.marked}
				onMark={hand.setMarked}
				more={pages.more}
				onMore={pages.onMore}
				out={{ list: at, query: { text, ...query } }}
				empty={!pages.loading && lines.empty}
			/>
		</Stage>
	);
}

const bar = "flex flex-wrap items-center gap-x-5 gap-y-1 border-b border-hair px-2 py-1.5";

/** A column of codes. */
const codes = <R,>(k: string, title: string, width: string, of: (r: R) => string): Column<R> => ({
	key: k,
	title,
	width,
	cell: (r) => <span className="code">{of(r)}</span>,
	text: of,
});

/** The column of SKUs, each of which leads to all that is known of its item. */
const skus = <R extends { sku: string }>(): Column<R> => ({
	...codes<R>("sku", "SKU", "100px", (r) => r.sku),
	cell: (r) => (
		<Link className="code hover:underline" to={itemPath(r.sku)} tabIndex={-1}>
			{r.sku}
		</Link>
	),
});

const lineKeys: [string, string][] = [
	["/", "filter"],
	["F2", "change a cell"],
	["Ctrl C", "copy"],
	["Ctrl V", "change many by pasting"],
	["?", "all keys"],
];

/**
 * Cells that were pasted go the way of every file: they are looked at, and taken in by a person. With a header they are a file by themselves;
 * a block without one is for the lines and columns from those in hand on, whose key and headers are put to it.
 */
function usePaste<R>(what: string, titles: string[], keyOf: (r: R) => string[]) {
	const navigate = useNavigate();
	const person = usePerson();
	if (person.role !== "controller") return undefined;
	return (text: string, rows: R[], columns: Column<R>[]) => {
		const cells = text
			.replace(/\r/g, "")
			.replace(/\n$/, "")
			.split("\n")
			.map((line) => line.split("\t"));
		const has = new Set(cells[0]?.map((c) => c.trim().toLowerCase()));
		const width = Math.max(...cells.map((c) => c.length));
		const block = !titles.some((t) => has.has(t.toLowerCase()));
		// What goes beyond the lines has no key, and is refused by that; what goes beyond the columns has no header, and is asked about.
		const table = block
			? [
					[...titles, ...Array.from({ length: width }, (_, i) => columns[i]?.header ?? columns[i]?.title ?? "")],
					...cells.map((c, i) => [...(rows[i] ? keyOf(rows[i] as R) : titles.map(() => "")), ...c]),
				]
			: cells;
		const wide = Math.max(...table.map((r) => r.length));
		const ours = has.has("wobin list"); // else a last column says that it is of one of our lists
		for (const [i, r] of table.entries()) {
			while (r.length < wide) r.push("");
			if (!ours) r.push(i === 0 ? "Wobin list" : `pasted ${what}`);
		}
		dropFiles([new File([table.map((r) => r.join("\t")).join("\n")], `pasted ${what}.txt`, { type: "text/plain" })]);
		navigate("/intake");
	};
}

/** Changes one cell of a row, as an intake that can be undone. */
async function change(kind: Schemas["EditRequest"]["kind"], fields: string[], cells: string[], saw: string) {
	await ask(api.POST("/api/reference/edit", { body: { key: workKey(), kind, fields, rows: [cells], saw } }));
	await queries.invalidateQueries({ queryKey: ["stock"] });
}

function Items() {
	const person = usePerson();
	const navigate = useNavigate();
	const [category, setCategory] = useState("");
	const [klass, setClass] = useState("");
	const categories = useQuery({ queryKey: key.categories, queryFn: () => ask(api.GET("/api/categories")) });
	const classes = useQuery({ queryKey: key.classes, queryFn: () => ask(api.GET("/api/classes")) });
	const narrowed = { category, class: klass };
	const word = (k: string, title: string, width: string, of: (r: Item) => string, more: Partial<Column<Item>> = {}): Column<Item> => ({
		key: k,
		title,
		width,
		cell: (r) => of(r),
		text: of,
		edit: of,
		...more,
	});
	const code = (k: string, title: string, width: string, of: (r: Item) => string, more: Partial<Column<Item>> = {}): Column<Item> => ({
		...codes(k, title, width, of),
		edit: of,
		...more,
	});
	const columns = (rows: Item[]): Column<Item>[] => {
		const pad = mostPlaces(rows.map((r) => r.cost));
		const packs = (r: Item) => r.packs.map((p) => `${p.unit} of ${p.holds}`).join(", ");
		const attributes = [...new Set(rows.flatMap((r) => Object.keys(r.attributes)))].sort();
		return [
			skus<Item>(),
			word("item", "Item", "minmax(180px,1fr)", (r) => r.description, { header: "Description" }),
			word("unit", "Unit", "52px", (r) => r.unit),
			word("cost", "Unit cost", "88px", (r) => r.cost ?? "", {
				right: true,
				cell: (r) => (r.cost == null ? <span className="text-dim">not known</span> : <Quantity of={r.cost} pad={pad} />),
			}),
			word("category", "Category", "minmax(90px,.4fr)", (r) => r.category),
			word("class", "Class", "56px", (r) => r.class),
			code("barcodes", "Barcode", "128px", (r) => r.barcodes.join(" ")),
			{ key: "packs", title: "Packs", width: "88px", cell: packs, text: packs },
			word("nature", "It is", "72px", (r) => r.nature, { off: true, header: "Stocked" }),
			word("active", "Active", "80px", (r) => (r.active ? "yes" : "no"), {
				cell: (r) => (r.active ? <span className="text-dim">yes</span> : <b className="text-warn">! no</b>),
			}),
			word("tracking", "Kept by", "64px", (r) => r.tracking, { off: true, header: "Tracking" }),
			code("further", "Further SKU", "100px", (r) => r.further_sku, { off: true }),
			code("record", "Record id", "100px", (r) => r.record_id, { off: true }),
			code("parent", "Parent", "100px", (r) => r.parent, { off: true }),
			...attributes.map((a) => word(`item.${a}`, a, "minmax(90px,.3fr)", (r) => r.attributes[a] ?? "", { header: `item.${a}` })),
		];
	};
	const fields: Record<string, string> = {
		item: "description",
		cost: "unit_cost",
		barcodes: "barcode",
		further: "further_sku",
		record: "record_id",
	};
	const select = (label: string, value: string, of: string[], set: (v: string) => void) => (
		<label className="flex items-baseline gap-1.5">
			<span className="text-dim">{label}</span>
			<select className="max-w-44" value={value} aria-label={label} onChange={(e) => set(e.target.value)}>
				<option value="">all</option>
				{of.map((c) => (
					<option key={c}>{c}</option>
				))}
			</select>
		</label>
	);
	return (
		<Listing<Item>
			at="items"
			label="Items"
			noun={["item", "items"]}
			query={narrowed}
			page={(by) => ask(api.GET("/api/items", { params: { query: { ...narrowed, ...by } } }))}
			columns={columns}
			narrowing={(anew) => {
				const then = (set: (v: string) => void) => (v: string) => {
					set(v);
					anew();
				};
				return (
					<>
						{select("category", category, categories.data ?? [], then(setCategory))}
						{select("class", klass, classes.data ?? [], then(setClass))}
					</>
				);
			}}
			foot={(row) => (
				<>
					<span className="text-dim">What is changed here is an intake: it stands on the time line of the stock, and is undone there.</span>
					<Link className="act-plain ml-auto" to={itemPath(row.sku)}>
						All of {row.sku}
					</Link>
				</>
			)}
			onOpen={(r) => navigate(itemPath(r.sku))}
			onEdit={
				person.role === "controller" ? (r, k, value, saw) => change("items", ["sku", fields[k] ?? k], [r.sku, value], saw) : undefined
			}
			onPaste={usePaste<Item>("items", ["SKU"], (r) => [r.sku])}
			empty={
				<Empty title="No item goes by this">
					Take the filter out. Where there are none at all, drop a file of your items, or begin with a template on the page Intake.
				</Empty>
			}
		/>
	);
}

/** The warehouse that a list is narrowed to. */
function House({ value, onChange, anew }: { value: number; onChange: (id: number) => void; anew: () => void }) {
	const houses = useWarehouses();
	return (
		<label className="flex items-baseline gap-1.5">
			<span className="text-dim">warehouse</span>
			<select
				className="code"
				value={value}
				aria-label="warehouse"
				onChange={(e) => {
					onChange(Number(e.target.value));
					anew();
				}}
			>
				<option value={0}>all</option>
				{houses.data?.map((h) => (
					<option key={h.id} value={h.id}>
						{h.code}
					</option>
				))}
			</select>
		</label>
	);
}

function Places() {
	const person = usePerson();
	const [house, setHouse] = useState(0);
	const columns: Column<Place>[] = [
		codes("house", "Warehouse", "100px", (r) => r.warehouse),
		codes("bin", "Bin", "120px", (r) => r.bin),
		{ key: "zone", title: "Zone", width: "minmax(120px,1fr)", cell: (r) => r.zone, text: (r) => r.zone, edit: (r) => r.zone },
		{ key: "name", title: "Name of the warehouse", width: "minmax(120px,1fr)", cell: (r) => r.name, text: (r) => r.name, off: true },
		{
			key: "lines",
			title: "Lines recorded",
			width: "110px",
			right: true,
			cell: (r) => (r.lines === 0 ? <span className="text-dim">none</span> : <span className="code">{count(r.lines)}</span>),
			text: (r) => String(r.lines),
		},
	];
	return (
		<Listing<Place>
			at="places"
			label="Places"
			noun={["bin", "bins"]}
			query={{ warehouse: house || undefined }}
			page={(by) => ask(api.GET("/api/places", { params: { query: { warehouse: house, ...by } } }))}
			columns={() => columns}
			narrowing={(anew) => <House value={house} onChange={setHouse} anew={anew} />}
			foot={(row) => (
				<Link className="act-plain ml-auto" to={`/stock/${row.house}?${new URLSearchParams({ text: row.bin })}`}>
					What lies in {row.bin}
				</Link>
			)}
			onEdit={
				person.role === "controller"
					? (r, k, value, saw) => change("places", ["warehouse", "bin", k], [r.warehouse, r.bin, value], saw)
					: undefined
			}
			onPaste={usePaste<Place>("places", ["Warehouse", "Bin"], (r) => [r.warehouse, r.bin])}
			empty={<Empty title="No bin goes by this">Take the filter out.</Empty>}
		/>
	);
}

function Movements() {
	const [house, setHouse] = useState(0);
	const columns = (rows: Movement[]): Column<Movement>[] => {
		const pad = mostPlaces(rows.map((r) => r.quantity));
		const dim = (k: string, title: string, width: string, of: (r: Movement) => string): Column<Movement> => ({
			key: k,
			title,
			width,
			cell: (r) => <span className="text-dim">{of(r)}</span>,
			text: of,
		});
		return [
			{
				...codes<Movement>("at", "Happened", "minmax(164px,164px)", (r) => r.at),
				cell: (r) => <span className="code">{when(r.at, "long")}</span>,
			},
			codes("reference", "Reference", "110px", (r) => r.reference),
			codes("house", "Warehouse", "92px", (r) => r.warehouse),
			codes("bin", "Bin", "92px", (r) => r.bin),
			skus<Movement>(),
			{ key: "item", title: "Item", width: "minmax(140px,1fr)", cell: (r) => r.description, text: (r) => r.description },
			codes("lot", "Lot, serial", "104px", (r) => apart(r)),
			{
				key: "quantity",
				title: "Moved",
				width: "88px",
				right: true,
				cell: (r) => <Quantity of={r.quantity} pad={pad} signed />,
				text: (r) => r.quantity,
			},
			dim("unit", "", "36px", (r) => r.unit),
			dim("file", "Came in", "minmax(120px,.5fr)", (r) => r.file),
		];
	};
	return (
		<Listing<Movement>
			at="movements"
			label="Movements"
			noun={["movement", "movements"]}
			query={{ warehouse: house || undefined }}
			page={(by) => ask(api.GET("/api/movements", { params: { query: { warehouse: house, ...by } } }))}
			columns={columns}
			narrowing={(anew) => <House value={house} onChange={setHouse} anew={anew} />}
			keys={lineKeys.filter(([k]) => k !== "F2" && k !== "Ctrl V")}
			empty={<Empty title="No movement goes by this">Take the filter out, or drop a file of movements.</Empty>}
		/>
	);
}

const explains: Record<Reason["sign"], string> = { "": "over and short", over: "what is over", short: "what is short" };

function Reasons() {
	const person = usePerson();
	const [active, setActive] = useState(0);
	const [own, setOwn] = useState(false);
	const q = useQuery({ queryKey: key.reasons, queryFn: () => ask(api.GET("/api/reasons")) });
	const rows = q.data ?? [];
	const change = async (r: Reason, k: string, value: string) => {
		await ask(api.PUT("/api/reasons", { body: { ...r, [k]: value } }));
		await queries.invalidateQueries({ queryKey: key.reasons });
	};
	const columns: Column<Reason>[] = [
		{ key: "code", title: "Code", width: "130px", cell: (r) => <span className="code">{r.code}</span>, text: (r) => r.code },
		{ key: "name", title: "Reason", width: "minmax(200px,1fr)", cell: (r) => r.name, text: (r) => r.name, edit: (r) => r.name },
		{
			key: "account",
			title: "Account",
			width: "120px",
			cell: (r) => <span className="code">{r.account}</span>,
			text: (r) => r.account,
			edit: (r) => r.account,
		},
		{ key: "sign", title: "It explains", width: "160px", cell: (r) => explains[r.sign], text: (r) => explains[r.sign] },
	];
	return (
		<Stage
			foot={
				<>
					<span>{many(rows.length, "reason", "reasons")}</span>
					{person.role === "controller" && (
						<button type="button" className="act-plain ml-auto" onClick={() => setOwn(true)}>
							A reason of one's own
						</button>
					)}
				</>
			}
			keys={lineKeys.filter(([k]) => k !== "/" && k !== "Ctrl V")}
		>
			<div className={bar}>
				<Which at="reasons" />
			</div>
			{q.error && <Warn>{q.error.message}</Warn>}
			{own && <OwnReason known={rows} onDone={() => setOwn(false)} />}
			<Lines
				label="Reasons"
				columns={columns}
				rows={rows}
				rowKey={(r) => rows.indexOf(r)}
				active={active}
				onActive={setActive}
				onEdit={person.role === "controller" ? change : undefined}
			/>
		</Stage>
	);
}

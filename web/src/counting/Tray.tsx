import { useMutation, useQuery } from "@tanstack/react-query";
import { useEffect, useRef, useState } from "react";
import { Link } from "react-router";
import { api, ask, Problem, type Schemas, zone } from "../api/client";
import { key } from "../api/keys";
import { Choice, Stage } from "../frame/Frame";
import { BeingRead, many, Warn, when } from "../frame/figures";
import { Asks } from "./Asks";
import { changed } from "./changed";

type Doubt = Schemas["DoubtView"];
type Entry = Schemas["Typed"];

/** A problem's kind as people say it. */
const kinds: Record<string, string> = {
	"row code twice": "Copied twice",
	"no row code of ours": "Row code that is none of ours",
	"no such row": "Row code that is on no sheet",
	"sheet of another count": "Of another count",
	"unknown sku": "Item that nobody knows",
	"unknown bin": "Bin that there is not",
	"unknown warehouse": "Another warehouse",
	"noted at the desk": "Noted at the desk",
	"counted elsewhere": "Counted elsewhere already",
};

/** What came back and could not be taken as a count, one after the other: said what it is, or dropped with a word. */
export function TrayOf({ id, c, side }: { id: number; c: Schemas["Stages"]; side: React.ReactNode }) {
	const [settled, setSettled] = useState<"waits" | "settled">("waits");
	const [hand, setHand] = useState(0);
	const path = { count: id };
	const q = useQuery({
		queryKey: key.tray(id, settled),
		queryFn: () => ask(api.GET("/api/counts/{count}/tray", { params: { path, query: { settled: settled === "settled" } } })),
	});
	const again = useMutation({
		mutationFn: (doubt: number) => ask(api.POST("/api/counts/{count}/tray/{doubt}/take-up", { params: { path: { count: id, doubt } } })),
		onSuccess: () => changed(id),
	});
	if (!q.data) return <BeingRead what="The tray" of={[q]} />;
	const { doubts, waits } = q.data;
	const open = c.state === "running";
	const at = Math.max(
		0,
		doubts.findIndex((d) => d.id === hand),
	);
	const inHand = settled === "waits" ? doubts[at] : undefined;
	const groups = [...new Set(doubts.map((d) => d.kind))];
	return (
		<Stage
			side={side}
			foot={
				<>
					<Link className="act-plain" to={`/counts/${id}/counting`}>
						All sheets
					</Link>
					<span>
						<b>{waits}</b> {waits === 1 ? "row waits" : "rows wait"}
					</span>
					{again.error && <Warn>{again.error.message}</Warn>}
					<span className="text-dim">What waits here is no count yet. Nothing else waits for it.</span>
				</>
			}
			keys={[
				["Enter", "enter it, and on to the next"],
				["Alt ↑ ↓", "another row"],
				["Tab", "from field to field"],
				["?", "all keys"],
			]}
		>
			<div className="min-h-0 flex-1 overflow-y-auto px-4 py-3">
				<div className="mb-2 flex items-baseline gap-6">
					<h1>The tray</h1>
					<Choice
						label="What of the tray"
						value={settled}
						of={[
							["waits", `waits (${waits})`],
							["settled", `settled (${q.data.settled})`],
						]}
						onChange={setSettled}
					/>
				</div>
				{doubts.length === 0 && (
					<p className="py-3 text-dim">
						{settled === "waits"
							? "Nothing waits. Rows that come back and cannot be taken as counts are put here when their file is taken in."
							: "Nothing was settled yet."}
					</p>
				)}
				{groups.map((g) => (
					<section key={g} className="mb-3">
						<h2 className="border-b border-ink pb-0.5">{kinds[g] ?? g[0]?.toUpperCase() + g.slice(1)}</h2>
						{doubts
							.filter((d) => d.kind === g)
							.map((d) =>
								d === inHand && open ? (
									<InHand
										key={d.id}
										id={id}
										d={d}
										first={q.data.sheets}
										alike={doubts.filter((x) => x.kind === g).map((x) => x.id)}
										onMove={(step) => setHand(doubts[at + step]?.id ?? d.id)}
									/>
								) : (
									<Row key={d.id} d={d} onTake={settled === "waits" && open ? () => setHand(d.id) : undefined}>
										{(d.state === "dropped" || d.state === "replaced") && open && (
											<button type="button" className="word" disabled={again.isPending} onClick={() => again.mutate(d.id)}>
												take it up again
											</button>
										)}
									</Row>
								),
							)}
					</section>
				))}
				{q.data.next && <p className="text-dim">and more, when these are settled</p>}
			</div>
		</Stage>
	);
}

/** A time as it is typed at the desk, in the zone that the screen shows; what is no time stays as it was written. */
const local = (at?: string) => {
	const t = at && /^\d{4}-\d\d-\d\dT.*(Z|[+-]\d\d:\d\d)$/.test(at) ? new Date(at) : null;
	if (!t || Number.isNaN(t.getTime())) return at ?? "";
	const two = (n: number) => String(n).padStart(2, "0");
	return `${t.getFullYear()}-${two(t.getMonth() + 1)}-${two(t.getDate())} ${two(t.getHours())}:${two(t.getMinutes())}`;
};

const from = (d: Doubt) => [d.file, d.row > 0 ? `row ${d.row}` : "", d.sheet > 0 ? `sheet ${d.sheet}` : ""].filter(Boolean).join(", ");

const written = (d: Doubt) => {
	const w = d.written;
	return [w.row_code, w.bin, w.sku, w.description, w.lot, w.serial, w.holding].filter(Boolean).join(" · ");
};

function Row({ d, onTake, children }: { d: Doubt; onTake?: () => void; children?: React.ReactNode }) {
	const word = { entered: "✓ entered as", dropped: "dropped:", replaced: "right in a later file", undone: "its file was taken back" }[
		d.state as string
	];
	return (
		<div className="grid grid-cols-[1fr_6rem_16rem] items-baseline gap-3 border-b border-hair py-1" data-doubt={d.state}>
			{onTake ? (
				<button type="button" className="truncate text-left hover:bg-sheet" onClick={onTake}>
					<span className="code">{written(d) || d.cells.filter(Boolean).join(" · ")}</span>
				</button>
			) : (
				<span className="code truncate">{written(d) || d.cells.filter(Boolean).join(" · ")}</span>
			)}
			<span className="code text-right">{d.written.quantity}</span>
			<span className="truncate text-dim" title={d.wrong}>
				{word ? (
					<>
						{word} <span className={d.state === "entered" ? "code" : ""}>{d.line || d.word}</span> · {d.settled_by} {when(d.settled_at)}{" "}
						{children}
					</>
				) : (
					from(d)
				)}
			</span>
		</div>
	);
}

/** The row in hand: what was written, what is wrong, and what it is. */
function InHand({ id, d, first, alike, onMove }: { id: number; d: Doubt; first: number; alike: number[]; onMove: (step: number) => void }) {
	const w = d.written;
	const [row, setRow] = useState({
		row_code: w.row_code ?? "",
		bin: w.bin ?? "",
		sku: w.sku ?? "",
		lot: w.lot ?? "",
		serial: w.serial ?? "",
		quantity: w.quantity ?? "",
		at: local(w.counted_at),
	});
	const [word, setWord] = useState("");
	const field = useRef<HTMLInputElement>(null);
	useEffect(() => {
		field.current?.focus();
		field.current?.select();
	}, []);
	const next = async () => {
		onMove(1);
		await changed(id);
	};
	// What names the place and the item goes before a row code that was not understood.
	const proved = d.kind === "counted elsewhere" && row.bin === (w.bin ?? "") && row.sku === (w.sku ?? "");
	const byCode = row.row_code !== "" && (row.row_code !== w.row_code || row.sku === "" || proved);
	const enter = useMutation({
		mutationFn: (more: Partial<Entry>) =>
			ask(
				api.POST("/api/counts/{count}/tray/{doubt}/enter", {
					params: { path: { count: id, doubt: d.id } },
					body: {
						zone: zone(),
						entry: {
							...(byCode
								? { row_code: row.row_code }
								: {
										found: {
											sheet: d.sheet || first,
											bin: row.bin,
											sku: row.sku,
											lot: row.lot || undefined,
											serial: row.serial || undefined,
											holding: w.holding || undefined,
										},
									}),
							text: row.quantity.trim() || undefined,
							counted_at: (row.at === local(w.counted_at) ? w.counted_at : row.at.trim()) || undefined,
							since: (row.at === local(w.counted_at) && w.since) || undefined,
							counter: w.counter || undefined,
							...more,
						},
					},
				}),
			),
		onSuccess: next,
	});
	const drop = useMutation({
		mutationFn: (doubts: number[]) =>
			ask(api.POST("/api/counts/{count}/tray/drop", { params: { path: { count: id } }, body: { doubts, word } })),
		onSuccess: next,
	});
	const asks = enter.error instanceof Problem && enter.error.kind === "asks" ? enter.error.field : "";
	const cell = (of: keyof typeof row, label: string, width: string, more: object = {}) => (
		<label className="flex flex-col">
			<span className="text-[12px] text-dim">{label}</span>
			<input
				className={`code ${width}`}
				value={row[of]}
				onChange={(e) => setRow({ ...row, [of]: e.target.value })}
				aria-label={`It is: ${label.toLowerCase()}`}
				{...more}
			/>
		</label>
	);
	return (
		<div
			className="border-b border-ink bg-sheet px-3 py-2"
			data-in-hand={d.id}
			role="group"
			aria-label="The row in hand"
			onKeyDown={(e) => {
				if (e.altKey && (e.key === "ArrowDown" || e.key === "ArrowUp")) {
					e.preventDefault();
					onMove(e.key === "ArrowDown" ? 1 : -1);
				}
			}}
		>
			<p>
				<span className="text-warn">!</span> {d.wrong} <span className="text-dim">({from(d) || "noted"})</span>
			</p>
			<p className="code my-1 text-dim">{d.cells.length > 0 ? d.cells.map((x) => x || "–").join(" | ") : written(d)}</p>
			<form
				className="flex flex-wrap items-end gap-2"
				onSubmit={(e) => {
					e.preventDefault();
					enter.mutate({});
				}}
			>
				{cell("row_code", "Row code", "w-32")}
				<span className="pb-1 text-dim">or</span>
				{cell("bin", "Bin", "w-28", { ref: field })}
				{cell("sku", "SKU or barcode", "w-36")}
				{cell("lot", "Lot", "w-20")}
				{cell("serial", "Serial", "w-24")}
				{cell("quantity", "Counted", "w-24 text-right", { inputMode: "decimal" })}
				{cell("at", "Counted at", "w-36", { placeholder: "2026-11-20 14:30" })}
				<button type="submit" className="act" disabled={enter.isPending}>
					Enter it
				</button>
			</form>
			{enter.error && (
				<Warn>
					{enter.error.message}
					<Asks asks={asks} onAnswer={(answer) => enter.mutate(answer)} />
				</Warn>
			)}
			<form
				className="mt-2 flex items-center gap-2"
				onSubmit={(e) => {
					e.preventDefault();
					drop.mutate([d.id]);
				}}
			>
				<input
					className="w-80"
					value={word}
					onChange={(e) => setWord(e.target.value)}
					placeholder="or why it is no count"
					aria-label="Why it is no count"
					maxLength={500}
				/>
				<button type="submit" className="act-plain" disabled={word.trim() === "" || drop.isPending}>
					Drop it
				</button>
				{alike.length > 1 && (
					<button type="button" className="word" disabled={word.trim() === "" || drop.isPending} onClick={() => drop.mutate(alike)}>
						drop all {many(alike.length, "row", "rows")} of this kind
					</button>
				)}
				{drop.error && <Warn>{drop.error.message}</Warn>}
			</form>
		</div>
	);
}

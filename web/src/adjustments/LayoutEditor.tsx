import { useMutation } from "@tanstack/react-query";
import { useRef, useState } from "react";
import { api, ask, queries, type Schemas } from "../api/client";
import { key } from "../api/keys";
import { Choice } from "../frame/Frame";
import { many, Warn } from "../frame/figures";

export type Layout = Schemas["OutLayout"];
/** Something that a sample cannot answer; column -1 is the file as a whole. */
export type Ask = { column: number; header: string; question: string; examples: string[] };
type Proposed = { layout: Layout; asks: Ask[] };
type Column = Layout["columns"][number];
type Field = Schemas["OutField"];

/** Reads a sample, an empty template, or a layout as JSON, and gives the layout that it comes to. */
export async function propose(file: File): Promise<Proposed> {
	return ask(
		fetch(`/api/out-layouts/propose?name=${encodeURIComponent(file.name)}`, { method: "POST", body: file }).then(async (response) => {
			const body = await response.json().catch(() => undefined);
			return response.ok ? { data: body as Proposed, response } : { error: body ?? {}, response };
		}),
	);
}

/** The record system's import format, column by column; the files beside it change with it. */
export function LayoutEditor({
	layout: l,
	asks,
	lists,
	onChange,
	onAsks,
	onKept,
	onClose,
}: {
	layout: Layout;
	asks: Ask[];
	lists: Schemas["OutLayouts"];
	onChange: (l: Layout) => void;
	onAsks: (a: Ask[]) => void;
	onKept: (name: string) => void;
	onClose: () => void;
}) {
	const pick = useRef<HTMLInputElement>(null);
	const [open, setOpen] = useState(-1);
	const sample = useMutation({
		mutationFn: propose,
		onSuccess: (p) => {
			onChange({ ...p.layout, name: l.name || p.layout.name });
			onAsks(p.asks);
			setOpen(-1);
		},
	});
	const keep = useMutation({
		mutationFn: () => ask(api.PUT("/api/out-layouts", { body: l })),
		onSuccess: async () => {
			await queries.invalidateQueries({ queryKey: key.outLayouts });
			onKept(l.name.trim());
		},
	});
	const set = (n: number, c: Column) => onChange({ ...l, columns: l.columns.map((x, i) => (i === n ? c : x)) });
	const move = (n: number, by: number) => {
		const columns = [...l.columns];
		const [c] = columns.splice(n, 1);
		columns.splice(n + by, 0, c as Column);
		onChange({ ...l, columns });
		onAsks([]); // they are counted by their place
	};
	const book = l.form === "workbook";
	const number = (of: "document_rows" | "file_rows", label: string) => (
		<label className="flex items-baseline gap-1.5">
			<span className="text-dim">{label}</span>
			<input
				className="code w-16 text-right"
				inputMode="numeric"
				placeholder="any"
				value={l[of] || ""}
				onChange={(e) => onChange({ ...l, [of]: Number.parseInt(e.target.value, 10) || 0 })}
				aria-label={label}
			/>
		</label>
	);
	const select = (
		of: "delimiter" | "quotes" | "encoding" | "line_end" | "decimal" | "transfers",
		label: string,
		list: [string, string][],
	) => (
		<label className="flex items-baseline gap-1.5">
			<span className="text-dim">{label}</span>
			<select value={l[of] ?? ""} onChange={(e) => onChange({ ...l, [of]: e.target.value } as Layout)} aria-label={label}>
				{list.map(([v, name]) => (
					<option key={v} value={v}>
						{name}
					</option>
				))}
			</select>
		</label>
	);
	return (
		<section
			className="flex max-h-[58%] shrink-0 flex-col border-b border-ink"
			aria-label="Layout of the files"
			data-layout
			data-own-drop
			onDrop={(e) => {
				const [f] = e.dataTransfer.files;
				if (!f) return;
				e.preventDefault();
				e.stopPropagation();
				sample.mutate(f);
			}}
		>
			<div className="flex flex-wrap items-baseline gap-x-4 gap-y-1 border-b border-hair px-4 py-1.5">
				<input
					className="w-56 font-semibold"
					placeholder="name of the layout"
					value={l.name}
					maxLength={120}
					onChange={(e) => onChange({ ...l, name: e.target.value })}
					aria-label="Name of the layout"
				/>
				<button type="button" className="word" onClick={() => pick.current?.click()} disabled={sample.isPending}>
					from a sample or template…
				</button>
				<input
					ref={pick}
					type="file"
					hidden
					data-sample
					onChange={(e) => {
						const [f] = e.target.files ?? [];
						e.target.value = "";
						if (f) sample.mutate(f);
					}}
				/>
				<Choice
					label="Form of the files"
					value={book ? "workbook" : "text"}
					of={[
						["text", "delimited text"],
						["workbook", "workbook"],
					]}
					onChange={(form) => onChange({ ...l, form })}
				/>
				<span className="ml-auto flex items-baseline gap-4">
					{asks.length > 0 && <span className="text-warn">! {many(asks.length, "question is", "questions are")} open</span>}
					<button
						type="button"
						className="act-plain"
						disabled={keep.isPending || l.name.trim() === "" || asks.length > 0}
						onClick={() => keep.mutate()}
					>
						Keep {l.name.trim() ? `“${l.name.trim()}”` : "it"}
					</button>
					<button type="button" className="word text-dim" onClick={onClose}>
						let it be
					</button>
				</span>
				{sample.error && <Warn>{sample.error.message}</Warn>}
				{keep.error && <Warn>{keep.error.message}</Warn>}
			</div>
			<div className="min-h-0 overflow-y-auto px-4 py-1.5">
				<div className="flex flex-wrap items-baseline gap-x-5 gap-y-1.5 pb-2 text-[13px]">
					{!book && (
						<>
							{select("delimiter", "between cells", [
								["", ","],
								[";", ";"],
								["\t", "tab"],
								["|", "|"],
							])}
							{select("quotes", "quotes", [
								["", "where needed"],
								["always", "always"],
								["never", "never"],
							])}
							{select("encoding", "letters", [
								["", "UTF-8"],
								...lists.encodings.filter((e) => e !== "UTF-8").map((e): [string, string] => [e, e]),
							])}
							{select("line_end", "line ends", [
								["", "LF"],
								["crlf", "CR LF"],
							])}
							<Tick label="mark in front" on={l.mark ?? false} onChange={(mark) => onChange({ ...l, mark })} />
							<Tick label="last row open" on={l.open_end ?? false} onChange={(open_end) => onChange({ ...l, open_end })} />
						</>
					)}
					{book && (
						<label className="flex items-baseline gap-1.5">
							<span className="text-dim">sheet</span>
							<input
								className="w-32"
								value={l.sheet ?? ""}
								maxLength={31}
								placeholder="Adjustments"
								onChange={(e) => onChange({ ...l, sheet: e.target.value })}
								aria-label="sheet"
							/>
						</label>
					)}
					{select("decimal", "decimals", [
						["", "12.5"],
						["comma", "12,5"],
					])}
					<label className="flex items-baseline gap-1.5">
						<span className="text-dim">rows above</span>
						<textarea
							className="w-48 resize-y align-top"
							rows={Math.max(1, Math.min(3, l.titles?.length ?? 0))}
							placeholder="none"
							value={(l.titles ?? []).join("\n")}
							onChange={(e) => onChange({ ...l, titles: e.target.value === "" ? undefined : e.target.value.split("\n").slice(0, 20) })}
							aria-label="Rows above the header"
						/>
					</label>
					<Tick label="header row" on={!l.no_header} onChange={(has) => onChange({ ...l, no_header: !has })} />
					{select("transfers", "transfers", [
						["", "out and in"],
						["one row", "one row"],
						["alone", "nothing else"],
						["left", "left out"],
					])}
					<span className="flex items-baseline gap-3">
						<span className="text-dim">a file per</span>
						{(["warehouse", "reason", "document"] as const).map((p) => (
							<Tick
								key={p}
								label={p}
								on={l.per?.includes(p) ?? false}
								onChange={(on) => onChange({ ...l, per: on ? [...(l.per ?? []), p] : (l.per ?? []).filter((x) => x !== p) })}
							/>
						))}
					</span>
					{number("document_rows", "rows a document")}
					{number("file_rows", "rows a file")}
					<label className="flex items-baseline gap-1.5">
						<span className="text-dim">file name</span>
						<input
							className="code w-56"
							placeholder="adjustments"
							title="with {count}, {warehouse}, {reason}, {document}, {reference}, {date} and {part} in it"
							value={l.file_name ?? ""}
							onChange={(e) => onChange({ ...l, file_name: e.target.value })}
							aria-label="file name"
						/>
					</label>
				</div>
				{asks
					.filter((a) => a.column < 0)
					.map((a) => (
						<p key={a.question} className="text-warn">
							! {a.question}
							<button type="button" className="word ml-2 text-dim" onClick={() => onAsks(asks.filter((x) => x !== a))}>
								as it stands
							</button>
						</p>
					))}
				<table className="w-full text-[13px]">
					<thead className="text-left text-[12px] text-dim">
						<tr>
							<th className="font-normal">Header</th>
							<th className="px-2 font-normal">What it holds</th>
							<th className="px-2 font-normal">Form</th>
							<th />
						</tr>
					</thead>
					<tbody>
						{l.columns.map((c, n) => (
							<ColumnRow
								key={n}
								n={n}
								c={c}
								last={n === l.columns.length - 1}
								fields={lists.fields}
								book={book}
								asks={asks.filter((a) => a.column === n)}
								open={open === n}
								onOpen={() => setOpen(open === n ? -1 : n)}
								onChange={(to) => set(n, to)}
								onSettled={() => onAsks(asks.filter((a) => a.column !== n))}
								onMove={(by) => move(n, by)}
								onDrop={() => {
									onChange({ ...l, columns: l.columns.filter((_, i) => i !== n) });
									onAsks([]);
								}}
							/>
						))}
					</tbody>
				</table>
				<button
					type="button"
					className="word mt-1"
					onClick={() => onChange({ ...l, columns: [...l.columns, { header: "" }] })}
					data-add-column
				>
					add a column
				</button>
			</div>
		</section>
	);
}

function Tick({ label, on, onChange }: { label: string; on: boolean; onChange: (on: boolean) => void }) {
	return (
		<label className="flex items-baseline gap-1.5">
			<input type="checkbox" checked={on} onChange={(e) => onChange(e.target.checked)} />
			{label}
		</label>
	);
}

function ColumnRow({
	n,
	c,
	last,
	fields,
	book,
	asks,
	open,
	onOpen,
	onChange,
	onSettled,
	onMove,
	onDrop,
}: {
	n: number;
	c: Column;
	last: boolean;
	fields: Field[];
	book: boolean;
	asks: Ask[];
	open: boolean;
	onOpen: () => void;
	onChange: (c: Column) => void;
	onSettled: () => void;
	onMove: (by: number) => void;
	onDrop: () => void;
}) {
	const kind = c.formula !== undefined && c.formula !== "" ? "=" : c.fixed !== undefined && c.fixed !== "" ? "'" : (c.field ?? "");
	const [how, setHow] = useState(kind);
	const spec = fields.find((f) => f.field === c.field);
	const figures = spec ? ["quantity", "money"].includes(spec.sort) : how === "=";
	const bare = { header: c.header, empty: c.empty, longest: c.longest, needed: c.needed };
	const choose = (to: string) => {
		setHow(to);
		onSettled();
		onChange(to === "=" || to === "'" || to === "" ? bare : ({ ...c, formula: undefined, fixed: undefined, field: to } as Column));
	};
	const text = (of: "date" | "pack" | "empty" | "formula" | "fixed", label: string, width: string, hint = "") => (
		<label className="flex items-baseline gap-1.5">
			<span className="text-dim">{label}</span>
			<input
				className={`code ${width}`}
				value={c[of] ?? ""}
				placeholder={hint}
				onChange={(e) => onChange({ ...c, [of]: e.target.value })}
				aria-label={`${c.header || `Column ${n + 1}`}: ${label}`}
			/>
		</label>
	);
	const said = [
		c.places != null && `${c.places} decimals`,
		c.decimal && (c.decimal === "comma" ? "12,5" : "12.5"),
		c.minus === "behind" ? "12−" : c.minus === "brackets" ? "(12)" : "",
		c.plus && "+12",
		c.pack && `in ${c.pack}`,
		c.date,
		c.longest ? `≤ ${c.longest}` : "",
		c.needed && "needed",
		c.empty && `empty as ${c.empty}`,
		c.values && Object.keys(c.values).length > 0 && `${Object.keys(c.values).length} values`,
		c.cell && c.cell !== "number" && `as ${c.cell}`,
	].filter(Boolean);
	return (
		<>
			<tr className="border-t border-hair align-baseline" data-column={c.header}>
				<td className="py-1">
					<input
						className="w-40"
						value={c.header}
						onChange={(e) => onChange({ ...c, header: e.target.value })}
						aria-label={`Header of column ${n + 1}`}
					/>
				</td>
				<td className="px-2">
					<span className="flex flex-wrap items-baseline gap-2">
						<select value={how} onChange={(e) => choose(e.target.value)} aria-label={`What ${c.header || `column ${n + 1}`} holds`}>
							<option value="">nothing</option>
							{fields.map((f) => (
								<option key={f.field} value={f.field} title={f.about}>
									{f.title.toLowerCase()}
								</option>
							))}
							<option value="'">a fixed text…</option>
							<option value="=">a formula…</option>
						</select>
						{how === "'" && text("fixed", "", "w-40")}
						{how === "=" && text("formula", "=", "w-72", "'difference' * -1")}
					</span>
					{asks.map((a) => (
						<p key={a.question} className="max-w-md text-warn">
							! {a.question}
							{a.examples.length > 0 && <span className="code text-dim"> {a.examples.join(" · ")}</span>}
							<button type="button" className="word ml-2 text-dim" onClick={onSettled}>
								as it stands
							</button>
						</p>
					))}
				</td>
				<td className="px-2">
					<button type="button" className="word text-dim" onClick={onOpen} aria-expanded={open}>
						{said.length > 0 ? said.join(", ") : "as it is"}
					</button>
				</td>
				<td className="text-right whitespace-nowrap">
					<button
						type="button"
						className="px-1 disabled:opacity-25"
						disabled={n === 0}
						onClick={() => onMove(-1)}
						aria-label={`Column ${n + 1} up`}
					>
						↑
					</button>
					<button
						type="button"
						className="px-1 disabled:opacity-25"
						disabled={last}
						onClick={() => onMove(1)}
						aria-label={`Column ${n + 1} down`}
					>
						↓
					</button>
					<button type="button" className="px-1 text-dim hover:text-ink" onClick={onDrop} aria-label={`Take column ${n + 1} out`}>
						×
					</button>
				</td>
			</tr>
			{open && (
				<tr>
					<td colSpan={4} className="bg-sheet px-3 py-2">
						<div className="flex flex-wrap items-baseline gap-x-5 gap-y-1.5">
							{figures && (
								<>
									<label className="flex items-baseline gap-1.5">
										<span className="text-dim">decimals</span>
										<select
											value={c.places ?? ""}
											onChange={(e) => onChange({ ...c, places: e.target.value === "" ? undefined : Number(e.target.value) })}
											aria-label="decimals"
										>
											<option value="">as many as there are</option>
											{[0, 1, 2, 3, 4, 5, 6].map((p) => (
												<option key={p} value={p}>
													{p}
												</option>
											))}
										</select>
									</label>
									<label className="flex items-baseline gap-1.5">
										<span className="text-dim">sign before them</span>
										<select
											value={c.decimal ?? ""}
											onChange={(e) => onChange({ ...c, decimal: e.target.value as Column["decimal"] })}
											aria-label="sign before decimals"
										>
											<option value="">as the file</option>
											<option value="point">12.5</option>
											<option value="comma">12,5</option>
										</select>
									</label>
									<label className="flex items-baseline gap-1.5">
										<span className="text-dim">below zero</span>
										<select
											value={c.minus ?? ""}
											onChange={(e) => onChange({ ...c, minus: e.target.value as Column["minus"] })}
											aria-label="below zero"
										>
											<option value="">-12</option>
											<option value="behind">12-</option>
											<option value="brackets">(12)</option>
										</select>
									</label>
									<Tick label="+ above zero" on={c.plus ?? false} onChange={(plus) => onChange({ ...c, plus })} />
									{text("pack", "in packs called", "w-20", "base units")}
								</>
							)}
							{(spec?.sort === "time" || how === "=") && text("date", "date as", "w-44", "2026-11-21T10:00:00Z")}
							{text("empty", "empty as", "w-16", "nothing")}
							<label className="flex items-baseline gap-1.5">
								<span className="text-dim">at most</span>
								<input
									className="code w-14 text-right"
									inputMode="numeric"
									placeholder="any"
									value={c.longest || ""}
									onChange={(e) => onChange({ ...c, longest: Number.parseInt(e.target.value, 10) || 0 })}
									aria-label="longest text"
								/>
								<span className="text-dim">characters</span>
							</label>
							<Tick label="needed" on={c.needed ?? false} onChange={(needed) => onChange({ ...c, needed })} />
							{book && (
								<label className="flex items-baseline gap-1.5">
									<span className="text-dim">cells are</span>
									<select
										value={c.cell ?? ""}
										onChange={(e) => onChange({ ...c, cell: e.target.value as Column["cell"] })}
										aria-label="cells are"
									>
										<option value="">as the field</option>
										<option value="text">text</option>
										<option value="number">numbers</option>
										<option value="date">dates</option>
									</select>
								</label>
							)}
							<label className="flex w-full items-baseline gap-1.5">
								<span className="text-dim">values written otherwise</span>
								<input
									className="code min-w-0 flex-1"
									placeholder="LOSS=51; MISCOUNT=52"
									defaultValue={Object.entries(c.values ?? {})
										.map(([k, v]) => `${k}=${v}`)
										.join("; ")}
									onBlur={(e) => onChange({ ...c, values: valuesOf(e.target.value) })}
									aria-label="values written otherwise"
								/>
							</label>
						</div>
					</td>
				</tr>
			)}
		</>
	);
}

/** Reads LOSS=51; MISCOUNT=52. */
function valuesOf(text: string): Record<string, string> | undefined {
	const out: Record<string, string> = {};
	for (const part of text.split(";")) {
		const at = part.indexOf("=");
		if (at > 0) out[part.slice(0, at).trim()] = part.slice(at + 1).trim();
	}
	return Object.keys(out).length > 0 ? out : undefined;
}

import { Popover, PopoverButton, PopoverPanel } from "@headlessui/react";
import { useMutation, useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { Link } from "react-router";
import { api, ask, queries } from "../api/client";
import { key } from "../api/keys";
import { count, Warn } from "../frame/figures";
import { Formulas } from "./Formulas";
import { type Draft, kindWord, type Layout, type Settle, type Sheet } from "./settling";

/** What was taken for granted about the file's form, each changeable, with its reason. */
export function Form({
	draft,
	sheet,
	settle,
	onSheet,
}: {
	draft: Draft;
	sheet: Sheet | undefined;
	settle: Settle;
	onSheet: (n: number) => void;
}) {
	return (
		<>
			{draft.sheets.length > 1 && <SheetTabs draft={draft} sheet={sheet} settle={settle} onSheet={onSheet} />}
			<div className="flex flex-wrap items-center gap-x-3 gap-y-1 border-b border-hair px-3 py-1.5">
				<b className="max-w-40 truncate" title={draft.name}>
					{draft.name}
				</b>
				{sheet && (
					<label className="flex items-center gap-1.5" title={sheet.why_kind}>
						<span className="text-dim">taken for</span>
						<select
							value={sheet.kind}
							aria-label="What the file is about"
							onChange={(e) => settle({ sheet: sheet.number, set: { kind: e.target.value as Layout["kind"] } })}
						>
							{Object.entries(kindWord).map(([k, w]) => (
								<option key={k} value={k}>
									{w}
								</option>
							))}
						</select>
					</label>
				)}
				{sheet && <HeaderRow sheet={sheet} settle={settle} />}
				{draft.form === "delimited text" && (
					<>
						<label className="flex items-center gap-1.5">
							<span className="text-dim">parted by</span>
							<select
								value={{ comma: ",", semicolon: ";", tab: "\t", bar: "|" }[draft.delimiter] ?? draft.delimiter}
								onChange={(e) => settle({ delimiter: e.target.value })}
							>
								<option value=",">comma</option>
								<option value=";">semicolon</option>
								<option value={"\t"}>tab</option>
								<option value="|">bar</option>
								<option value="^">caret</option>
								<option value="~">tilde</option>
							</select>
						</label>
						<label className="flex items-center gap-1.5">
							<span className="text-dim">letters</span>
							<select className="max-w-34" value={draft.encoding} onChange={(e) => settle({ encoding: e.target.value })}>
								{draft.encodings.map((e) => (
									<option key={e}>{e}</option>
								))}
							</select>
						</label>
					</>
				)}
			</div>
			{sheet && (
				<Formulas draft={draft} sheet={sheet} settle={settle}>
					<Known draft={draft} sheet={sheet} settle={settle} />
				</Formulas>
			)}
		</>
	);
}

/** The sheets of a workbook: what each was taken for, and whether it is taken in. */
function SheetTabs({
	draft,
	sheet,
	settle,
	onSheet,
}: {
	draft: Draft;
	sheet: Sheet | undefined;
	settle: Settle;
	onSheet: (n: number) => void;
}) {
	return (
		<div className="flex items-end gap-1 overflow-x-auto border-b border-rule px-3 pt-1.5" role="tablist" aria-label="Sheets">
			{draft.sheets.map((s) => (
				<span
					key={s.number}
					className={`flex shrink-0 items-center gap-1.5 border border-b-0 px-2 py-0.5 ${s.number === sheet?.number ? "border-ink bg-sheet" : "border-rule"} ${s.use ? "" : "text-dim"}`}
				>
					<input
						type="checkbox"
						checked={s.use}
						aria-label={`Take in the sheet ${s.name}`}
						onChange={(e) => settle({ sheet: s.number, use: e.target.checked ? "yes" : "no" })}
					/>
					<button
						type="button"
						role="tab"
						aria-selected={s.number === sheet?.number}
						className={s.number === sheet?.number ? "font-semibold" : ""}
						title={s.why_use}
						onClick={() => onSheet(s.number)}
					>
						{s.use && (s.blocked || s.effect.refused > 0) ? <b className="text-warn">! </b> : ""}
						{s.name} <span className="text-dim">{s.use ? kindWord[s.kind] : "left out"}</span>
					</button>
				</span>
			))}
			{sheet && !sheet.use && <span className="ml-2 pb-1 text-dim">Left out: {sheet.why_use}.</span>}
		</div>
	);
}

function HeaderRow({ sheet, settle }: { sheet: Sheet; settle: Settle }) {
	const [text, setText] = useState<string | null>(null);
	const set = (n: number) => {
		setText(null);
		if (n !== 0 && n !== sheet.header_row) settle({ sheet: sheet.number, set: { header: n } });
	};
	return (
		<span className="flex items-center gap-1.5" title={sheet.why_header}>
			<span className="text-dim">header in row</span>
			<input
				className="code w-12"
				aria-label="Row of the header; empty where there is none"
				value={text ?? (sheet.header_row > 0 ? String(sheet.header_row) : "none")}
				onChange={(e) => setText(e.target.value)}
				onBlur={() => text !== null && set(/^\d+$/.test(text) ? Number(text) : -1)}
				onKeyDown={(e) => {
					if (e.key === "Enter" && text !== null) set(/^\d+$/.test(text) ? Number(text) : -1);
					if (e.key === "Escape") setText(null);
				}}
			/>
			{sheet.header_row > 0 && (sheet.header_row > 1 || sheet.header_rows > 1) && (
				<>
					<span className="text-dim">of</span>
					<select
						aria-label="Rows of the header"
						value={sheet.header_rows}
						onChange={(e) => settle({ sheet: sheet.number, set: { header: sheet.names_row, header_rows: Number(e.target.value) } })}
					>
						{[1, 2, 3].map((n) => (
							<option key={n} value={n}>
								{n === 1 ? "1 row" : `${n} rows`}
							</option>
						))}
					</select>
				</>
			)}
		</span>
	);
}

/** By which saved layout the file was read, and keeping what was settled as one. */
function Known({ draft, sheet, settle }: { draft: Draft; sheet: Sheet; settle: Settle }) {
	const layouts = useQuery({ queryKey: key.layouts, queryFn: () => ask(api.GET("/api/layouts")) });
	const [name, setName] = useState("");
	const save = useMutation({
		mutationFn: () =>
			ask(
				api.POST("/api/uploads/{draft}/layout", {
					params: { path: { draft: draft.id } },
					body: { sheet: sheet.number, name: name || sheet.layout },
				}),
			),
		onSuccess: () => {
			queries.invalidateQueries({ queryKey: key.layouts });
			// Read by it from now on; the answers about other sheets stay.
			settle(draft.sheets.length === 1 ? { layout: name || sheet.layout } : { sheet: sheet.number, set: {} });
		},
	});
	const list = layouts.data ?? [];
	return (
		<Popover className="relative ml-auto">
			<PopoverButton className="word">{sheet.layout ? `Read by the layout “${sheet.layout}”` : "Layout"}</PopoverButton>
			<PopoverPanel anchor="bottom end" className="z-30 w-96 border border-ink bg-paper p-3">
				{({ close }) => (
					<>
						<h2>Layout</h2>
						<p className="text-dim">A layout keeps all that was settled here. A file of the same shape then needs no questions.</p>
						<form
							className="mt-2 flex gap-2"
							onSubmit={(e) => {
								e.preventDefault();
								save.mutate(undefined, { onSuccess: () => close() });
							}}
						>
							<input
								className="flex-1"
								aria-label="Name of the layout"
								placeholder={sheet.layout || "Name, such as Quay export"}
								value={name}
								onChange={(e) => setName(e.target.value)}
							/>
							<button type="submit" className="act" disabled={save.isPending || (!name.trim() && !sheet.layout)}>
								Save as a layout
							</button>
						</form>
						{save.error && <Warn>{save.error.message}</Warn>}
						{list.length > 0 && <p className="mt-3 font-semibold">Read it by</p>}
						{list.map((l) => (
							<button
								key={l.name}
								type="button"
								className="block w-full border-b border-hair py-0.5 text-left hover:bg-sheet"
								onClick={() => {
									settle({ layout: l.name });
									close();
								}}
							>
								{l.name === sheet.layout ? "✓ " : ""}
								{l.name} <span className="text-dim">{kindWord[l.kind]}</span>
							</button>
						))}
						{sheet.layout && (
							<button
								type="button"
								className="block w-full border-b border-hair py-0.5 text-left hover:bg-sheet"
								onClick={() => {
									settle({ layout: "-" });
									close();
								}}
							>
								no layout
							</button>
						)}
						<Link className="word mt-2 inline-block" to="/layouts">
							All {count(list.length)} layouts: copy, export, import
						</Link>
					</>
				)}
			</PopoverPanel>
		</Popover>
	);
}

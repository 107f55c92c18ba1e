import { useQuery } from "@tanstack/react-query";
import { type ReactNode, useEffect, useState } from "react";
import { api, ask } from "../api/client";
import { type Draft, fieldTitle, type Settle, type Sheet } from "./settling";

/** Fields that are worked out, and the row filter; each is edited in place with its result for real rows. */
export function Formulas({ draft, sheet, settle, children }: { draft: Draft; sheet: Sheet; settle: Settle; children: ReactNode }) {
	const [editing, setEditing] = useState<string | null>(null); // a field, "+" for a new one, "filter"
	const filter = sheet.given.filter ?? "";
	return (
		<div className="border-b border-hair px-3 py-1 text-[12.5px]">
			<div className="flex flex-wrap items-baseline gap-x-4">
				{sheet.worked.map((w) => (
					<button key={w.field} type="button" className="word" onClick={() => setEditing(w.field)}>
						{w.wrong && <b className="text-warn">! </b>}
						{fieldTitle(sheet, w.field)} = <span className="code">{w.formula || `“${w.fixed}”`}</span>
					</button>
				))}
				{filter && (
					<button type="button" className="word" onClick={() => setEditing("filter")}>
						only rows where <span className="code">{filter}</span>
					</button>
				)}
				<button type="button" className="word text-dim" onClick={() => setEditing("+")}>
					Work a field out…
				</button>
				{!filter && (
					<button type="button" className="word text-dim" onClick={() => setEditing("filter")}>
						Take only some rows…
					</button>
				)}
				{children}
			</div>
			{editing !== null && (
				<Editor key={editing} what={editing} draft={draft} sheet={sheet} settle={settle} onClose={() => setEditing(null)} />
			)}
		</div>
	);
}

function Editor({
	what,
	draft,
	sheet,
	settle,
	onClose,
}: {
	what: string;
	draft: Draft;
	sheet: Sheet;
	settle: Settle;
	onClose: () => void;
}) {
	const worked = sheet.worked.find((w) => w.field === what);
	const filter = what === "filter";
	const [field, setField] = useState(worked?.field ?? missing(sheet) ?? "");
	const [fixed, setFixed] = useState(Boolean(worked?.fixed));
	const [text, setText] = useState(filter ? (sheet.given.filter ?? "") : (worked?.formula ?? worked?.fixed ?? "") || worked?.fixed || "");
	const [tried, setTried] = useState(text);
	useEffect(() => {
		const t = setTimeout(() => setTried(text), 200);
		return () => clearTimeout(t);
	}, [text]);
	const result = useQuery({
		queryKey: ["formula", draft.id, sheet.number, tried],
		enabled: tried.trim() !== "" && !fixed,
		queryFn: () =>
			ask(
				api.POST("/api/uploads/{draft}/formula", { params: { path: { draft: draft.id } }, body: { sheet: sheet.number, formula: tried } }),
			),
	});
	const wrong = tried === text && !fixed ? result.data?.wrong : "";
	const save = () => {
		if (filter) settle({ sheet: sheet.number, set: { filter: text.trim() || " " } });
		else settle({ sheet: sheet.number, set: { columns: [{ field, ...(fixed ? { fixed: text } : { formula: text }) }] } });
		onClose();
	};
	return (
		<form
			className="mt-1 mb-1.5 grid gap-1.5 border border-rule bg-paper p-2"
			onSubmit={(e) => {
				e.preventDefault();
				save();
			}}
			onKeyDown={(e) => e.key === "Escape" && onClose()}
		>
			<div className="flex items-center gap-2">
				{filter ? (
					<span>Take only rows where</span>
				) : (
					<>
						<select value={field} onChange={(e) => setField(e.target.value)} aria-label="The field that is worked out">
							<option value="">which field…</option>
							{sheet.fields.map((f) => (
								<option key={f.field} value={f.field}>
									{f.title}
								</option>
							))}
						</select>
						<select value={fixed ? "fixed" : "formula"} onChange={(e) => setFixed(e.target.value === "fixed")} aria-label="How">
							<option value="formula">=</option>
							<option value="fixed">is always</option>
						</select>
					</>
				)}
				<input
					autoFocus
					className="code flex-1"
					aria-label={filter ? "Row filter" : fixed ? "The value in every row" : "Formula"}
					placeholder={filter ? "'On hand' <> 0" : fixed ? "QUAY" : "'Boxes' * 12 + 'Singles'"}
					value={text}
					onChange={(e) => setText(e.target.value)}
				/>
				<button type="submit" className="act" disabled={(!filter && (!field || !text.trim())) || Boolean(wrong)}>
					{filter ? "Take only these" : "Work it out so"}
				</button>
				{(worked || (filter && sheet.given.filter)) && (
					<button
						type="button"
						className="act-plain"
						onClick={() => {
							settle({ sheet: sheet.number, set: filter ? { filter: " " } : { columns: [{ field: what }] } });
							onClose();
						}}
					>
						{filter ? "Take all rows" : "Take it back"}
					</button>
				)}
				<button type="button" className="word" onClick={onClose}>
					Leave
				</button>
			</div>
			{!fixed && (
				<div className="flex flex-wrap items-baseline gap-1 text-dim">
					{sheet.columns.map((c) => {
						const name = `'${(sheet.header_row > 0 && c.header.trim()) || c.letter}'`;
						return (
							<button
								key={c.letter}
								type="button"
								className="code border border-hair px-1 hover:border-ink"
								onClick={() => setText(`${text}${name}`)}
							>
								{name}
							</button>
						);
					})}
				</div>
			)}
			{wrong && (
				<p data-formula-wrong>
					<b className="text-warn">! </b>
					At character {(result.data?.at ?? 0) + 1}: {wrong}
				</p>
			)}
			{!fixed && !wrong && (result.data?.rows.length ?? 0) > 0 && (
				<p className="flex flex-wrap gap-x-4" data-formula-rows>
					{result.data?.rows.map((r) => (
						<span key={r.row}>
							<span className="text-dim">row {r.row}</span>{" "}
							{r.wrong ? <span className="text-warn">! {r.wrong}</span> : <span className="code">{r.result || "empty"}</span>}
						</span>
					))}
				</p>
			)}
		</form>
	);
}

/** The field that every file of the kind needs and that nothing gives yet. */
function missing(sheet: Sheet) {
	return sheet.problems.find((g) => g.kind === "column missing")?.field;
}

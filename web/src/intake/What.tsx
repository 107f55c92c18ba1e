import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { api, ask } from "../api/client";
import { key } from "../api/keys";
import { count, isZero, many, Off, plain, Warn } from "../frame/figures";
import type { Drop } from "./drops";
import { Problems } from "./Problems";
import { type Draft, fieldTitle, type Layout, type Settle, type Sheet } from "./settling";
import { Values } from "./Values";

/** What will happen, what is asked, what is wrong, and what was taken for granted. */
export function What({
	draft,
	sheet,
	drop,
	settle,
	busy,
	only,
	onOnly,
	onColumn,
}: {
	draft: Draft;
	sheet: Sheet | undefined;
	drop: Drop;
	settle: Settle;
	busy: boolean;
	only: { kind: string; field: string } | null;
	onOnly: (group: { kind: string; field: string } | null) => void;
	onColumn: (letter: string) => void;
}) {
	const e = draft.effect;
	return (
		<div className={`min-h-0 flex-1 overflow-y-auto px-4 py-3 ${busy ? "opacity-50" : ""}`} aria-busy={busy} data-what>
			<h2>What will happen</h2>
			{(draft.wrong || draft.blocked) && (
				<div className="my-2">
					<Warn>{draft.wrong || draft.blocked}</Warn>
				</div>
			)}
			{sheet?.checks.map((c) => (
				<div key={c.what} className="my-2 border-l-4 border-ink bg-sheet px-3 py-1.5" data-check={c.what}>
					{(c.answer !== "" || draft.blocked !== c.text) && <p>{c.text}</p>}
					<ul className="my-1 max-h-40 overflow-y-auto text-[12.5px]">
						{c.rows
							.filter((r) => r.line !== "")
							.map((r, i) => (
								<li key={`${r.line}${i}`} className="flex justify-between gap-3">
									<span className="code">
										{r.row > 0 && <span className="text-dim">{r.row} </span>}
										{r.line}
									</span>
									<span className="shrink-0 text-dim">{r.text}</span>
								</li>
							))}
						{c.more > 0 && <li className="text-dim">and {count(c.more)} more</li>}
					</ul>
					<div className="mt-1 grid gap-1" role="group" aria-label={c.text}>
						{c.options.map((o) => (
							<button
								key={o.value}
								type="button"
								aria-pressed={c.answer === o.value}
								className={`act-plain whitespace-normal text-left ${c.answer === o.value ? "border-ink font-semibold" : ""}`}
								onClick={() => settle({ sheet: sheet.number, check: c.what, value: o.value })}
							>
								{c.answer === o.value ? "✓ " : ""}
								{o.label}
							</button>
						))}
					</div>
				</div>
			))}
			{sheet?.questions
				.filter((q) => !q.optional)
				.map((q) => (
					<div key={q.column + q.what} className="my-2 border-l-4 border-ink bg-sheet px-3 py-1.5" data-question={q.what}>
						<button type="button" className="text-left" onClick={() => onColumn(q.column)}>
							{q.text}
						</button>
						<div className="mt-1 grid gap-1">
							{q.options.map((o) => (
								<button
									key={o.label}
									type="button"
									className="act-plain whitespace-normal text-left"
									onClick={() => settle({ sheet: sheet.number, set: o.set })}
								>
									{o.label}
								</button>
							))}
						</div>
					</div>
				))}
			{draft.asks && <Time key={draft.asks} draft={draft} settle={settle} />}
			<div className="mt-2 grid grid-cols-4 border border-rule text-center">
				{[
					["new", e.added],
					["changed", e.changed],
					["unchanged", e.unchanged],
					["refused", e.refused],
				].map(([name, n]) => (
					<div
						key={name}
						className={`border-r border-rule py-1.5 last:border-r-0 ${name === "refused" && Number(n) > 0 ? "bg-warn-wash" : ""}`}
						data-figure={name}
					>
						<div className={`code font-semibold ${Number(n) > 99_999 ? "text-[12.5px]" : "text-[15px]"}`}>{count(Number(n))}</div>
						<div className="text-[12px] text-dim">{name === "refused" && draft.kind === "counts" ? "in doubt" : name}</div>
					</div>
				))}
			</div>
			{e.gone > 0 && (
				<div className="mt-2 border-l-4 border-warn bg-warn-wash px-3 py-1" data-gone>
					<b className="text-warn">! </b>
					{count(e.gone)} of {many(e.recorded, "recorded line", "recorded lines")}{" "}
					{e.gone === 1 ? "is not in the file and becomes" : "are not in the file and become"} zero, worth {plain(e.gone_value)}.
				</div>
			)}
			{e.doubt > 0 && (
				<p className="mt-2" data-doubt>
					{many(e.doubt, "recorded line stays as it is: its row", "recorded lines stay as they are: their rows")} could not be read.
				</p>
			)}
			{sheet && <Problems draft={draft} sheet={sheet} drop={drop} settle={settle} only={only} onOnly={onOnly} onColumn={onColumn} />}
			{sheet && <Values sheet={sheet} settle={settle} />}
			{sheet && !draft.wrong && <Modes sheet={sheet} settle={settle} />}
			{e.made.length > 0 && (
				<div className="mt-2" data-made>
					{e.made.map((m) => (
						<details key={m.what}>
							<summary className="cursor-default">
								Makes {m.what}
								{m.codes.length <= 3 && (
									<>
										: <span className="code">{m.codes.join(", ")}</span>
									</>
								)}
							</summary>
							<p className="code ml-4 break-words text-dim">
								{m.codes.join(", ")}
								{m.more > 0 && ` and ${count(m.more)} more`}
							</p>
						</details>
					))}
				</div>
			)}
			{sheet?.held && sheet.held.only_here + sheet.held.only_there + sheet.held.other_code > 0 && (
				<p className="mt-2" data-held>
					Held against the recorded items: {count(sheet.held.only_here)} only in the file, {count(sheet.held.only_there)} only in the
					records, {count(sheet.held.other_code)} under another code.{" "}
					<a className="word" href={`/api/uploads/${draft.id}/against?sheet=${sheet.number}`} download>
						Download the list
					</a>
				</p>
			)}
			{sheet?.backs.map((b) => (
				<Back key={b.count} b={b} stay={(stays) => settle({ sheet: sheet.number, stays })} />
			))}
			{e.places.length > 0 && (
				<table className="mt-3 w-full text-right">
					<thead className="text-[12px] text-dim">
						<tr>
							<th className="text-left font-normal">Warehouse</th>
							<th className="font-normal">new</th>
							<th className="font-normal">changed</th>
							<th className="font-normal">same</th>
							<th className="font-normal">gone</th>
						</tr>
					</thead>
					<tbody className="code">
						{e.places.map((p) => (
							<tr key={p.warehouse} className="border-t border-hair">
								<td className="text-left">{p.warehouse}</td>
								<td>{count(p.added)}</td>
								<td>{count(p.changed)}</td>
								<td>{count(p.unchanged)}</td>
								<td>{count(p.gone)}</td>
							</tr>
						))}
					</tbody>
				</table>
			)}
			{e.examples.length > 0 && (
				<div className="mt-3">
					<h2>For example</h2>
					{e.examples.map((x, i) => (
						<div key={i} className="border-b border-hair py-0.5 text-[12px]">
							<span className="mr-1.5 text-dim">{x.what}</span>
							<span className="code">{x.line}</span>
							<div className="code truncate pl-4" title={`${x.before} → ${x.after}`}>
								{x.before && <span className={x.what === "gone" ? "line-through" : "text-dim"}>{x.before}</span>}
								{x.before && x.after && " → "}
								{x.after}
							</div>
						</div>
					))}
				</div>
			)}
			{sheet && <Granted draft={draft} sheet={sheet} settle={settle} />}
		</div>
	);
}

/** What was taken for granted: rows passed over, offers, and sentences. */
function Granted({ draft, sheet, settle }: { draft: Draft; sheet: Sheet; settle: Settle }) {
	const offers = sheet.questions.filter((q) => q.optional);
	if (draft.assumed.length + sheet.skipped.length + offers.length === 0) return null;
	const lines = sheet.skipped.filter((s) => s.why !== "filtered" && s.why !== "hidden" && s.why !== "blocks");
	return (
		<div className="mt-3" data-granted>
			<h2>Taken for granted</h2>
			{sheet.skipped.map((s) => (
				<p key={s.why} className="text-dim">
					{s.text} skipped: {s.rows.length === 1 ? "row" : "rows"} {s.rows.slice(0, 8).join(", ")}
					{s.rows.length > 8 && " …"}
				</p>
			))}
			{(lines.length > 0 || sheet.given.aside === "take") && (
				<button
					type="button"
					className="word"
					onClick={() => settle({ sheet: sheet.number, set: { aside: sheet.given.aside === "take" ? "pass" : "take" } })}
				>
					{sheet.given.aside === "take" ? "Skip totals and notes" : "They are lines: take them"}
				</button>
			)}
			{offers.map((q) => (
				<p key={q.column + q.what} className="mt-1 text-dim" data-offer={q.what}>
					{q.text}{" "}
					{q.options.map((o) => (
						<button key={o.label} type="button" className="word mr-3 text-ink" onClick={() => settle({ sheet: sheet.number, set: o.set })}>
							{o.label}
						</button>
					))}
				</p>
			))}
			{draft.assumed.map((a) => (
				<p key={a} className="text-dim">
					{a}
				</p>
			))}
		</div>
	);
}

/** Which rows are taken, and what they do to what is there. */
function Modes({ sheet, settle }: { sheet: Sheet; settle: Settle }) {
	const g = sheet.given;
	const set = (more: Layout) => settle({ sheet: sheet.number, set: more });
	const words = <K extends "rows" | "extent" | "quantity" | "doubles" | "new_items">(
		key: K,
		label: string,
		options: [NonNullable<Layout[K]>, string][],
		now: string,
	) => (
		<div className="flex items-baseline gap-2" role="group" aria-label={label}>
			<span className="w-24 shrink-0 text-dim">{label}</span>
			<span>
				{options.map(([value, word]) => (
					<button
						key={value}
						type="button"
						aria-pressed={now === value}
						className={`mr-3 ${now === value ? "font-semibold underline decoration-2 underline-offset-4" : "hover:underline"}`}
						onClick={() => set({ [key]: value })}
					>
						{word}
					</button>
				))}
			</span>
		</div>
	);
	const names = ["sku", "further_sku", "barcode", "item_id", "description"].filter(
		(f) => sheet.columns.some((c) => c.field === f) || sheet.worked.some((w) => w.field === f),
	);
	const known = sheet.kind !== "places" && sheet.kind !== "items" && names.length > 1 && (
		<div className="flex items-baseline gap-2" role="group" aria-label="Items are known by">
			<span className="w-24 shrink-0 text-dim">Items by</span>
			<span>
				{names.map((f) => (
					<button
						key={f}
						type="button"
						aria-pressed={sheet.identity === f}
						className={`mr-3 ${sheet.identity === f ? "font-semibold underline decoration-2 underline-offset-4" : "hover:underline"}`}
						onClick={() => set({ identify: f })}
					>
						{fieldTitle(sheet, f).toLowerCase().replace("sku", "SKU")}
					</button>
				))}
			</span>
		</div>
	);
	if (sheet.kind === "counts" || sheet.kind === "movements") return known ? <div className="mt-3">{known}</div> : null;
	const added = g.quantity === "add" || g.quantity === "take";
	const part = sheet.checks.find((c) => c.what === "part");
	const only = g.extent === "only" || added || part?.answer === "part";
	const open = part?.answer === "" && !only;
	return (
		<div className="mt-3 grid gap-0.5" data-modes>
			{known}
			{words(
				"rows",
				"Take",
				[
					["both", "new and changed"],
					["add", "only new"],
					["change", "only changes"],
				],
				g.rows ?? "both",
			)}
			{sheet.kind === "stock" && (
				<>
					{words(
						"extent",
						"The file holds",
						[
							["whole", "all stock of its warehouses"],
							["only", "only some lines"],
						],
						open ? "" : only ? "only" : "whole",
					)}
					<p className="pl-26 text-[12px] text-dim">
						{open
							? "is asked above"
							: only
								? "all other lines stay as they are"
								: sheet.effect.gone > 0
									? "what is recorded and not in the file becomes zero"
									: "nothing recorded goes"}
					</p>
					{words(
						"quantity",
						"Quantities",
						[
							["replace", "replace"],
							["add", "are added"],
							["take", "are taken off"],
						],
						g.quantity ?? "replace",
					)}
					{words(
						"new_items",
						"Unknown items",
						[
							["make", "make"],
							["refuse", "refuse"],
							["skip", "leave out"],
						],
						g.new_items ?? "make",
					)}
				</>
			)}
		</div>
	);
}

/** What a returned sheet would do. */
function Back({ b, stay }: { b: Sheet["backs"][number]; stay: (rows: number[]) => void }) {
	return (
		<div className="mt-2" data-back={b.count}>
			<p>
				{b.sheets.length > 0 ? (
					<>
						Sheet <span className="code">{b.sheets.join(", ")}</span> of{" "}
					</>
				) : (
					"For "
				)}
				<b>{b.count_name}</b>
				{b.by && `, counted by ${b.by}`}.
			</p>
			{b.empty > 0 && (
				<p>{b.empty === 1 ? "1 row is empty and stays uncounted." : `${count(b.empty)} rows are empty and stay uncounted.`}</p>
			)}
			{[
				["Found: the count has no such line", b.hand.filter((h) => h.new)] as const,
				["Without a row code, known by bin and item", b.hand.filter((h) => !h.new)] as const,
			].map(
				([title, rows]) =>
					rows.length > 0 && (
						<div key={title} className="mt-1">
							<p className="font-semibold">{title}</p>
							{rows.map((h) => (
								<p key={h.row} className="flex justify-between">
									<span className="code truncate">{h.line}</span>
									<span className="code">
										{plain(h.quantity)} {h.new && <span className="text-over">▲ found</span>}
									</span>
								</p>
							))}
						</div>
					),
			)}
			{b.by_hand > b.hand.length && <p className="text-dim">and {count(b.by_hand - b.hand.length)} more without a row code</p>}
			{b.off && b.off.off > 0 && (
				<p className={b.off.off * 2 > b.off.lines ? "text-warn" : ""} data-off>
					{b.off.off * 2 > b.off.lines && b.off.lines > 3 && <b>! </b>}
					{count(b.off.off)} of {many(b.off.lines, "line", "lines")} off what was frozen: {!isZero(b.off.short) && <Off of={b.off.short} />}{" "}
					{!isZero(b.off.over) && <Off of={b.off.over} />}
					{b.off.off * 2 > b.off.lines && b.off.lines > 3 && ". Is it the right column?"}
				</p>
			)}
			{b.revisions.length > 0 && (
				<p className="mt-1 font-semibold">
					A revision: these counts replace earlier ones.{" "}
					<span className="font-normal">
						Where one is not to, the earlier count stays.{" "}
						<button
							type="button"
							className="word"
							onClick={() => stay(b.revisions.every((r) => r.stays) ? [] : b.revisions.map((r) => r.row))}
						>
							{b.revisions.every((r) => r.stays) ? "All of them do" : "None of them does"}
						</button>
					</span>
				</p>
			)}
			{b.revisions.map((r) => (
				<label key={r.row} className={`flex justify-between gap-2 ${r.stays ? "text-dim" : ""}`} data-revision={r.row}>
					<span className="flex min-w-0 items-center gap-1.5">
						<input
							type="checkbox"
							checked={!r.stays}
							onChange={() =>
								stay(
									r.stays
										? b.revisions.filter((x) => x.stays && x.row !== r.row).map((x) => x.row)
										: [...b.revisions.filter((x) => x.stays).map((x) => x.row), r.row],
								)
							}
						/>
						<span className="code truncate">{r.line}</span>
					</span>
					<span className="code shrink-0">
						{plain(r.before)} {r.stays ? "stays, not" : "→"} {plain(r.after)}
					</span>
				</label>
			))}
		</div>
	);
}

function Time({ draft, settle }: { draft: Draft; settle: Settle }) {
	const [text, setText] = useState(draft.asks === "recorded_at" ? (draft.choices.recorded_at ?? "") : (draft.choices.counted_at ?? ""));
	if (draft.asks === "count") return <WhichCount settle={settle} />;
	return (
		<form
			className="my-2 flex items-end gap-2"
			onSubmit={(e) => {
				e.preventDefault();
				const at = text.replace("T", " ");
				settle(draft.asks === "recorded_at" ? { recorded_at: at } : { counted_at: at });
			}}
		>
			<label className="flex-1">
				<span className="block text-dim">{draft.asks === "recorded_at" ? "When were the figures true?" : "When was it counted?"}</span>
				<input type="datetime-local" className="w-full" value={text} onChange={(e) => setText(e.target.value)} />
			</label>
			<button type="submit" className="act-plain" disabled={!text}>
				Set this time
			</button>
		</form>
	);
}

function WhichCount({ settle }: { settle: Settle }) {
	const today = useQuery({ queryKey: key.today, queryFn: () => ask(api.GET("/api/today")) });
	const counts = today.data?.counts.filter((c) => c.state === "running");
	return (
		<div className="my-2">
			{counts?.map((c) => (
				<button key={c.id} type="button" className="act-plain mb-1 block w-full text-left" onClick={() => settle({ count: c.id })}>
					It belongs to {c.name}
				</button>
			))}
		</div>
	);
}

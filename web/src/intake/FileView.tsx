import { keepPreviousData, useQueries } from "@tanstack/react-query";
import { useEffect, useLayoutEffect, useMemo, useRef, useState } from "react";
import { api, ask, type Schemas } from "../api/client";
import { count } from "../frame/figures";
import { ColumnHead } from "./ColumnHead";
import type { Drop } from "./drops";
import type { Settle, Sheet } from "./settling";

type Row = Schemas["FileRow"];

const rowHeight = 23;
const page = 100;
const tallest = 12_000_000; // pixels; beyond that one pixel of the scroll bar is several rows

/** How many columns beyond the header are shown at most. */
const mostBeyond = 40;

/** A column that the header does not name, for the cells of rows that are too long. */
function nameless(i: number): Sheet["columns"][number] {
	let letter = "";
	for (let n = i + 1; n > 0; n = Math.floor((n - 1) / 26)) letter = String.fromCharCode(65 + ((n - 1) % 26)) + letter;
	return { letter, header: "", field: "", why: "", lines: false };
}

/**
 * The file as it is, all of it, with true row numbers: rows are fetched by the page as they come into sight. Above each
 * column the field that it was taken for. A cell is mended in place; the file itself stays as it is.
 */
export function FileView({
	drop,
	sheet,
	settle,
	only,
	column,
	onColumn,
}: {
	drop: Drop;
	sheet: Sheet;
	settle: Settle;
	only: { kind: string; field: string } | null;
	column: string;
	onColumn: (letter: string) => void;
}) {
	const draft = drop.draft as Schemas["Draft"];
	const box = useRef<HTMLDivElement>(null);
	const head = useRef<HTMLDivElement>(null);
	const [view, setView] = useState({ top: 0, height: 600 });
	const [at, setAt] = useState({ row: 0, col: 0 });
	const [editing, setEditing] = useState<string | null>(null);
	const group = only && sheet.problems.some((g) => g.kind === only.kind && g.field === only.field) ? only : null;
	const groupKey = group ? `${group.kind}:${group.field}` : "";
	const [known, setKnown] = useState<number | null>(null); // how many rows there are, once the server has told
	const total = known ?? sheet.shown;

	const full = total * rowHeight;
	const height = Math.min(full, tallest);
	const headHeight = head.current?.offsetHeight ?? 60;
	const visible = Math.ceil(Math.max(view.height - headHeight, rowHeight) / rowHeight) + 1;
	const scale = full > tallest ? (full - (view.height - headHeight)) / (height - (view.height - headHeight)) : 1;
	const first = Math.max(0, Math.min(Math.floor((view.top * scale) / rowHeight), Math.max(total - visible + 1, 0)));
	const pages = useMemo(() => {
		const out: number[] = [];
		for (let p = Math.floor(first / page); p <= Math.floor(Math.max(Math.min(first + visible, total) - 1, 0) / page); p++) out.push(p);
		return out;
	}, [first, visible, total]);
	const got = useQueries({
		queries: pages.map((p) => ({
			queryKey: ["draft-rows", draft.id, drop.seen, sheet.number, groupKey, p],
			staleTime: Number.POSITIVE_INFINITY,
			gcTime: 60_000,
			placeholderData: keepPreviousData,
			queryFn: () =>
				ask(
					api.GET("/api/uploads/{draft}/rows", {
						params: {
							path: { draft: draft.id },
							query: { sheet: sheet.number, from: p * page, limit: page, kind: group?.kind, field: group?.field },
						},
					}),
				),
		})),
	});
	const told = got.find((g) => g.data)?.data?.total;
	useEffect(() => {
		if (told !== undefined) setKnown(told);
	}, [told]);
	// biome-ignore lint/correctness/useExhaustiveDependencies: another group or sheet begins at its top
	useEffect(() => {
		box.current?.scrollTo({ top: 0 });
		setAt((a) => ({ row: 0, col: a.col }));
		setKnown(null);
	}, [groupKey, sheet.number]);
	useLayoutEffect(() => {
		const b = box.current;
		if (!b) return;
		const measure = () => setView((v) => (v.height === b.clientHeight ? v : { ...v, height: b.clientHeight }));
		measure();
		const watch = new ResizeObserver(measure);
		watch.observe(b);
		return () => watch.disconnect();
	}, []);

	const rowAt = (i: number): Row | undefined => got[pages.indexOf(Math.floor(i / page))]?.data?.rows[i % page];
	const beyond = Math.max(0, ...got.flatMap((g) => g.data?.rows.map((r) => r.cells.length - sheet.columns.length) ?? []));
	const columns = useMemo(
		() => [...sheet.columns, ...Array.from({ length: Math.min(beyond, mostBeyond) }, (_, i) => nameless(sheet.columns.length + i))],
		[sheet.columns, beyond],
	);
	const widths = useMemo(() => {
		const most = new Map<number, number>();
		for (const g of got)
			for (const r of g.data?.rows.slice(0, 60) ?? [])
				for (const [i, c] of r.cells.entries()) {
					const is = r.taken.find((t) => t.column === sheet.columns[i]?.letter);
					if (r.row >= sheet.header_row) most.set(i, Math.max(most.get(i) ?? 0, c.length + (is ? is.text.length + 3 : 0)));
				}
		return columns.map((_, i) => Math.min(Math.max(118, 22 + (most.get(i) ?? 0) * 7.9), 250));
	}, [got, columns, sheet.columns, sheet.header_row]);
	const gutter = Math.max(64, 34 + count(total + sheet.header_row).length * 8);
	const grid = { gridTemplateColumns: `${gutter}px ${widths.map((w) => `${w}px`).join(" ")}` };
	const wide = gutter + widths.reduce((a, b) => a + b, 0);

	// biome-ignore lint/correctness/useExhaustiveDependencies: only where another column is asked for
	useEffect(() => {
		const i = sheet.columns.findIndex((c) => c.letter === column);
		if (i >= 0) {
			setAt((a) => ({ ...a, col: i }));
			box.current?.scrollTo({ left: Math.max(0, widths.slice(0, i).reduce((a, b) => a + b, 0) - 120) });
		}
	}, [column]);

	const go = (row: number, col: number) => {
		const to = { row: Math.max(0, Math.min(total - 1, row)), col: Math.max(0, Math.min(columns.length - 1, col)) };
		setAt(to);
		const b = box.current;
		if (!b) return;
		if (to.row < first || to.row >= first + visible - 2) {
			const wanted = to.row < first ? to.row : to.row - visible + 3;
			b.scrollTo({ top: Math.max(0, (wanted * rowHeight) / scale) });
		}
		const left = gutter + widths.slice(0, to.col).reduce((a, b) => a + b, 0);
		const right = left + (widths[to.col] ?? 0);
		if (left - gutter < b.scrollLeft) b.scrollTo({ left: left - gutter });
		else if (right > b.scrollLeft + b.clientWidth) b.scrollTo({ left: right - b.clientWidth });
	};
	const filled = new Set((sheet.given.columns ?? []).filter((c) => c.fill === "down").map((c) => c.column));
	const cell = rowAt(at.row)?.cells[at.col] ?? "";
	const mend = () => {
		const row = rowAt(at.row);
		const letter = columns[at.col]?.letter;
		if (editing !== null && row && letter && editing !== cell) {
			settle({ sheet: sheet.number, mends: [{ row: row.row, column: letter, was: cell, is: editing }] });
		}
		setEditing(null);
		box.current?.focus();
	};
	const keys = (e: React.KeyboardEvent) => {
		if (editing !== null || e.target !== box.current) return;
		const jump: Record<string, [number, number]> = {
			ArrowDown: [at.row + 1, at.col],
			ArrowUp: [at.row - 1, at.col],
			ArrowRight: [at.row, at.col + 1],
			ArrowLeft: [at.row, at.col - 1],
			PageDown: [at.row + visible - 3, at.col],
			PageUp: [at.row - visible + 3, at.col],
			Home: [0, at.col],
			End: [total - 1, at.col],
		};
		const to = jump[e.key];
		if (to) {
			e.preventDefault();
			go(...to);
		} else if (e.key === "F2" || e.key === "Enter") {
			e.preventDefault();
			setEditing(cell);
		} else if ((e.ctrlKey || e.metaKey) && e.key.toLowerCase() === "c") {
			navigator.clipboard?.writeText(cell);
		}
	};

	return (
		<div
			ref={box}
			className="min-h-0 flex-1 overflow-auto"
			tabIndex={0}
			role="grid"
			aria-label="The file as it is"
			aria-rowcount={total}
			aria-colcount={columns.length}
			onScroll={(e) => setView((v) => ({ ...v, top: (e.target as HTMLElement).scrollTop }))}
			onKeyDown={keys}
			data-file-view
		>
			<div style={{ height: height + headHeight, width: wide, position: "relative" }}>
				<div ref={head} className="sticky top-0 z-20 grid border-b border-ink bg-paper" style={{ ...grid, width: wide }} role="row">
					<div className="sticky left-0 z-10 border-r border-rule bg-paper px-2 py-1 text-right text-[12px] text-dim" role="columnheader">
						{group ? `${count(total)} rows` : "row"}
					</div>
					{sheet.columns.map((c, i) => (
						<ColumnHead key={c.letter} sheet={sheet} column={c} settle={settle} inHand={i === at.col} onPick={() => onColumn(c.letter)} />
					))}
					{columns.slice(sheet.columns.length).map((c) => (
						<div key={c.letter} className="px-2 py-1 text-[12px] text-warn" role="columnheader">
							{c.letter} beyond the header
						</div>
					))}
				</div>
				<div style={{ position: "sticky", top: headHeight, height: 0 }}>
					<div style={{ position: "absolute", top: scale > 1 ? 0 : first * rowHeight - view.top, width: wide }} data-rows>
						{Array.from({ length: Math.max(0, Math.min(visible, total - first)) }, (_, k) => {
							const i = first + k;
							const r = rowAt(i);
							const isHead = r !== undefined && r.row <= sheet.header_row && r.row > sheet.header_row - sheet.header_rows;
							const above = r !== undefined && r.row <= sheet.header_row - sheet.header_rows;
							const wrong = new Set(r?.wrong.map((w) => w.column));
							return (
								<div
									key={i}
									role="row"
									aria-rowindex={i + 1}
									className={`grid border-b ${isHead ? "font-semibold" : ""} ${isHead && r?.row === sheet.header_row ? "border-ink" : "border-hair"} ${above ? "text-dim" : ""} ${i === at.row ? "bg-sheet" : ""}`}
									style={{ ...grid, height: rowHeight }}
									title={r?.wrong.map((w) => `${w.column}${w.row}: ${w.brief}`).join("\n") || undefined}
								>
									<div
										className={`code sticky left-0 z-10 truncate border-r border-rule px-2 text-right leading-[22px] text-dim ${i === at.row ? "bg-sheet" : "bg-paper"}`}
										role="rowheader"
									>
										{r?.bad && <b className="text-warn">! </b>}
										{r ? count(r.row) : "…"}
									</div>
									{columns.map((c, col) => {
										const on = i === at.row && col === at.col;
										const bad = wrong.has(c.letter) || (col >= sheet.columns.length && r?.bad === true && !!r.cells[col]);
										const mended = r?.mended.includes(c.letter);
										const is = r?.taken.find((t) => t.column === c.letter);
										return (
											<div
												key={c.letter}
												role="gridcell"
												aria-selected={on}
												data-cell={r ? `${c.letter}${r.row}` : undefined}
												className={`code truncate border-r border-hair px-2 leading-[22px] ${bad ? "bg-warn-wash" : mended ? "bg-tone/60" : ""} ${c.field || isHead || above ? "" : "text-dim"} ${on ? "outline-2 -outline-offset-2 outline-ink" : ""}`}
												onClick={() => {
													setAt({ row: i, col });
													onColumn(c.letter);
												}}
												onDoubleClick={() => {
													setAt({ row: i, col });
													setEditing(r?.cells[col] ?? "");
												}}
											>
												{on && editing !== null ? (
													<input
														autoFocus
														className="code -mx-1.5 h-5 w-full"
														style={{ minHeight: 0 }}
														aria-label={`Mend the cell ${c.letter}${r?.row}`}
														value={editing}
														onChange={(e) => setEditing(e.target.value)}
														onBlur={mend}
														onKeyDown={(e) => {
															e.stopPropagation();
															if (e.key === "Enter") mend();
															if (e.key === "Escape") {
																setEditing(null);
																box.current?.focus();
															}
														}}
													/>
												) : (
													<>
														{mended ? <span title="mended by hand">✎ </span> : ""}
														{is ? (
															<>
																<span className="text-dim">{r?.cells[col]} →</span> {is.text}
															</>
														) : (
															r?.cells[col] ||
															(filled.has(c.letter) && r && r.row > sheet.header_row ? <span className="text-dim">″</span> : "")
														)}
													</>
												)}
											</div>
										);
									})}
								</div>
							);
						})}
					</div>
				</div>
			</div>
		</div>
	);
}

import { useVirtualizer } from "@tanstack/react-virtual";
import { type ReactNode, useEffect, useMemo, useRef, useState } from "react";
import { count, many, plain } from "../frame/figures";
import { typing } from "../frame/typing";
import { Arrange, type Out, useArranged } from "./Arrange";
import { Cell } from "./Cell";
import { useSorted } from "./sorted";

export type Column<R> = {
	key: string;
	title: string;
	width: string; // of a CSS grid track; one in px is the least, and the column is as wide as its longest code or figure
	right?: boolean;
	shape?: boolean; // its figures bear a shape and a sign
	cell: (row: R) => ReactNode;
	text: (row: R) => string; // for copying to a spreadsheet
	edit?: (row: R) => string; // what stands in it when it is opened to be changed; left out: it is not changed here
	off?: boolean; // left out unless somebody chooses it
	room?: number; // px of the list below which it is left out: what a line is known and judged by stays in sight without scrolling sideways
	header?: string; // by which files know it, where that is not its title
};

const rowHeight = 25;
const letter = 7.95; // px of a letter of a code or figure
const around = 18; // px beside it
const mostSorted = 20_000; // lines that are had to be sorted

/** What pressing a header makes of the sorting: up, then down, then as the list comes. */
const turned = (sort: { key: string; down: boolean } | undefined, key: string) =>
	sort?.key !== key ? { key, down: false } : sort.down ? undefined : { key, down: true };

/** How wide the columns are: codes and figures are never cut, so a column grows with the longest that came so far. */
function useTracks<R>(columns: Column<R>[], rows: R[]): { gridTemplateColumns: string; minWidth: number } {
	const seen = useRef({ first: undefined as R | undefined, keys: "", n: 0, whole: [] as number[], part: [] as number[] });
	const keys = columns.map((c) => c.key).join();
	const s = seen.current;
	if (s.keys !== keys || rows[0] !== s.first || rows.length < s.n) {
		const none = () => columns.map(() => 0);
		seen.current = { first: rows[0], keys, n: 0, whole: none(), part: none() };
	}
	const now = seen.current;
	for (const row of rows.slice(now.n))
		columns.forEach((c, n) => {
			// A figure has its thousands apart, its points stand under each other, and a shape and sign may go before it.
			const text = c.text(row);
			const [whole = "", part] = c.right && /^-?\d/.test(text) ? plain(text).split(".") : [text];
			now.whole[n] = Math.max(now.whole[n] ?? 0, whole.length + (c.shape && !text.startsWith("-") ? 3 : c.shape ? 2 : 0));
			now.part[n] = Math.max(now.part[n] ?? 0, part === undefined ? 0 : part.length + 1);
		});
	now.n = rows.length;
	let minWidth = 0;
	const tracks = columns.map((c, n) => {
		const least = Number.parseFloat(c.width.replace("minmax(", ""));
		const wide = c.width.endsWith("px") ? Math.max(least, Math.ceil(((now.whole[n] ?? 0) + (now.part[n] ?? 0)) * letter) + around) : least;
		minWidth += wide;
		return c.width.endsWith("px") ? `${wide}px` : c.width;
	});
	return { gridTemplateColumns: tracks.join(" "), minWidth };
}

/** How wide an element is, as it is told whenever that changes; 0 before it is there. */
function useWidth(of: React.RefObject<HTMLElement | null>) {
	const [width, setWidth] = useState(0);
	useEffect(() => {
		const it = of.current;
		if (!it) return;
		const watch = new ResizeObserver(() => setWidth(it.clientWidth));
		watch.observe(it);
		return () => watch.disconnect();
	}, [of]);
	return width;
}

/** Every list of lines: virtual rows, spreadsheet keys, marked rows copied as cells. */
export function Lines<R>({
	label,
	columns: offered,
	rows: given,
	rowKey,
	active: index,
	onActive: onIndex,
	idle,
	marked,
	onMark,
	more,
	onMore,
	onKey,
	onOpen,
	tint,
	empty,
	out,
	onEdit,
	onPaste,
	ordered,
}: {
	label: string;
	columns: Column<R>[];
	rows: R[];
	rowKey: (row: R) => number;
	active: number;
	onActive: (index: number) => void;
	idle?: boolean; // no line is in hand: the one that was left the list
	marked?: ReadonlySet<number>;
	onMark?: (keys: ReadonlySet<number>) => void;
	more?: boolean;
	onMore?: () => void;
	onKey?: (key: string) => boolean;
	onOpen?: (row: R) => void;
	tint?: (row: R) => string;
	empty?: ReactNode;
	out?: Out; // the list as a file
	onEdit?: (row: R, key: string, value: string, saw: string) => Promise<unknown>; // changes a cell, or throws why not
	onPaste?: (text: string, rows: R[], columns: Column<R>[]) => void; // cells of a spreadsheet, with the lines and columns from those in hand on
	ordered?: boolean; // its order means something, so it is not sorted otherwise
}) {
	const box = useRef<HTMLDivElement>(null);
	const width = useWidth(box);
	const [chosen, arranged, arrange] = useArranged(label, offered);
	const columns = useMemo(() => chosen.filter((c) => !c.room || width === 0 || c.room <= width), [chosen, width]);
	const list = useSorted(offered, given, ordered ? undefined : arranged.sort);
	const { rows } = list;
	const active = list.placeOf(index);
	const onActive = (i: number) => onIndex(list.indexOf(i));
	const anchor = useRef(active);
	const virtual = useVirtualizer({
		count: rows.length,
		getScrollElement: () => box.current,
		estimateSize: () => rowHeight,
		overscan: 12,
		scrollPaddingStart: rowHeight,
	});
	const items = virtual.getVirtualItems();
	const last = items.at(-1)?.index ?? 0;
	useEffect(() => {
		if (more && (last >= rows.length - 40 || (list.sorted && rows.length < mostSorted))) onMore?.();
	}, [more, last, rows.length, list.sorted, onMore]);
	const editable = useMemo(() => (onEdit ? columns.flatMap((c, n) => (c.edit ? [n] : [])) : []), [onEdit, columns]);
	const [inHand, setColumn] = useState(0);
	const column = editable.includes(inHand) ? inHand : (editable[0] ?? -1);
	const [editing, setEditing] = useState(false);
	const [copied, setCopied] = useState("");
	const fading = useRef<ReturnType<typeof setTimeout>>(undefined);
	const editNext = (by: number) => {
		const to = editable[editable.indexOf(column) + by];
		if (to !== undefined) setColumn(to);
	};
	const close = () => {
		setEditing(false);
		box.current?.focus();
	};

	const go = (index: number, extend: boolean) => {
		const to = Math.max(0, Math.min(rows.length - 1, index));
		if (rows.length === 0) return;
		onActive(to);
		virtual.scrollToIndex(to);
		if (extend && onMark) {
			const [a, b] = [Math.min(anchor.current, to), Math.max(anchor.current, to)];
			onMark(new Set(rows.slice(a, b + 1).map(rowKey)));
		} else {
			anchor.current = to;
		}
	};
	const toggle = (index: number) => {
		const row = rows[index];
		if (!row || !onMark || !marked) return;
		const next = new Set(marked);
		const k = rowKey(row);
		if (!next.delete(k)) next.add(k);
		onMark(next);
	};
	const copy = () => {
		const taken = marked && marked.size > 0 ? rows.filter((r) => marked.has(rowKey(r))) : rows.slice(active, active + 1);
		// Those too that have no room here: what is copied does not go by the size of the window.
		const cells = [
			chosen.map((c) => c.header ?? c.title.replace(/ ↓$/, "")),
			...taken.map((r) => chosen.map((c) => c.text(r).replace(/[\t\n]/g, " "))),
		];
		navigator.clipboard?.writeText(cells.map((row) => row.join("\t")).join("\n"));
		clearTimeout(fading.current);
		setCopied(`${many(taken.length, "line", "lines")} copied, below a header.`);
		fading.current = setTimeout(() => setCopied(""), 4_000);
	};
	const keys = (e: React.KeyboardEvent) => {
		const page = Math.max(1, Math.floor((box.current?.clientHeight ?? 300) / rowHeight) - 2);
		const jump: Record<string, number> = {
			ArrowDown: active + 1,
			ArrowUp: active - 1,
			PageDown: active + page,
			PageUp: active - page,
			Home: 0,
			End: rows.length - 1,
		};
		const to = jump[e.key];
		if (idle && e.key === "Enter") return;
		if (to !== undefined) {
			e.preventDefault();
			go(to, e.shiftKey);
		} else if ((e.ctrlKey || e.metaKey) && e.key.toLowerCase() === "c") {
			copy();
		} else if ((e.ctrlKey || e.metaKey) && e.key.toLowerCase() === "a" && onMark) {
			e.preventDefault();
			onMark(new Set(rows.map(rowKey)));
		} else if (column >= 0 && (e.key === "ArrowLeft" || e.key === "ArrowRight")) {
			e.preventDefault();
			editNext(e.key === "ArrowLeft" ? -1 : 1);
		} else if (column >= 0 && e.key === "F2") {
			e.preventDefault();
			setEditing(true);
		} else if (e.ctrlKey || e.metaKey || e.altKey) {
			return;
		} else if (e.key === "x" || e.key === " ") {
			e.preventDefault();
			toggle(active);
			go(active + 1, false);
		} else if (e.key === "Escape" && marked && marked.size > 0) {
			e.preventDefault();
			onMark?.(new Set());
		} else if (e.key === "Enter" && onOpen) {
			const row = rows[active];
			if (row) onOpen(row);
		} else if (onKey?.(e.key)) {
			e.preventDefault();
		}
	};
	// Whoever arrives has the keys where the work is: on the lines, unless something is being typed or pressed already.
	useEffect(() => {
		const at = document.activeElement;
		if (at === null || at === document.body || at.tagName === "A") box.current?.focus({ preventScroll: true });
	}, []);
	const grid = useTracks(columns, rows);
	return (
		<div className="relative flex min-h-0 flex-1 flex-col">
			<div
				ref={box}
				className="min-h-0 flex-1 overflow-auto"
				tabIndex={0}
				role="grid"
				aria-label={label}
				aria-rowcount={more ? -1 : rows.length}
				onKeyDown={(e) => {
					if (!typing(e)) keys(e);
				}}
				onPaste={(e) => {
					const text = e.clipboardData.getData("text/plain");
					if (!onPaste || typing(e) || text.trim() === "") return;
					e.preventDefault();
					onPaste(text, rows.slice(active), columns.slice(Math.max(0, column)));
				}}
				data-lines
			>
				<div className="sticky top-0 z-10 grid min-w-full border-b border-ink bg-paper text-[12px] text-dim" style={grid} role="row">
					{columns.map((c, n) => (
						<div
							key={c.key}
							role="columnheader"
							aria-sort={arranged.sort?.key === c.key && list.sorted ? (arranged.sort.down ? "descending" : "ascending") : undefined}
							className={`truncate py-1 pl-2 ${c.right ? "text-right" : ""} ${n === columns.length - 1 ? "pr-5" : "pr-2"}`}
						>
							{ordered || c.title === "" ? (
								c.title
							) : (
								<button
									type="button"
									className="hover:text-ink"
									title={`Sort by ${c.title}`}
									tabIndex={-1}
									onClick={() => arrange({ ...arranged, sort: turned(arranged.sort, c.key) })}
								>
									{c.title}
									{list.sorted && arranged.sort?.key === c.key ? (arranged.sort.down ? " ↓" : " ↑") : ""}
								</button>
							)}
						</div>
					))}
				</div>
				{rows.length === 0 && empty}
				<div style={{ height: virtual.getTotalSize(), minWidth: grid.minWidth, position: "relative" }}>
					{items.map((v) => {
						const row = rows[v.index] as R;
						const k = rowKey(row);
						const on = v.index === active && !idle;
						const mark = marked?.has(k);
						return (
							<div
								key={k}
								role="row"
								aria-selected={mark ?? on}
								aria-rowindex={v.index + 1}
								data-active={on || undefined}
								className={`absolute left-0 grid w-full items-center border-b border-hair ${on ? "bg-sheet outline-1 -outline-offset-1 outline-ink" : mark ? "bg-tone/50" : (tint?.(row) ?? "")}`}
								style={{ ...grid, height: rowHeight, transform: `translateY(${v.start}px)` }}
								onClick={(e) => {
									go(v.index, e.shiftKey);
									if (e.ctrlKey || e.metaKey) toggle(v.index);
								}}
								onDoubleClick={() => onOpen?.(row)}
							>
								{(on || mark) && <span className={`absolute inset-y-0 left-0 ${mark ? "w-1.5 bg-ink" : "w-1 bg-dim"}`} />}
								{columns.map((c, n) =>
									on && editing && n === column && c.edit && onEdit ? (
										<div key={c.key} role="gridcell">
											<Cell
												label={c.title}
												text={c.edit(row)}
												right={c.right}
												onKeep={(value, saw) => onEdit(row, c.key, value, saw)}
												onClose={(step) => {
													close();
													if (step === "down") go(v.index + 1, false);
													if (step === "on") editNext(1);
												}}
											/>
										</div>
									) : (
										<div
											key={c.key}
											role="gridcell"
											className={`truncate px-2 ${c.right ? "text-right" : ""} ${on && n === column ? "outline-1 -outline-offset-2 outline-dim" : ""}`}
											onMouseDown={() => {
												if (c.edit && onEdit) setColumn(n);
											}}
											onDoubleClick={(e) => {
												if (!c.edit || !onEdit) return;
												e.stopPropagation();
												setColumn(n);
												setEditing(true);
											}}
										>
											{c.cell(row)}
										</div>
									),
								)}
							</div>
						);
					})}
				</div>
			</div>
			<p role="status" className={copied ? "border-t border-hair px-2 text-[12px] text-dim" : ""} data-copied>
				{copied}
			</p>
			{list.sorted && more && rows.length >= mostSorted && (
				<p className="border-t border-hair px-2 text-[12px] text-warn" role="status">
					! Sorted are the first {count(rows.length)} lines alone. Narrow the list to sort all of it.
				</p>
			)}
			<Arrange label={label} offered={offered} columns={chosen} fitting={columns} arranged={arranged} onArrange={arrange} out={out} />
		</div>
	);
}

import { useVirtualizer } from "@tanstack/react-virtual";
import { type ReactNode, useEffect, useRef } from "react";
import { plain } from "../frame/figures";
import { Arrange, useArranged } from "./Arrange";

export type Column<R> = {
	key: string;
	title: string;
	width: string; // of a CSS grid track; one in px is the least, and the column is as wide as its longest code or figure
	right?: boolean;
	shape?: boolean; // its figures bear a shape and a sign
	cell: (row: R) => ReactNode;
	text: (row: R) => string; // for copying to a spreadsheet
};

const rowHeight = 25;
const letter = 7.95; // px of a letter of a code or figure
const around = 18; // px beside it

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

/** Every list of lines: virtual rows, spreadsheet keys, marked rows copied as cells. */
export function Lines<R>({
	label,
	columns: offered,
	rows,
	rowKey,
	active,
	onActive,
	marked,
	onMark,
	more,
	onMore,
	onKey,
	onOpen,
	tint,
	empty,
}: {
	label: string;
	columns: Column<R>[];
	rows: R[];
	rowKey: (row: R) => number;
	active: number;
	onActive: (index: number) => void;
	marked?: ReadonlySet<number>;
	onMark?: (keys: ReadonlySet<number>) => void;
	more?: boolean;
	onMore?: () => void;
	onKey?: (key: string) => boolean;
	onOpen?: (row: R) => void;
	tint?: (row: R) => string;
	empty?: ReactNode;
}) {
	const [columns, arranged, arrange] = useArranged(label, offered);
	const box = useRef<HTMLDivElement>(null);
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
		if (more && last >= rows.length - 40) onMore?.();
	}, [more, last, rows.length, onMore]);

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
		const chosen = marked && marked.size > 0 ? rows.filter((r) => marked.has(rowKey(r))) : rows.slice(active, active + 1);
		const cells = [
			columns.map((c) => c.title.replace(/ ↓$/, "")),
			...chosen.map((r) => columns.map((c) => c.text(r).replace(/[\t\n]/g, " "))),
		];
		navigator.clipboard?.writeText(cells.map((row) => row.join("\t")).join("\n"));
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
		if (to !== undefined) {
			e.preventDefault();
			go(to, e.shiftKey);
		} else if ((e.ctrlKey || e.metaKey) && e.key.toLowerCase() === "c") {
			copy();
		} else if ((e.ctrlKey || e.metaKey) && e.key.toLowerCase() === "a" && onMark) {
			e.preventDefault();
			onMark(new Set(rows.map(rowKey)));
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
				onKeyDown={keys}
				data-lines
			>
				<div className="sticky top-0 z-10 grid min-w-full border-b border-ink bg-paper text-[12px] text-dim" style={grid} role="row">
					{columns.map((c, n) => (
						<div
							key={c.key}
							role="columnheader"
							className={`truncate py-1 pl-2 ${c.right ? "text-right" : ""} ${n === columns.length - 1 ? "pr-5" : "pr-2"}`}
						>
							{c.title}
						</div>
					))}
				</div>
				{rows.length === 0 && empty}
				<div style={{ height: virtual.getTotalSize(), minWidth: grid.minWidth, position: "relative" }}>
					{items.map((v) => {
						const row = rows[v.index] as R;
						const k = rowKey(row);
						const on = v.index === active;
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
								{columns.map((c) => (
									<div key={c.key} role="gridcell" className={`truncate px-2 ${c.right ? "text-right" : ""}`}>
										{c.cell(row)}
									</div>
								))}
							</div>
						);
					})}
				</div>
			</div>
			<Arrange label={label} offered={offered} arranged={arranged} onArrange={arrange} />
		</div>
	);
}

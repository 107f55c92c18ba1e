import { useQuery } from "@tanstack/react-query";
import { memo, type PointerEvent as ReactPointer, useEffect, useMemo, useRef, useState } from "react";
import { useSearchParams } from "react-router";
import { api, ask, type Schemas } from "../api/client";
import { key } from "../api/keys";
import { count, many } from "../frame/figures";

export type Tile = Schemas["Tile"];
export type BinState = Schemas["BinState"];

/** How a tile looks: a fill, a mark drawn on it, and words for it. */
export type Look = {
	fill: "none" | "tone" | "ink" | "hatch" | "short" | "over" | "both" | "half" | "wash";
	mark?: "down" | "up" | "both" | "dot";
	words: string;
};

/** Which stretch of the racks is open, where they are too many to be seen at once. It stands in the address. */
export function useAt(): [string, (at: string) => void] {
	const [params, set] = useSearchParams();
	const to = (at: string) =>
		set(
			(p) => {
				if (at) p.set("at", at);
				else p.delete("at");
				return p;
			},
			{ replace: true },
		);
	return [params.get("at") ?? "", to];
}

export function useElevation(house: number | undefined) {
	const [at] = useAt();
	return useQuery({
		queryKey: key.elevation(house ?? 0, at),
		enabled: house !== undefined,
		staleTime: 60_000,
		placeholderData: (before) => before,
		queryFn: () => ask(api.GET("/api/warehouses/{house}/elevation", { params: { path: { house: house as number }, query: { at } } })),
	});
}

/** A border between two stretches of a walk, which is moved along it. */
export type Border = {
	/** The bins of the walk, each with its place in it from 0. */
	order: ReadonlyMap<number, number>;
	/** The place of the first bin behind the border. */
	at: number;
	onMove: (at: number) => void;
};

type Cell = { tiles: Tile[]; x: number; y: number };
type Rack = { aisle: string; zone: string; cells: Cell[]; columns: number; rows: number; first: string; last: string };

const looseColumns = 18;

/** Lays the bins out as they stand: an aisle a rack, bays across, levels up. Bins of no pattern stand in rows. */
function racksOf(tiles: Tile[]): Rack[] {
	const byAisle = new Map<string, Tile[]>();
	for (const t of tiles) {
		const list = byAisle.get(t.aisle);
		if (list) list.push(t);
		else byAisle.set(t.aisle, [t]);
	}
	const racks: Rack[] = [];
	for (const [aisle, list] of byAisle) {
		const bays = [...new Set(list.map((t) => t.bay))];
		const levels = [...new Set(list.map((t) => t.level))];
		const cells = new Map<string, Cell>();
		const wrap = aisle === "" || levels.length === 1;
		for (const t of list) {
			const bay = bays.indexOf(t.bay);
			const x = wrap ? bay % looseColumns : bay;
			const y = wrap ? Math.floor(bay / looseColumns) : levels.length - 1 - levels.indexOf(t.level);
			const at = `${x}.${y}`;
			const cell = cells.get(at);
			if (cell) cell.tiles.push(t);
			else cells.set(at, { tiles: [t], x, y });
		}
		const all = [...cells.values()];
		racks.push({
			aisle,
			zone: list[0]?.zone ?? "",
			cells: all,
			columns: Math.max(...all.map((c) => c.x)) + 1,
			rows: Math.max(...all.map((c) => c.y)) + 1,
			first: bays[0] ?? "",
			last: bays.at(-1) ?? "",
		});
	}
	return racks;
}

/** The racks of a warehouse, seen from the front. Choosing tiles narrows everything else to them. */
export function Elevation({
	tiles,
	look,
	chosen,
	onChoose,
	lit,
	border,
	legend,
	title = "Elevation",
}: {
	tiles: Tile[];
	look: (tile: Tile) => Look;
	chosen: ReadonlySet<number>;
	onChoose: (bins: Set<number>) => void;
	lit?: ReadonlySet<number>;
	/** Where two stretches meet; its grip is dragged from bin to bin, or moved by Shift and the arrows. */
	border?: Border;
	legend?: [Look["fill"], Look["mark"] | undefined, string][];
	title?: string;
}) {
	const racks = useMemo(() => racksOf(tiles.filter((t) => t.id > 0)), [tiles]);
	const folds = useMemo(() => tiles.filter((t) => t.id < 0), [tiles]);
	const [, unfold] = useAt();
	const deepest = folds.findLastIndex((f) => f.open); // its racks stand right under it
	const box = useRef<HTMLDivElement>(null);
	const [width, setWidth] = useState(330);
	const [height, setHeight] = useState(300);
	const [over, setOver] = useState<string>("");
	const [drag, setDrag] = useState<{ rack: number; x: number; y: number; toX: number; toY: number; add: boolean } | null>(null);
	const [moving, setMoving] = useState(false); // the border is
	const [cursor, setCursor] = useState<{ rack: number; x: number; y: number } | null>(null);

	useEffect(() => {
		const el = box.current;
		if (!el) return;
		const watch = new ResizeObserver(() => {
			setWidth(el.clientWidth);
			setHeight(el.clientHeight - 50);
		});
		watch.observe(el);
		return () => watch.disconnect();
	}, []);

	// Codes are never cut: the names of the racks stand in a column as wide as the longest.
	const label = Math.max(22, Math.max(0, ...racks.map((r) => r.aisle.length)) * 8 + 6);
	// Narrow racks stand two abreast where there are many, so that a whole warehouse is seen at once.
	const most = Math.max(1, ...racks.map((r) => r.columns));
	const abreast = racks.length > 3 && most <= looseColumns ? 2 : 1;
	const tileW = Math.max(5, Math.min(22, Math.floor(((width - 12) / abreast - label - 4) / most)));
	const shelves = racks.reduce((n, r, i) => (abreast === 2 ? (i % 2 ? n : n + Math.max(r.rows, racks[i + 1]?.rows ?? 0)) : n + r.rows), 0);
	const room = (height - Math.ceil(racks.length / abreast) * 34) / Math.max(1, shelves);
	const tileH = Math.max(6, Math.min(16, Math.round(tileW * 1.3), Math.floor(room)));

	const inDrag = (rack: number, c: Cell) =>
		drag !== null &&
		drag.rack === rack &&
		c.x >= Math.min(drag.x, drag.toX) &&
		c.x <= Math.max(drag.x, drag.toX) &&
		c.y >= Math.min(drag.y, drag.toY) &&
		c.y <= Math.max(drag.y, drag.toY);

	const choose = (cells: Cell[], add: boolean) => {
		const bins = cells.flatMap((c) => c.tiles.map((t) => t.id));
		const next = new Set(add ? chosen : []);
		const all = bins.every((b) => chosen.has(b));
		for (const b of bins) {
			if (all && (add || chosen.size === bins.length)) next.delete(b);
			else next.add(b);
		}
		onChoose(next);
	};
	const placeOf = (c: Cell) => Math.min(...c.tiles.map((t) => border?.order.get(t.id) ?? Number.POSITIVE_INFINITY));
	const moveTo = (place: number) => {
		if (border && place > 0 && place < border.order.size && place !== border.at) border.onMove(place);
	};
	const release = () => {
		setMoving(false);
		if (!drag) return;
		choose(racks[drag.rack]?.cells.filter((c) => inDrag(drag.rack, c)) ?? [], drag.add);
		setDrag(null);
	};
	const press = (e: ReactPointer, rack: number, c: Cell) => {
		(e.target as Element).releasePointerCapture?.(e.pointerId);
		setDrag({ rack, x: c.x, y: c.y, toX: c.x, toY: c.y, add: e.shiftKey || e.ctrlKey || e.metaKey });
	};
	const now = useRef(look); // tiles that are not drawn again say what is so now
	now.current = look;
	const lookOf = (c: Cell) => {
		const l = c.tiles.map(look).reduce((a, b) => (rank[b.fill] > rank[a.fill] ? b : a));
		return { fill: l.fill, mark: l.mark };
	};
	const say = (c: Cell) => {
		const one = c.tiles[0];
		if (!one) return "";
		return c.tiles.length === 1
			? `${one.code} · ${now.current(one).words}`
			: `${one.code} to ${c.tiles.at(-1)?.code} · ${c.tiles.length} bins`;
	};

	const keys = (e: React.KeyboardEvent) => {
		const move: Record<string, [number, number]> = { ArrowLeft: [-1, 0], ArrowRight: [1, 0], ArrowUp: [0, -1], ArrowDown: [0, 1] };
		const at = cursor ?? { rack: 0, x: 0, y: 0 };
		const step = move[e.key];
		if (step && e.shiftKey && border) {
			e.preventDefault();
			moveTo(Math.max(1, Math.min(border.order.size - 1, border.at + step[0] + 10 * step[1])));
		} else if (step) {
			e.preventDefault();
			let { rack, x, y } = cursor ? { rack: at.rack, x: at.x + step[0], y: at.y + step[1] } : at;
			const r = racks[rack];
			if (!r) return;
			if (y < 0 && rack > 0) {
				rack--;
				y = (racks[rack]?.rows ?? 1) - 1;
			} else if (y >= r.rows && rack < racks.length - 1) {
				rack++;
				y = 0;
			}
			x = Math.max(0, Math.min((racks[rack]?.columns ?? 1) - 1, x));
			y = Math.max(0, Math.min((racks[rack]?.rows ?? 1) - 1, y));
			setCursor({ rack, x, y });
			const cell = racks[rack]?.cells.find((c) => c.x === x && c.y === y);
			setOver(cell ? say(cell) : "no bin here");
		} else if ((e.key === " " || e.key === "Enter") && cursor) {
			e.preventDefault();
			const cell = racks[cursor.rack]?.cells.find((c) => c.x === cursor.x && c.y === cursor.y);
			if (cell) choose([cell], true);
		} else if (e.key === "Escape" && chosen.size > 0) {
			e.preventDefault();
			e.stopPropagation();
			onChoose(new Set());
		}
	};

	return (
		<div ref={box} className="flex min-h-0 flex-1 flex-col">
			<div
				className="min-h-0 overflow-y-auto"
				tabIndex={0}
				role="application"
				aria-label={`${title}: arrows move from bin to bin, space chooses, escape clears`}
				data-elevation
				onKeyDown={keys}
				style={moving ? { cursor: "ew-resize" } : undefined}
				onPointerUp={release}
				onPointerLeave={release}
			>
				<Hatches />
				{folds.length > 0 && <Folds folds={folds} from={0} to={deepest + 1 || folds.length} look={look} onOpen={unfold} />}
				<div className={abreast === 2 ? "grid grid-cols-2" : ""}>
					{racks.map((r, n) => {
						const newZone = r.zone !== "" && (abreast === 2 || r.zone !== racks[n - 1]?.zone);
						return (
							<div key={r.aisle || "loose"} className="mb-1">
								{newZone && (
									<div className="truncate text-[11.5px] leading-4 text-dim" style={{ paddingLeft: label }}>
										{r.zone}
									</div>
								)}
								<div className="flex">
									<button
										type="button"
										tabIndex={-1}
										className="code shrink-0 self-start text-left font-bold whitespace-nowrap"
										style={{ width: label }}
										title={`Choose all of ${r.aisle || "the others"}`}
										onClick={(e) => choose(r.cells, e.shiftKey || e.ctrlKey)}
									>
										{r.aisle || "·"}
									</button>
									<svg
										width={r.columns * tileW + 1}
										height={r.rows * tileH + 12}
										role="presentation"
										className="touch-none overflow-visible select-none"
									>
										{r.cells.map((c) => (
											<TileShape
												key={`${c.x}.${c.y}`}
												cell={c}
												w={tileW}
												h={tileH}
												{...lookOf(c)}
												chosen={c.tiles.some((t) => chosen.has(t.id)) || inDrag(n, c)}
												faded={chosen.size > 0 && !c.tiles.some((t) => chosen.has(t.id))}
												dragged={drag?.rack === n || moving}
												onPress={(e) => press(e, n, c)}
												onOver={() => {
													setOver(say(c));
													if (moving) moveTo(placeOf(c));
													else if (drag?.rack === n) setDrag({ ...drag, toX: c.x, toY: c.y });
												}}
											/>
										))}
										{/* Frames lie over all tiles, or the next tile would cover them. */}
										{r.cells.map((c) => {
											const at = cursor?.rack === n && cursor.x === c.x && cursor.y === c.y;
											if (!at && !c.tiles.some((t) => lit?.has(t.id))) return null;
											return (
												<rect
													key={`frame ${c.x}.${c.y}`}
													x={c.x * tileW - 1}
													y={c.y * tileH - 1}
													width={tileW + 3}
													height={tileH + 3}
													fill="none"
													stroke="var(--ink)"
													strokeWidth={2}
													strokeDasharray={at ? "2 1.5" : undefined}
													pointerEvents="none"
												/>
											);
										})}
										{border &&
											r.cells.map((c) =>
												c.tiles.some((t) => border.order.get(t.id) === border.at) ? (
													<Grip
														key={`border ${c.x}.${c.y}`}
														x={c.x * tileW}
														y={c.y * tileH}
														h={tileH}
														onGrasp={(e) => {
															(e.target as Element).releasePointerCapture?.(e.pointerId);
															setMoving(true);
														}}
													/>
												) : null,
											)}
										<line
											x1={0}
											x2={r.columns * tileW + 1}
											y1={r.rows * tileH + 1}
											y2={r.rows * tileH + 1}
											stroke="var(--ink)"
											strokeWidth={1.5}
										/>
										<text x={0} y={r.rows * tileH + 11} className="fill-dim font-mono text-[9.5px]">
											{r.aisle ? r.first : ""}
										</text>
										<text x={r.columns * tileW} y={r.rows * tileH + 11} textAnchor="end" className="fill-dim font-mono text-[9.5px]">
											{r.aisle ? r.last : ""}
										</text>
									</svg>
								</div>
							</div>
						);
					})}
				</div>
				{deepest >= 0 && deepest < folds.length - 1 && (
					<Folds folds={folds} from={deepest + 1} to={folds.length} look={look} onOpen={unfold} />
				)}
			</div>
			<div className="mt-1 min-h-5 truncate text-[12px] text-dim" aria-live="polite">
				{over ||
					(chosen.size > 0
						? `${count(chosen.size)} bins chosen · Esc lets go`
						: folds.length > 0
							? `${count(folds.reduce((n, f) => n + (f.depth ? 0 : (f.bins ?? 0)), 0))} bins · a press opens a stretch of racks`
							: `${many(tiles.length, "bin", "bins")} · drag across tiles to choose`)}
			</div>
			{legend && (
				<div className="flex flex-wrap gap-x-3 gap-y-0.5 text-[12px] text-dim">
					{legend.map(([fill, mark, text]) => (
						<span key={text} className="flex items-center gap-1">
							<svg width={15} height={12} role="presentation">
								<rect x={0.5} y={0.5} width={14} height={11} {...paint(fill)} />
								{mark && <Mark mark={mark} x={0} y={0} w={15} h={12} fill={fill} />}
							</svg>
							{text}
						</span>
					))}
				</div>
			)}
		</div>
	);
}

/** The border between two stretches: a post before a bin, with a ball to take it by. */
function Grip({ x, y, h, onGrasp }: { x: number; y: number; h: number; onGrasp: (e: ReactPointer) => void }) {
	return (
		<g data-grip className="cursor-ew-resize" onPointerDown={onGrasp}>
			<line x1={x} x2={x} y1={y - 5} y2={y + h + 2} stroke="var(--paper)" strokeWidth={6} />
			<line x1={x} x2={x} y1={y - 5} y2={y + h + 2} stroke="var(--ink)" strokeWidth={3} />
			<circle cx={x} cy={y - 5} r={4.5} fill="var(--ink)" stroke="var(--paper)" />
			<rect x={x - 7} y={y - 11} width={14} height={h + 14} fill="transparent" />
		</g>
	);
}

/** Racks that are folded, each stretch with what matters in it; a press or a key opens one. */
function Folds({
	folds,
	from,
	to,
	look,
	onOpen,
}: {
	folds: Tile[];
	from: number;
	to: number;
	look: (t: Tile) => Look;
	onOpen: (at: string) => void;
}) {
	return (
		<ul className="mb-2 border-t border-hair" aria-label="Stretches of racks">
			{folds.slice(from, to).map((f, n) => {
				const l = look(f);
				const i = from + n;
				return (
					<li key={f.id} className="border-b border-hair" style={{ paddingLeft: (f.depth ?? 0) * 14 }}>
						<button
							type="button"
							className={`flex w-full items-center gap-2 py-0.5 text-left hover:bg-sheet ${f.open ? "font-semibold" : ""}`}
							aria-expanded={f.open ?? false}
							data-fold={f.code}
							onClick={() => onOpen(f.open ? outer(folds, i) : (f.at ?? ""))}
						>
							<svg width={22} height={13} role="presentation" className="shrink-0">
								<rect x={0.5} y={0.5} width={21} height={12} {...paint(l.fill)} />
								{l.mark && <Mark mark={l.mark} x={0} y={0} w={22} h={13} fill={l.fill} />}
							</svg>
							<span className="code whitespace-nowrap">{f.code}</span>
							<span className="ml-auto text-right text-[12px] font-normal text-dim">
								{count(f.bins ?? 0)} bins · {l.words}
							</span>
						</button>
					</li>
				);
			})}
		</ul>
	);
}

/** What stays open where a stretch is closed: the one that it is in. */
function outer(folds: Tile[], at: number): string {
	const depth = folds[at]?.depth ?? 0;
	for (let i = at - 1; i >= 0; i--) if ((folds[i]?.depth ?? 0) < depth) return folds[i]?.at ?? "";
	return "";
}

function paint(fill: Look["fill"]) {
	const fills: Record<Look["fill"], string> = {
		none: "var(--sheet)",
		tone: "var(--tone)",
		ink: "var(--dim)",
		hatch: "url(#hatch)",
		half: "url(#half)",
		short: "var(--short)",
		over: "var(--over)",
		both: "var(--ink)",
		wash: "var(--warn-wash)",
	};
	return { fill: fills[fill], stroke: "var(--rule)" };
}

function Hatches() {
	return (
		<svg width={0} height={0} className="absolute" role="presentation">
			<defs>
				<pattern id="hatch" width={5} height={5} patternUnits="userSpaceOnUse" patternTransform="rotate(45)">
					<rect width={5} height={5} fill="var(--sheet)" />
					<rect width={1.6} height={5} fill="var(--rule)" />
				</pattern>
				<pattern id="half" width={5} height={5} patternUnits="userSpaceOnUse" patternTransform="rotate(45)">
					<rect width={5} height={5} fill="var(--tone)" />
					<rect width={1.6} height={5} fill="var(--sheet)" />
				</pattern>
			</defs>
		</svg>
	);
}

function Mark({
	mark,
	x,
	y,
	w,
	h,
	fill,
}: {
	mark: NonNullable<Look["mark"]>;
	x: number;
	y: number;
	w: number;
	h: number;
	fill: Look["fill"];
}) {
	const cx = x + w / 2;
	const cy = y + h / 2;
	const s = Math.max(2, Math.min(3.4, h / 3.4));
	const colour = fill === "short" || fill === "over" || fill === "both" || fill === "ink" ? "var(--paper)" : "var(--ink)";
	if (mark === "down") return <path d={`M${cx - s} ${cy - s / 2}h${2 * s}l${-s} ${s * 1.2}z`} fill={colour} pointerEvents="none" />;
	if (mark === "up") return <path d={`M${cx - s} ${cy + s / 2}h${2 * s}l${-s} ${-s * 1.2}z`} fill={colour} pointerEvents="none" />;
	if (mark === "both") return <path d={`M${cx} ${cy - s}l${s} ${s}l${-s} ${s}l${-s} ${-s}z`} fill={colour} pointerEvents="none" />;
	return <circle cx={cx} cy={cy} r={s * 0.7} fill={colour} pointerEvents="none" />;
}

const rank: Record<Look["fill"], number> = { short: 9, both: 10, over: 8, hatch: 5, half: 6, wash: 7, ink: 4, tone: 3, none: 0 };

type Shape = {
	cell: Cell;
	w: number;
	h: number;
	fill: Look["fill"];
	mark: Look["mark"];
	chosen: boolean;
	faded: boolean;
	dragged: boolean; // a drag is going on in its rack
	onPress: (e: ReactPointer) => void;
	onOver: () => void;
};

/** A tile is drawn again only where something about it changes. */
const TileShape = memo(DrawTile, (a, b) =>
	(["cell", "w", "h", "fill", "mark", "chosen", "faded", "dragged"] as const).every((k) => a[k] === b[k]),
);

function DrawTile({ cell, w, h, fill, mark, chosen, faded, onPress, onOver }: Shape) {
	const first = cell.tiles[0] as Tile;
	const x = cell.x * w + 0.5;
	const y = cell.y * h + 0.5;
	return (
		<g opacity={faded ? 0.35 : 1} data-bin={first.code} data-fill={fill} onPointerDown={onPress} onPointerEnter={onOver}>
			<rect x={x} y={y} width={w} height={h} {...paint(fill)} />
			{mark && h >= 8 && <Mark mark={mark} x={x} y={y} w={w} h={h} fill={fill} />}
			{chosen && (
				<rect x={x + 1} y={y + 1} width={w - 2} height={h - 2} fill="none" stroke="var(--ink)" strokeWidth={1.4} pointerEvents="none" />
			)}
		</g>
	);
}

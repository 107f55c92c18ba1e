import { useState } from "react";

/** The line in hand: its key, null before there is any, and where it stood when it was last seen. */
type Held = { key: number | null; at: number };

/**
 * What a person has in hand on a stage: the bins chosen on the racks, the text of the filter, the line in hand and the
 * marked ones; begin is the text to begin with. Choosing other bins, or anything else that shows other lines, begins at the first line with none marked.
 *
 * The line in hand is that line, wherever it moves to. Where it leaves the list by somebody else's doing, the hand waits where it was and
 * nothing acts until it is moved; by one's own doing (act), the hand goes on to what stands in its place.
 */
export function useHand(begin = "") {
	const [chosen, setChosen] = useState<ReadonlySet<number>>(new Set());
	const [text, setText] = useState(begin);
	const [held, setHeld] = useState<Held>({ key: null, at: 0 });
	const [acted, setActed] = useState<ReadonlySet<number>>(new Set());
	const [marked, setMarked] = useState<ReadonlySet<number>>(new Set());
	const unmark = () => setMarked(new Set());
	const first = () => setHeld({ key: null, at: 0 });
	const anew = () => {
		first();
		unmark();
	};
	return {
		chosen,
		text,
		marked,
		setMarked,
		unmark,
		anew,
		choose: (bins: ReadonlySet<number>) => {
			setChosen(bins);
			anew();
		},
		filter: (by: string) => {
			setText(by);
			first();
		},
		/** Notes that one does something oneself by which lines leave the list. */
		act: (keys: number[]) => setActed((before) => new Set([...before, ...keys])),
		/**
		 * The line in hand among these, its place, and what a step is for: the marked lines, else the one in hand; gone is one that left.
		 * Among lines that are not settled, as others were asked for, there is none.
		 */
		of: <R>(rows: R[], rowKey: (row: R) => number, settled: boolean) => {
			if (!settled) return { at: 0, row: undefined, gone: undefined, wanted: [], onActive: () => {} };
			const { at, gone } = placeOf(held, acted, rows.map(rowKey));
			const row = gone ? undefined : rows[at];
			const key = row && rowKey(row);
			if (key !== undefined && (key !== held.key || at !== held.at)) setHeld({ key, at });
			return {
				at,
				row,
				gone: gone ? (held.key ?? undefined) : undefined,
				wanted: marked.size > 0 ? rows.filter((r) => marked.has(rowKey(r))) : row ? [row] : [],
				onActive: (to: number) => {
					const next = rows[gone && to === at + 1 ? at : to]; // from a line that left, down is what stands in its place
					if (!next) return;
					setHeld({ key: rowKey(next), at: rows.indexOf(next) });
					setActed((before) => new Set([...before].filter((k) => k !== rowKey(next))));
				},
			};
		},
	};
}

/** Where the hand is among lines, by their keys, and whether the line that it holds left by somebody else's doing. */
export function placeOf(held: Held, acted: ReadonlySet<number>, keys: number[]): { at: number; gone: boolean } {
	const at = held.key === null ? -1 : keys[held.at] === held.key ? held.at : keys.indexOf(held.key);
	if (at >= 0) return { at, gone: false };
	const gone = held.key !== null && keys.length > 0 && !acted.has(held.key);
	return { at: Math.max(0, Math.min(held.at, keys.length - 1)), gone };
}

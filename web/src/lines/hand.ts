import { useState } from "react";

/**
 * What a person has in hand on a stage: the bins chosen on the racks, the text of the filter, the line in hand and the
 * marked ones; begin is the text to begin with. Choosing other bins, or anything else that shows other lines, begins at the first line with none marked.
 */
export function useHand(begin = "") {
	const [chosen, setChosen] = useState<ReadonlySet<number>>(new Set());
	const [text, setText] = useState(begin);
	const [active, setActive] = useState(0);
	const [marked, setMarked] = useState<ReadonlySet<number>>(new Set());
	const unmark = () => setMarked(new Set());
	const anew = () => {
		setActive(0);
		unmark();
	};
	return {
		chosen,
		text,
		marked,
		setActive,
		setMarked,
		unmark,
		anew,
		choose: (bins: ReadonlySet<number>) => {
			setChosen(bins);
			anew();
		},
		filter: (by: string) => {
			setText(by);
			setActive(0);
		},
		/** The line in hand among these, its place, and what a step is for: the marked lines, else the one in hand. */
		of: <R>(rows: R[], rowKey: (row: R) => number) => {
			const at = Math.max(0, Math.min(active, rows.length - 1));
			const row = rows[at];
			return { at, row, wanted: marked.size > 0 ? rows.filter((r) => marked.has(rowKey(r))) : row ? [row] : [] };
		},
	};
}

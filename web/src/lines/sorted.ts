import { useMemo } from "react";
import type { Column } from "./Lines";

/** By which column a list is sorted, and whether the largest come first. */
export type Sort = { key: string; down: boolean };

const natural = new Intl.Collator(undefined, { numeric: true });

/** Decimals are compared as they are: by sign, length of the whole part, and then as texts; never as binary numbers. */
function compareDecimals(a: string, b: string): number {
	const minus = a.startsWith("-");
	if (minus !== b.startsWith("-")) return minus ? -1 : 1;
	if (minus) return compareDecimals(b.slice(1), a.slice(1));
	const [whole = "", part = ""] = a.split(".");
	const [otherWhole = "", otherPart = ""] = b.split(".");
	if (whole.length !== otherWhole.length) return whole.length - otherWhole.length;
	if (whole !== otherWhole) return whole < otherWhole ? -1 : 1;
	return part < otherPart ? -1 : part > otherPart ? 1 : 0;
}

/** The rows of a list sorted by a column, with the way between their places and those in which they came. Empty cells come last. */
export function useSorted<R>(columns: Column<R>[], given: R[], sort: Sort | undefined) {
	const by = sort && columns.find((c) => c.key === sort.key);
	const down = sort?.down ?? false;
	// The columns are made anew at each drawing, so what the sorting hangs on is their key and the rows.
	// biome-ignore lint/correctness/useExhaustiveDependencies: see above
	const rows = useMemo(() => {
		if (!by) return given;
		const texts = new Map(given.map((r) => [r, by.text(r)]));
		return [...given].sort((x, y) => {
			const a = texts.get(x) ?? "";
			const b = texts.get(y) ?? "";
			if ((a === "") !== (b === "")) return a === "" ? 1 : -1;
			const order = by.right && /^-?\d+(\.\d+)?$/.test(a) && /^-?\d+(\.\d+)?$/.test(b) ? compareDecimals(a, b) : natural.compare(a, b);
			return down ? -order : order;
		});
	}, [given, by?.key, down]);
	return {
		rows,
		sorted: by !== undefined,
		placeOf: (index: number) => (by ? Math.max(0, rows.indexOf(given[index] as R)) : index),
		indexOf: (place: number) => (by ? Math.max(0, given.indexOf(rows[place] as R)) : place),
	};
}

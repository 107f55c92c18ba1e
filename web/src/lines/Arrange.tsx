import { Popover, PopoverButton, PopoverPanel } from "@headlessui/react";
import { useMemo } from "react";
import { useKept } from "./kept";
import type { Column } from "./Lines";
import type { Sort } from "./sorted";

/** How somebody arranged a list: the keys of its columns in order, those that are left out, those that are in though they are not offered at first, and by which it is sorted. */
export type Arranged = { order: string[]; out: string[]; in?: string[]; sort?: Sort };

/** A list as a file: its name on the server, and what narrows it. */
export type Out = { list: string; query: Record<string, string | number | number[] | undefined> };

/** The address of a list as a file, with the columns that are in sight. */
export function addressOf(out: Out, as: "csv" | "xlsx", columns: string[]): string {
	const q = new URLSearchParams({ as });
	for (const [name, v] of Object.entries(out.query)) {
		const text = Array.isArray(v) ? v.join() : String(v ?? "");
		if (text !== "") q.set(name, text);
	}
	if (columns.length > 0) q.set("columns", columns.join());
	return `/api/lists/${out.list}?${q}`;
}

const isOut = <R,>(c: Column<R>, a: Arranged) => a.out.includes(c.key) || (c.off === true && !a.in?.includes(c.key));

const asOffered: Arranged = { order: [], out: [] };

/** The keys of columns in the order that was chosen; one that was not there then stays behind the one that is offered before it. */
function ordered(offered: string[], order: string[]): string[] {
	const keys = order.filter((k) => offered.includes(k));
	offered.forEach((k, i) => {
		if (keys.includes(k)) return;
		const before = i === 0 ? -1 : keys.indexOf(offered[i - 1] as string);
		keys.splice(before + 1, 0, k);
	});
	return keys;
}

/** The columns of a list as they were arranged in this browser. One column at least stays. */
export function useArranged<R>(label: string, offered: Column<R>[]): [Column<R>[], Arranged, (a: Arranged) => void] {
	const [arranged, arrange] = useKept<Arranged>(`columns.${label}`, asOffered);
	const columns = useMemo(() => {
		const by = new Map(offered.map((c) => [c.key, c]));
		const keys = ordered([...by.keys()], arranged.order).filter((k) => !isOut(by.get(k) as Column<R>, arranged));
		return keys.length === 0 ? offered : keys.map((k) => by.get(k) as Column<R>);
	}, [offered, arranged]);
	return [columns, arranged, arrange];
}

/** A small word at the end of a header that opens the choice of columns. */
export function Arrange<R>({
	label,
	offered,
	columns,
	fitting,
	arranged,
	onArrange,
	out,
}: {
	label: string;
	offered: Column<R>[];
	columns: Column<R>[];
	fitting: Column<R>[]; // those of them that have room in the window
	arranged: Arranged;
	onArrange: (a: Arranged) => void;
	out?: Out;
}) {
	const keys = ordered(
		offered.map((c) => c.key),
		arranged.order,
	);
	const title = (k: string) => offered.find((c) => c.key === k)?.title.replace(/ ↓$/, "") || k;
	const move = (at: number, by: number) => {
		const order = [...keys];
		const [k] = order.splice(at, 1);
		order.splice(at + by, 0, k as string);
		onArrange({ ...arranged, order });
	};
	const of = (k: string) => offered.find((c) => c.key === k) as Column<R>;
	const show = (k: string, on: boolean) =>
		onArrange({
			...arranged,
			out: on || of(k).off ? arranged.out.filter((x) => x !== k) : [...arranged.out, k],
			in: of(k).off ? (on ? [...(arranged.in ?? []), k] : arranged.in?.filter((x) => x !== k)) : arranged.in,
		});
	const changed =
		arranged.out.some((k) => keys.includes(k)) ||
		arranged.order.length > 0 ||
		(arranged.in?.length ?? 0) > 0 ||
		arranged.sort !== undefined;
	return (
		<Popover className="absolute top-0 right-2.5 z-10 text-[12px]">
			<PopoverButton
				className={`bg-paper px-1.5 py-1 hover:text-ink ${changed ? "font-bold text-ink" : "text-dim"}`}
				aria-label={`Columns of ${label}`}
				title={out ? "Columns: which, and in which order; and the list as a file" : "Columns: which, and in which order"}
				data-columns
			>
				⋮
			</PopoverButton>
			<PopoverPanel anchor="bottom end" className="z-30 min-w-52 border border-ink bg-paper px-3 py-2 text-[13px]">
				<ul>
					{keys.map((k, i) => (
						<li key={k} className="flex items-center gap-2 py-0.5">
							<label className="flex flex-1 items-center gap-2">
								<input type="checkbox" checked={!isOut(of(k), arranged)} onChange={(e) => show(k, e.target.checked)} />
								{title(k)}
								{columns.includes(of(k)) && !fitting.includes(of(k)) && <span className="text-dim">no room here</span>}
							</label>
							<button
								type="button"
								className="px-1 disabled:opacity-25"
								disabled={i === 0}
								onClick={() => move(i, -1)}
								aria-label={`${title(k)} further left`}
							>
								←
							</button>
							<button
								type="button"
								className="px-1 disabled:opacity-25"
								disabled={i === keys.length - 1}
								onClick={() => move(i, 1)}
								aria-label={`${title(k)} further right`}
							>
								→
							</button>
						</li>
					))}
				</ul>
				{out && (
					<p className="mt-1 border-t border-hair pt-1" data-list-out>
						Take this list out as{" "}
						<a
							className="word"
							href={addressOf(
								out,
								"csv",
								columns.map((c) => c.key),
							)}
							download
						>
							text
						</a>{" "}
						or{" "}
						<a
							className="word"
							href={addressOf(
								out,
								"xlsx",
								columns.map((c) => c.key),
							)}
							download
						>
							workbook
						</a>
					</p>
				)}
				{changed && (
					<button type="button" className="word mt-1 text-dim" onClick={() => onArrange(asOffered)}>
						as they were
					</button>
				)}
			</PopoverPanel>
		</Popover>
	);
}

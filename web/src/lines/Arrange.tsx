import { Popover, PopoverButton, PopoverPanel } from "@headlessui/react";
import { useMemo } from "react";
import { useKept } from "./kept";
import type { Column } from "./Lines";

/** How somebody arranged the columns of a list: their keys in order, and those that are left out. */
export type Arranged = { order: string[]; out: string[] };

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
		const keys = ordered([...by.keys()], arranged.order).filter((k) => !arranged.out.includes(k));
		return keys.length === 0 ? offered : keys.map((k) => by.get(k) as Column<R>);
	}, [offered, arranged]);
	return [columns, arranged, arrange];
}

/** A small word at the end of a header that opens the choice of columns. */
export function Arrange<R>({
	label,
	offered,
	arranged,
	onArrange,
}: {
	label: string;
	offered: Column<R>[];
	arranged: Arranged;
	onArrange: (a: Arranged) => void;
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
	const changed = arranged.out.some((k) => keys.includes(k)) || arranged.order.length > 0;
	return (
		<Popover className="absolute top-0 right-2.5 z-10 text-[12px]">
			<PopoverButton
				className={`bg-paper px-1.5 py-1 hover:text-ink ${changed ? "font-bold text-ink" : "text-dim"}`}
				aria-label={`Columns of ${label}`}
				title="Columns: which, and in which order"
				data-columns
			>
				⋮
			</PopoverButton>
			<PopoverPanel anchor="bottom end" className="z-30 min-w-52 border border-ink bg-paper px-3 py-2 text-[13px]">
				<ul>
					{keys.map((k, i) => (
						<li key={k} className="flex items-center gap-2 py-0.5">
							<label className="flex flex-1 items-center gap-2">
								<input
									type="checkbox"
									checked={!arranged.out.includes(k)}
									onChange={(e) =>
										onArrange({ ...arranged, out: e.target.checked ? arranged.out.filter((x) => x !== k) : [...arranged.out, k] })
									}
								/>
								{title(k)}
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
				{changed && (
					<button type="button" className="word mt-1 text-dim" onClick={() => onArrange(asOffered)}>
						as they were
					</button>
				)}
			</PopoverPanel>
		</Popover>
	);
}

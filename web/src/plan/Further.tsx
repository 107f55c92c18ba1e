import { useQueries } from "@tanstack/react-query";
import { api, ask, type Schemas } from "../api/client";
import { key } from "../api/keys";

type Tally = Schemas["Tally"];
type Cut = { rows: number; for?: string[] };

/** What the same scope comes to in further warehouses. */
export function useFurther(houses: number[], scope: Schemas["Scope"], cut: Cut, crews: Record<number, string[]>) {
	const own = (warehouse: number) => ({ ...cut, for: crews[warehouse]?.length ? crews[warehouse] : cut.for });
	return useQueries({
		queries: houses.map((warehouse) => ({
			queryKey: key.tally(warehouse, JSON.stringify(scope), JSON.stringify(own(warehouse))),
			queryFn: () => ask(api.POST("/api/plan/tally", { body: { scope: { ...scope, warehouse }, ...own(warehouse) } })),
		})),
	});
}

/** The sum of what several scopes come to, as far as it can be added up. */
export function together(tallies: (Tally | undefined)[]) {
	const all = tallies.filter((t) => t !== undefined);
	const sum = (of: (t: Tally) => number) => all.reduce((n, t) => n + of(t), 0);
	return {
		lines: sum((t) => t.lines),
		empty: sum((t) => t.empty),
		bins: sum((t) => t.bins),
		sheets: sum((t) => t.sheets_n),
		seconds: sum((t) => t.seconds),
		known: all.length === tallies.length,
	};
}

/** Further warehouses that are counted at the same time, by the same rules. */
export function Further({
	houses,
	chosen,
	onChange,
}: {
	houses: Schemas["WarehouseView"][];
	chosen: number[];
	onChange: (houses: number[]) => void;
}) {
	if (houses.length === 0) return null;
	return (
		<div className="mt-1 flex flex-wrap items-baseline gap-x-4 gap-y-1" data-further>
			<span className="text-dim">at the same time, too:</span>
			{houses.map((h) => (
				<label key={h.id} className="flex items-center gap-1.5">
					<input
						type="checkbox"
						checked={chosen.includes(h.id)}
						onChange={() => onChange(chosen.includes(h.id) ? chosen.filter((x) => x !== h.id) : [...chosen, h.id])}
					/>
					<span className="code">{h.code}</span>
				</label>
			))}
		</div>
	);
}

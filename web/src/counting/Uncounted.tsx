import { useMutation, useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { api, ask, queries, type Schemas } from "../api/client";
import { key } from "../api/keys";
import { usePerson } from "../frame/Frame";
import { count, many, Off, Warn } from "../frame/figures";

/** What becomes of lines that nobody counted: left alone, or settled to be zero, zone by zone; the value is told first. */
export function Uncounted({ id, c }: { id: number; c: Schemas["Stages"] }) {
	const person = usePerson();
	const [zone, setZone] = useState("*");
	const may = c.state === "running" && person.role === "controller";
	const houses = useQuery({ queryKey: key.houses, enabled: may, queryFn: () => ask(api.GET("/api/warehouses")) });
	const part = zone === "*" ? {} : { zone };
	const seen = useQuery({
		queryKey: [...key.uncounted(id, zone), c.uncounted, c.zeroed],
		enabled: may && c.uncounted > 0,
		queryFn: () => ask(api.POST("/api/counts/{count}/uncounted", { params: { path: { count: id } }, body: part })),
	});
	const set = useMutation({
		mutationFn: (d: { zero: boolean; expect: number }) =>
			ask(api.POST("/api/counts/{count}/zero", { params: { path: { count: id } }, body: { ...part, ...d } })),
		onSuccess: () => queries.invalidateQueries({ queryKey: key.count(id) }),
	});
	if (!may || c.uncounted === 0 || c.counted === 0) return null;
	const zones = houses.data?.find((h) => h.id === c.warehouse_id)?.zones ?? [];
	const u = seen.data;
	return (
		<section className="mt-4 border-t border-ink pt-2" aria-label="Uncounted lines">
			<h2>Uncounted</h2>
			<p className="text-dim">
				{many(c.uncounted, "line is", "lines are")} uncounted and left alone. Where you know that nothing is there, uncounted can mean zero;
				these lines then want a decision like any other.
			</p>
			<div className="mt-2 flex flex-wrap items-center gap-3">
				<select value={zone} onChange={(e) => setZone(e.target.value)} aria-label="Zone">
					<option value="*">in all zones</option>
					{zones.map((z) => (
						<option key={z} value={z}>
							in {z}
						</option>
					))}
				</select>
				{u && (
					<span>
						<b>{count(u.lines)}</b> {u.lines === 1 ? "line" : "lines"} with something expected, worth <Off of={u.value} />
						{u.unvalued > 0 && <span className="text-warn"> ! {count(u.unvalued)} without a cost</span>}
					</span>
				)}
				{u && u.lines > 0 && (
					<button type="button" className="act-plain" disabled={set.isPending} onClick={() => set.mutate({ zero: true, expect: u.lines })}>
						Uncounted means zero for {many(u.lines, "line", "lines")}
					</button>
				)}
				{u && u.zeroed > 0 && (
					<button
						type="button"
						className="act-plain"
						disabled={set.isPending}
						onClick={() => set.mutate({ zero: false, expect: u.zeroed })}
					>
						Leave {many(u.zeroed, "zeroed line", "zeroed lines")} alone again
					</button>
				)}
			</div>
			{(seen.error ?? set.error) && <Warn>{(seen.error ?? set.error)?.message}</Warn>}
		</section>
	);
}

import { useMutation, useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { Link } from "react-router";
import { api, ask, queries, type Schemas } from "../api/client";
import { key } from "../api/keys";
import { usePerson } from "../frame/Frame";
import { count, many, Off, Warn } from "../frame/figures";

/** What becomes of lines that nobody counted: left alone, given out again, or settled to be zero, by zone or sheet; the value is told first. */
export function Uncounted({ id, c }: { id: number; c: Schemas["Stages"] }) {
	const person = usePerson();
	const [zone, setZone] = useState("*");
	const [sheet, setSheet] = useState("");
	const may = c.state === "running" && person.role === "controller";
	const houses = useQuery({ queryKey: key.houses, enabled: may, queryFn: () => ask(api.GET("/api/warehouses")) });
	const part = { ...(zone === "*" ? {} : { zone }), ...(Number(sheet) > 0 ? { sheet: Number(sheet) } : {}) };
	const seen = useQuery({
		queryKey: [...key.uncounted(id, JSON.stringify(part)), c.uncounted, c.zeroed],
		enabled: may && c.uncounted > 0,
		queryFn: () => ask(api.POST("/api/counts/{count}/uncounted", { params: { path: { count: id } }, body: part })),
	});
	const set = useMutation({
		mutationFn: (d: { zero: boolean; expect: number }) =>
			ask(api.POST("/api/counts/{count}/zero", { params: { path: { count: id } }, body: { ...part, ...d } })),
		onSettled: () => queries.invalidateQueries({ queryKey: key.count(id) }),
	});
	const again = useMutation({
		mutationFn: (expect: number) =>
			ask(api.POST("/api/counts/{count}/uncounted/recount", { params: { path: { count: id } }, body: { ...part, expect } })),
		onSettled: () => queries.invalidateQueries({ queryKey: key.count(id) }),
	});
	if (!may || c.uncounted === 0 || c.counted === 0) return null;
	const zones = houses.data?.find((h) => h.id === c.warehouse_id)?.zones ?? [];
	const u = seen.data;
	return (
		<section className="mt-4 border-t border-ink pt-2" aria-label="Uncounted lines">
			<h2>Uncounted</h2>
			<p className="text-dim">
				{many(c.uncounted, "line is", "lines are")} uncounted and left alone. What is on no sheet still to come can be given out again.
				Where you know that nothing is there, uncounted can mean zero; these lines then want a decision like any other.
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
				<label className="flex items-center gap-1.5">
					on sheet
					<input
						value={sheet}
						onChange={(e) => setSheet(e.target.value.replace(/\D/g, ""))}
						placeholder="any"
						className="w-16"
						inputMode="numeric"
						maxLength={7}
						aria-label="On sheet"
					/>
				</label>
				{u && (
					<span>
						<b>{count(u.lines)}</b> {u.lines === 1 ? "line" : "lines"} with something expected, worth <Off of={u.value} />
						{u.unvalued > 0 && <span className="text-warn"> ! {count(u.unvalued)} without a cost</span>}
					</span>
				)}
				{u && u.returned > 0 && (
					<button type="button" className="act-plain" disabled={again.isPending} onClick={() => again.mutate(u.returned)} data-give-again>
						Give {many(u.returned, "line", "lines")} out again
					</button>
				)}
				{u && u.lines > 0 && (
					<button
						type="button"
						className="act-plain"
						disabled={set.isPending}
						onClick={() => set.mutate({ zero: true, expect: u.lines })}
						data-zero
					>
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
			{u && u.lines > u.returned && (
				<p className="mt-2 text-dim">{many(u.lines - u.returned, "of them is", "of them are")} on sheets that are still to come.</p>
			)}
			{again.data && !again.isPending && !again.error && (
				<p className="mt-2" data-given-again>
					{many(again.data.lines, "line is", "lines are")} on{" "}
					<Link className="word" to={`/counts/${id}/sheets`}>
						{again.data.sheets.length === 1 ? `sheet ${again.data.sheets[0]}` : many(again.data.sheets.length, "new sheet", "new sheets")}
					</Link>
					.
				</p>
			)}
			{(seen.error ?? set.error ?? again.error) && <Warn>{(seen.error ?? set.error ?? again.error)?.message}</Warn>}
		</section>
	);
}

import { useMutation, useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { api, ask, type Schemas, zone } from "../api/client";
import { key } from "../api/keys";
import { changed } from "../counting/changed";
import { many, Warn } from "../frame/figures";

/** Who may count a count, and for whom sheets are planned that nobody has yet. */
export const useCrew = (id: number, on: boolean) =>
	useQuery({
		queryKey: key.crew(id),
		enabled: on,
		queryFn: () => ask(api.GET("/api/counts/{count}/crew", { params: { path: { count: id } } })),
	});

/** Sheets that are planned for people are handed to them in one press. */
export function PlannedFor({ id, planned }: { id: number; planned: Schemas["PlannedFor"][] }) {
	const [due, setDue] = useState("");
	const sheets = planned.reduce((sum, p) => sum + p.sheets, 0);
	const hand = useMutation({
		mutationFn: () =>
			ask(
				api.POST("/api/counts/{count}/hand-out/planned", {
					params: { path: { count: id } },
					body: { sheets, due: due ? due.replace("T", " ") : undefined, zone: zone() },
				}),
			),
		onSettled: () => changed(id),
	});
	return (
		<form
			className="border-t border-ink px-3 py-2"
			data-planned
			onSubmit={(e) => {
				e.preventDefault();
				hand.mutate();
			}}
		>
			<h2>Planned for {planned.map((p) => `${p.counter} ${p.sheets}`).join(" · ")}</h2>
			<p className="mt-1 flex flex-wrap items-center gap-2">
				<button type="submit" className="act-plain" disabled={hand.isPending}>
					Hand out {many(sheets, "sheet", "sheets")} as planned
				</button>
				<label className="flex items-center gap-1.5">
					<span className="text-dim">back by</span>
					<input type="datetime-local" value={due} onChange={(e) => setDue(e.target.value)} aria-label="Planned sheets to be back by" />
				</label>
			</p>
			{hand.error && <Warn>{hand.error.message}</Warn>}
		</form>
	);
}

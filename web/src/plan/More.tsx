import { useMutation, useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { Link } from "react-router";
import { api, ask, type Schemas } from "../api/client";
import { key } from "../api/keys";
import { changed } from "../counting/changed";
import { Choice } from "../frame/Frame";
import { count, hours, many, Warn, when } from "../frame/figures";

/** Lines that a running count is given beside those that it has: of bins picked on the racks, of items, or all that is left. */
export function More({ id, bins }: { id: number; bins: ReadonlySet<number> }) {
	const [items, setItems] = useState("");
	const [all, setAll] = useState(false);
	const [rows, setRows] = useState("60");
	const [freeze, setFreeze] = useState<"own" | "later" | null>(null);
	const list = items
		.split(/[\s,;]+/)
		.map((s) => s.trim())
		.filter(Boolean);
	const body: Schemas["More"] = {
		scope: {
			warehouse: 0,
			bins: [...bins],
			rules: list.length > 0 ? [{ what: "sku", values: list }] : undefined,
		},
		rows: Math.max(1, Math.min(5000, Number.parseInt(rows, 10) || 60)),
	};
	if (freeze === "later") body.later = true;
	const on = bins.size > 0 || list.length > 0 || all;
	const path = { params: { path: { count: id } } };
	const tally = useQuery({
		queryKey: key.more(id, JSON.stringify(body)),
		enabled: on,
		queryFn: () => ask(api.POST("/api/counts/{count}/more/tally", { ...path, body })),
		placeholderData: (before) => before,
	});
	const add = useMutation({
		mutationFn: () => ask(api.POST("/api/counts/{count}/more", { ...path, body })),
		onSuccess: () => {
			setItems("");
			setAll(false);
			return changed(id);
		},
	});
	const t = on ? tally.data : undefined;
	return (
		<section className="mt-5 max-w-2xl" data-more>
			<h2 className="border-b border-rule pb-1">Count more</h2>
			<p className="mt-1 text-dim">
				Pick bins on the racks, name items, or{" "}
				<label className="text-ink">
					<input type="checkbox" checked={all} onChange={() => setAll(!all)} /> take all that is left
				</label>
			</p>
			<p className="mt-1 flex items-center gap-2">
				<input
					className="code w-80"
					value={items}
					onChange={(e) => setItems(e.target.value)}
					placeholder="SKUs or barcodes, apart by commas"
					aria-label="Items to count, too"
				/>
				<input
					className="code w-14 text-right"
					inputMode="numeric"
					value={rows}
					onChange={(e) => setRows(e.target.value)}
					aria-label="Rows on an added sheet"
				/>
				<span className="text-dim">rows on a sheet at most</span>
			</p>
			{t?.newer && (
				<div className="mt-2" data-freeze>
					<Choice<"own" | "later">
						label="As recorded"
						value={freeze ?? "own"}
						of={[
							...(t.own ? [["own", `${when(t.own)}, as the rest`] as ["own", string]] : []),
							["later", `${when(t.newer)}, a later freeze`],
						]}
						onChange={setFreeze}
					/>
					<p className="mt-1 text-dim">
						{freeze === "later"
							? "Only what moves after the later freeze is rolled forward for these lines. What moved between the two freezes is in their recorded figures already, and these lines say so."
							: "What moved since the freeze is rolled forward, as far as movements were taken in. Newer stock was taken in meanwhile: its figures can be taken instead."}
					</p>
				</div>
			)}
			{t && (
				<p className="mt-2 flex flex-wrap items-center gap-3">
					<span>
						<b>{many(t.lines, "line", "lines")}</b> in {many(t.bins, "bin", "bins")}, about {hours(t.seconds)}
						{t.has > 0 && <span className="text-dim"> · {count(t.has)} it has already</span>}
						{t.shared > 0 && (
							<span>
								{" "}
								· <b className="text-warn">!</b> {many(t.shared, "bin is", "bins are")} on another sheet, too
							</span>
						)}
						{t.unknown_n > 0 && <span className="text-warn"> · ! not known here: {t.unknown.join(", ")}</span>}
					</span>
					<button
						type="button"
						className="act-plain"
						disabled={t.lines === 0 || add.isPending || tally.isPlaceholderData}
						onClick={() => add.mutate()}
					>
						Add {many(t.lines, "line", "lines")} on {many(t.sheets_n, "sheet", "sheets")}
					</button>
				</p>
			)}
			{add.data && !on && (
				<p className="mt-1" data-added>
					Added {many(add.data.lines, "line", "lines")} on{" "}
					<Link className="word" to={`/counts/${id}/sheets`}>
						{add.data.made.length === 1 ? `sheet ${add.data.made[0]}` : `sheets ${add.data.made[0]} to ${add.data.made.at(-1)}`}
					</Link>
					.
				</p>
			)}
			{(tally.error || add.error) && <Warn>{(add.error ?? tally.error)?.message}</Warn>}
		</section>
	);
}

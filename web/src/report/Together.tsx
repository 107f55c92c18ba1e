import { useQuery } from "@tanstack/react-query";
import { Link, useParams } from "react-router";
import { api, ask, type Schemas } from "../api/client";
import { key } from "../api/keys";
import { Stage } from "../frame/Frame";
import { BeingRead, count, many, Off, plain } from "../frame/figures";

type One = Schemas["OfSeveral"];

/** Counts of several warehouses that were planned at once: how far each is, what it comes to, what went out, and all of them. */
export function Together() {
	const id = Number(useParams().count);
	const q = useQuery({
		queryKey: key.together(id),
		queryFn: () => ask(api.GET("/api/counts/{count}/together", { params: { path: { count: id } } })),
	});
	if (!q.data) return <BeingRead what="The counts" of={[q]} />;
	const { name, counts, all } = q.data;
	return (
		<Stage
			keys={[
				["Tab Enter", "open a count"],
				["?", "all keys"],
			]}
		>
			<div className="min-h-0 flex-1 overflow-y-auto px-8 py-4">
				<div className="mx-auto max-w-6xl">
					<h1>{name}</h1>
					<p className="text-dim">
						{many(counts.length, "warehouse", "warehouses")}, frozen at once; each is a count of its own with its own sheets and postings.
					</p>
					<table className="mt-3 w-full" data-together>
						<thead>
							<tr className="border-b border-ink text-right text-dim">
								<th className="text-left font-normal">Warehouse</th>
								<th className="font-normal">Counted</th>
								<th className="font-normal">Sheets back</th>
								<th className="font-normal">To decide</th>
								<th className="font-normal">Accuracy</th>
								<th className="font-normal">Over</th>
								<th className="font-normal">Short</th>
								<th className="font-normal">To send</th>
								<th className="font-normal">Sent out</th>
							</tr>
						</thead>
						<tbody>
							{counts.map((c) => (
								<Row key={c.id} c={c} />
							))}
							<Row c={all} sum />
						</tbody>
					</table>
				</div>
			</div>
		</Stage>
	);
}

function Row({ c, sum }: { c: One; sum?: boolean }) {
	const to = (stage: string, text: React.ReactNode) =>
		sum ? (
			text
		) : (
			<Link className="hover:underline" to={`/counts/${c.id}/${stage}`}>
				{text}
			</Link>
		);
	return (
		<tr className={`border-b text-right ${sum ? "border-ink font-semibold" : "border-hair"}`}>
			<td className="py-1.5 text-left">
				{sum ? (
					"all"
				) : (
					<>
						{to("report", <b className="code">{c.warehouse}</b>)}
						{c.state === "finished" && <span className="text-dim"> ✓ finished</span>}
						{c.doubts > 0 && <span className="text-warn"> ! {many(c.doubts, "row waits", "rows wait")} in the tray</span>}
					</>
				)}
			</td>
			<td className="code">{to("counting", `${count(c.counted)} of ${count(c.lines)}`)}</td>
			<td className="code">{to("sheets", `${count(c.sheets_back)} of ${count(c.sheets)}`)}</td>
			<td className="code">{to("variances", count(c.open))}</td>
			<td className="code">{c.accuracy ? `${c.accuracy} %` : "–"}</td>
			<td>
				<Off of={c.over} />
			</td>
			<td>
				<Off of={c.short} />
			</td>
			<td className="code">{to("adjustments", count(c.accepted))}</td>
			<td className="code">{to("adjustments", c.postings > 0 ? `${count(c.posted)}, ${plain(c.sent)}` : "–")}</td>
		</tr>
	);
}

import { useQuery } from "@tanstack/react-query";
import { Link } from "react-router";
import { api, ask, type Schemas } from "../api/client";
import { key } from "../api/keys";
import { count, many, plain } from "../frame/figures";

/** What two rounds do not agree about: each line with what both say, and the way to its sheets. */
export function RoundsDiffer({ id, c }: { id: number; c: Schemas["Stages"] }) {
	const may = !c.hidden; // what the other round says is not for those who count blind
	const q = useQuery({
		queryKey: key.rounds(id),
		enabled: c.differ > 0 && may,
		queryFn: () => ask(api.GET("/api/counts/{count}/rounds", { params: { path: { count: id } } })),
	});
	const said = (r: Schemas["RoundSaid"]) => (
		<Link className="word" to={`/counts/${id}/counting/${r.sheet}?find=${encodeURIComponent(r.row_code)}`}>
			<b className="code">{r.quantity == null ? "nothing" : plain(r.quantity)}</b> {r.counter}, sheet {r.sheet}
		</Link>
	);
	return (
		<div className={`mb-3 border px-3 py-1.5 ${c.differ > 0 ? "border-warn bg-warn-wash" : "border-rule"}`} data-rounds>
			<p>
				Two rounds must agree: <b>{count(c.once)}</b> {c.once === 1 ? "line is" : "lines are"} counted once,{" "}
				{c.differ > 0 ? (
					<>
						<b className="text-warn">!</b> <b>{many(c.differ, "line differs", "lines differ")}</b>. Look once more, and type it where it is
						wrong.
					</>
				) : (
					"none differs."
				)}
			</p>
			{q.data?.lines.map((l) => (
				<p key={l.pos} className="grid grid-cols-[1fr_auto_auto] gap-4 border-t border-hair py-0.5" data-differ={l.pos}>
					<span className="code truncate">{l.line}</span>
					{said(l.rounds[0] as Schemas["RoundSaid"])}
					{said(l.rounds[1] as Schemas["RoundSaid"])}
				</p>
			))}
			{q.data && c.differ > q.data.lines.length && <p className="text-dim">and {count(c.differ - q.data.lines.length)} more</p>}
		</div>
	);
}

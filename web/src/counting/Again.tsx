import { useMutation, useQuery } from "@tanstack/react-query";
import { useRef, useState } from "react";
import { Link } from "react-router";
import { api, ask, type Schemas, workKey, zone } from "../api/client";
import { key } from "../api/keys";
import { Stage } from "../frame/Frame";
import { apart, BeingRead, count, many, plain, Warn } from "../frame/figures";
import { changed } from "./changed";
import { rowsOf } from "./TypeIn";

/** A sheet typed a second time, without what was typed first in sight; then only the rows that differ, each with the word which of the two stands. */
export function Again({ id, number, side }: { id: number; number: number; side: React.ReactNode }) {
	const [typed, setTyped] = useState<Record<string, string>>({});
	const fields = useRef(new Map<number, HTMLInputElement>());
	const q = useQuery({ queryKey: key.sheetLines(id, number), queryFn: () => rowsOf(id, number) });
	const rows = q.data?.lines.filter((l) => l.row_code !== "") ?? [];
	const check = useMutation({
		mutationFn: (texts: Record<string, string>) =>
			ask(
				api.POST("/api/counts/{count}/sheets/{number}/check", {
					params: { path: { count: id, number } },
					body: { rows: Object.entries(texts).map(([row_code, text]) => ({ row_code, text: text.trim() })) },
				}),
			),
		onSuccess: () => changed(id),
	});
	/** Which of the two stands: the second goes in the place of the first, or the first is taken for what was meant. */
	const settle = useMutation({
		mutationFn: async ({ of, second }: { of: Schemas["Differs"]; second: boolean }) => {
			if (second)
				await ask(
					api.POST("/api/counts/{count}/entries", {
						params: { path: { count: id } },
						body: {
							key: workKey(),
							zone: zone(),
							entries: [
								of.second == null
									? { row_code: of.row_code, withdraw: true, saw: of.entry }
									: { row_code: of.row_code, quantity: of.second, saw: of.entry },
							],
						},
					}),
				);
			const texts = { ...typed, [of.row_code]: second ? (typed[of.row_code] ?? "") : (of.first ?? "") };
			setTyped(texts);
			return check.mutateAsync(texts);
		},
	});
	if (!q.data) return <BeingRead what="The sheet" of={[q]} />;
	const line = (row: string) => rows.find((r) => r.row_code === row);
	const go = (i: number) => {
		const f = fields.current.get(Math.max(0, Math.min(rows.length - 1, i)));
		f?.focus();
		f?.select();
	};
	const filled = Object.values(typed).filter((t) => t.trim() !== "").length;
	const busy = check.isPending || settle.isPending;
	const result = check.data;
	return (
		<Stage
			side={side}
			foot={
				<>
					<Link className="act-plain" to={`/counts/${id}/counting/${number}`}>
						Back to the sheet
					</Link>
					<span>
						<b>{count(filled)}</b> of <b>{count(rows.length)}</b> rows typed again
					</span>
					{(check.error || settle.error) && <Warn>{(settle.error ?? check.error)?.message}</Warn>}
					<button type="button" className="act ml-auto" disabled={busy || filled === 0} onClick={() => check.mutate(typed)}>
						Hold {many(filled, "row", "rows")} against the first typing
					</button>
				</>
			}
			keys={[
				["0–9 Enter", "count, next row"],
				["12*24+7, 3bx+5", "sums and packs"],
				["↑ ↓", "row"],
			]}
		>
			<div className="flex flex-wrap items-baseline gap-x-4 gap-y-1 border-b border-hair px-4 py-1.5">
				<h1>Sheet {number}, a second time</h1>
				<span className="text-dim">What was typed first is not shown, so that the paper is read again.</span>
			</div>
			<div className="min-h-0 flex-1 overflow-y-auto">
				{result && (
					<div className="mx-4 my-2 border-l-4 border-ink bg-sheet px-3 py-2" data-checked={result.checked}>
						{result.checked ? (
							<p>✓ All {many(result.same, "row is", "rows are")} the same. The sheet is checked.</p>
						) : (
							<>
								<p>
									<b>{many(result.differs.length, "row differs", "rows differ")}</b>, {count(result.same)} are the same. Look at the paper:
									which of the two is it?
								</p>
								{result.differs.map((d) => (
									<p key={d.row_code} className="mt-1 grid grid-cols-[9rem_1fr_auto_auto] items-baseline gap-3" data-differs={d.row_code}>
										<span className="code text-dim">{d.row_code}</span>
										<span className="code truncate">
											{line(d.row_code)?.bin} · {line(d.row_code)?.sku}
										</span>
										<button type="button" className="word" disabled={busy} onClick={() => settle.mutate({ of: d, second: false })}>
											first: <b className="code">{d.first == null ? "nothing" : plain(d.first)}</b>
										</button>
										<button type="button" className="word" disabled={busy} onClick={() => settle.mutate({ of: d, second: true })}>
											second: <b className="code">{d.second == null ? "nothing" : plain(d.second)}</b>
										</button>
									</p>
								))}
							</>
						)}
					</div>
				)}
				<table className="w-full" data-again>
					<tbody>
						{rows.map((r, i) => (
							<tr key={r.pos} className={`border-b border-hair ${r.bin !== rows[i - 1]?.bin && i > 0 ? "border-t border-t-rule" : ""}`}>
								<td className="code px-3 text-dim">{r.row_code}</td>
								<td className="code px-2 font-semibold">{r.bin === rows[i - 1]?.bin ? "" : r.bin}</td>
								<td className="code px-2">{r.sku}</td>
								<td className="max-w-52 truncate px-2">{r.description}</td>
								<td className="code px-2">{apart(r)}</td>
								<td className="w-32 p-0">
									<input
										ref={(f) => {
											if (f) fields.current.set(i, f);
											else fields.current.delete(i);
										}}
										className="code w-full border-x border-y-0 border-dim bg-transparent text-right"
										inputMode="decimal"
										aria-label={`Counted, a second time, ${r.bin}, ${r.sku}`}
										data-second={r.row_code}
										value={typed[r.row_code] ?? ""}
										onChange={(e) => setTyped({ ...typed, [r.row_code]: e.target.value })}
										onKeyDown={(e) => {
											const step = e.key === "Enter" || e.key === "ArrowDown" ? 1 : e.key === "ArrowUp" ? -1 : 0;
											if (step) {
												e.preventDefault();
												go(i + step);
											}
										}}
									/>
								</td>
								<td className="w-12 px-1 text-dim">{r.unit}</td>
							</tr>
						))}
					</tbody>
				</table>
			</div>
		</Stage>
	);
}

import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { api, ask, type Schemas } from "../api/client";
import { count, many, plain, Warn } from "../frame/figures";

type Draft = Schemas["Draft"];
type Choices = Schemas["Choices"];

/** What will happen, what was assumed, what is asked, and the problems, a group per kind. */
export function What({
	draft,
	change,
	busy,
	only,
	onOnly,
}: {
	draft: Draft;
	change: (c: Partial<Choices>) => void;
	busy: boolean;
	only: string;
	onOnly: (group: string) => void;
}) {
	const e = draft.effect;
	const b = draft.back;
	return (
		<div className={`min-h-0 flex-1 overflow-y-auto px-4 py-3 ${busy ? "opacity-50" : ""}`} aria-busy={busy} data-what>
			<h2>What will happen</h2>
			{draft.blocked && (
				<div className="my-2">
					<Warn>{draft.blocked}</Warn>
				</div>
			)}
			{draft.asks && <Answer key={draft.asks} draft={draft} change={change} />}
			<div className="mt-2 grid grid-cols-4 border border-rule text-center">
				{[
					["new", e.added],
					["changed", e.changed],
					["unchanged", e.unchanged],
					["refused", e.refused],
				].map(([name, n]) => (
					<div
						key={name}
						className={`border-r border-rule py-1.5 last:border-r-0 ${name === "refused" && Number(n) > 0 ? "bg-warn-wash" : ""}`}
						data-figure={name}
					>
						<div className="code text-[15px] font-semibold">{count(Number(n))}</div>
						<div className="text-[12px] text-dim">{name}</div>
					</div>
				))}
			</div>
			<Problems draft={draft} change={change} only={only} onOnly={onOnly} />
			{draft.kind === "stock" && !draft.blocked && (
				<div className="mt-2">
					{(
						[
							[
								false,
								"It is the whole stock of its warehouses",
								e.gone > 0 ? `${count(e.gone)} recorded lines that are not in it go` : "nothing recorded goes",
							],
							[true, "It holds only some lines", "all others stay as they are"],
						] as const
					).map(([v, name, about]) => (
						<label key={name} className="flex items-baseline gap-2">
							<input type="radio" name="only" checked={Boolean(draft.choices.only) === v} onChange={() => change({ only: v })} />
							<span>
								{name}: <span className="text-dim">{v === Boolean(draft.choices.only) || v ? about : "lines missing from it go"}</span>
							</span>
						</label>
					))}
				</div>
			)}
			{e.new.length > 0 && <p className="mt-2">Makes {e.new.join(", ")}.</p>}
			{b && (
				<div className="mt-2">
					<p>
						{b.sheets.length > 0 ? (
							<>
								Sheet <span className="code">{b.sheets.join(", ")}</span> of{" "}
							</>
						) : (
							"For "
						)}
						<b>{b.count_name}</b>
						{b.by && `, counted by ${b.by}`}.
					</p>
					{b.empty > 0 && (
						<p>{b.empty === 1 ? "1 row is empty and stays uncounted." : `${count(b.empty)} rows are empty and stay uncounted.`}</p>
					)}
					{b.hand.length > 0 && <p className="mt-1 font-semibold">Added by hand</p>}
					{b.hand.map((h) => (
						<p key={h.row} className="flex justify-between">
							<span className="code truncate">{h.line}</span>
							<span className="code">
								{plain(h.quantity)} {h.new && <span className="text-over">▲ found</span>}
							</span>
						</p>
					))}
					{b.revisions.length > 0 && <p className="mt-1 font-semibold">A revision: these counts replace earlier ones</p>}
					{b.revisions.map((r) => (
						<p key={r.row} className="flex justify-between">
							<span className="code truncate">{r.line}</span>
							<span className="code">
								{plain(r.before)} → {plain(r.after)}
							</span>
						</p>
					))}
				</div>
			)}
			{e.places.length > 0 && (
				<table className="mt-3 w-full text-right">
					<thead className="text-[12px] text-dim">
						<tr>
							<th className="text-left font-normal">Warehouse</th>
							<th className="font-normal">new</th>
							<th className="font-normal">changed</th>
							<th className="font-normal">same</th>
							<th className="font-normal">gone</th>
						</tr>
					</thead>
					<tbody className="code">
						{e.places.map((p) => (
							<tr key={p.warehouse} className="border-t border-hair">
								<td className="text-left">{p.warehouse}</td>
								<td>{count(p.added)}</td>
								<td>{count(p.changed)}</td>
								<td>{count(p.unchanged)}</td>
								<td>{count(p.gone)}</td>
							</tr>
						))}
					</tbody>
				</table>
			)}
			{e.examples.length > 0 && (
				<div className="mt-3">
					<h2>For example</h2>
					{e.examples.map((x) => (
						<div key={x.what + x.line} className="border-b border-hair py-0.5 text-[12px]">
							<span className="mr-1.5 text-dim">{x.what}</span>
							<span className="code">{x.line}</span>
							<div className="code truncate pl-4" title={`${x.before} → ${x.after}`}>
								{x.before && <span className={x.what === "gone" ? "line-through" : "text-dim"}>{x.before}</span>}
								{x.before && x.after && " → "}
								{x.after}
							</div>
						</div>
					))}
				</div>
			)}
			{draft.assumed.length > 0 && (
				<div className="mt-3">
					<h2>Taken for granted</h2>
					{draft.assumed.map((a) => (
						<p key={a} className="text-dim">
							{a}
						</p>
					))}
				</div>
			)}
		</div>
	);
}

function Answer({ draft, change }: { draft: Draft; change: (c: Partial<Choices>) => void }) {
	const [text, setText] = useState(draft.asks === "recorded_at" ? (draft.choices.recorded_at ?? "") : (draft.choices.counted_at ?? ""));
	if (draft.asks === "count") return <AnswerCount change={change} />;
	return (
		<form
			className="my-2 flex items-end gap-2"
			onSubmit={(e) => {
				e.preventDefault();
				const at = text.replace("T", " ");
				change(draft.asks === "recorded_at" ? { recorded_at: at } : { counted_at: at });
			}}
		>
			<label className="flex-1">
				<span className="block text-dim">{draft.asks === "recorded_at" ? "When were the figures true?" : "When was it counted?"}</span>
				<input type="datetime-local" className="w-full" value={text} onChange={(e) => setText(e.target.value)} />
			</label>
			<button type="submit" className="act-plain" disabled={!text}>
				Set this time
			</button>
		</form>
	);
}

function AnswerCount({ change }: { change: (c: Partial<Choices>) => void }) {
	const today = useQuery({ queryKey: ["today"], queryFn: () => ask(api.GET("/api/today")) });
	const counts = today.data?.counts.filter((c) => c.state === "running");
	return (
		<div className="my-2">
			{counts?.map((c) => (
				<button key={c.id} type="button" className="act-plain mb-1 block w-full text-left" onClick={() => change({ count: c.id })}>
					It belongs to {c.name}
				</button>
			))}
		</div>
	);
}

function Problems({
	draft,
	change,
	only,
	onOnly,
}: {
	draft: Draft;
	change: (c: Partial<Choices>) => void;
	only: string;
	onOnly: (group: string) => void;
}) {
	if (draft.problems.length === 0) return null;
	const total = draft.problems.reduce((n, g) => n + g.count, 0);
	return (
		<div className="mt-2 mb-3" data-problems>
			<h2>
				<b className="text-warn">! </b>
				{many(total, "problem", "problems")}
			</h2>
			{draft.problems.map((g) => {
				const id = g.kind + g.field;
				return (
					<details key={id} open={draft.problems.length < 4} className="border-b border-hair py-1">
						<summary>
							<b className="font-semibold">{g.kind}</b>
							{g.field && <span className="text-dim"> in {draft.fields.find((f) => f.field === g.field)?.title ?? g.field}</span>} ·{" "}
							{many(g.count, "row", "rows")}
						</summary>
						<div className="mt-1 flex flex-wrap gap-3">
							{g.list.some((p) => p.row > 0) && (
								<button type="button" className="word" onClick={() => onOnly(only === id ? "" : id)}>
									{only === id ? "Show all rows" : "Show only these rows"}
								</button>
							)}
							{g.kind === "duplicate key" && draft.kind === "stock" && (
								<button type="button" className="word" onClick={() => change({ add_up: true })}>
									Sum rows of the same key
								</button>
							)}
						</div>
						<ul className="mt-1 text-[12.5px]">
							{g.list.slice(0, 50).map((p, i) => (
								<li key={i} className="py-0.5">
									{p.text}
								</li>
							))}
							{g.count > 50 && <li className="text-dim">and {count(g.count - 50)} more of this kind</li>}
						</ul>
					</details>
				);
			})}
			{draft.effect.refused > 0 && draft.kind !== "counts" && (
				<p className="mt-2 text-dim">Mend the file and drop it again, or take in the good rows alone.</p>
			)}
		</div>
	);
}

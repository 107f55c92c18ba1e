import { useRef, useState } from "react";
import { count, many } from "../frame/figures";
import { type Drop, redrop } from "./drops";
import { type Draft, fieldTitle, type Settle, type Sheet } from "./settling";

type Group = Sheet["problems"][number];

/** All problems, a group per kind and column, each with its remedies. One decision settles a group. */
export function Problems({
	draft,
	sheet,
	drop,
	settle,
	only,
	onOnly,
	onColumn,
}: {
	draft: Draft;
	sheet: Sheet;
	drop: Drop;
	settle: Settle;
	only: { kind: string; field: string } | null;
	onOnly: (group: { kind: string; field: string } | null) => void;
	onColumn: (letter: string) => void;
}) {
	const input = useRef<HTMLInputElement>(null);
	const places = useRef<string[]>([]); // a group keeps its place while others are settled, so that no click goes astray
	const place = (g: Group) => {
		const name = `${g.kind} in ${g.field}`;
		const at = places.current.indexOf(name);
		return at < 0 ? places.current.push(name) - 1 : at;
	};
	const groups = sheet.problems.map((g) => ({ g, at: place(g) })).sort((a, b) => a.at - b.at);
	if (sheet.problems.length === 0) return null;
	const open = (g: Group) =>
		sheet.values.filter((v) => v.open && v.field === g.field && (g.kind.startsWith("unknown ") || g.list.some((p) => p.value === v.text)))
			.length;
	const easy = groups.findIndex(({ g }) => g.remedies.length > 0);
	const total = sheet.problems.reduce((n, g) => n + g.count, 0);
	return (
		<div className="mt-2 mb-3" data-problems>
			<h2>
				<b className="text-warn">! </b>
				{many(total, "problem", "problems")}
			</h2>
			{sheet.culprit && sheet.effect.refused > 0 && (
				<p className="text-dim">
					All problems are in column {sheet.culprit} (
					{fieldTitle(sheet, sheet.columns.find((c) => c.letter === sheet.culprit)?.field ?? "")})
					{sheet.culprit_spare ? "; without it everything is fine." : "."}
				</p>
			)}
			{groups.map(({ g }, at) => {
				const here = only?.kind === g.kind && only.field === g.field;
				return (
					<details
						key={g.kind + g.field}
						open={(sheet.problems.length < 6 && total < 40) || here || at === 0 || at === easy}
						className="border-b border-hair py-1"
						data-group={g.kind}
					>
						<summary>
							<b className="font-semibold">{g.kind}</b>
							{g.field && <span className="text-dim"> in {fieldTitle(sheet, g.field)}</span>} · {many(g.count, "row", "rows")}
						</summary>
						<div className="mt-1 grid gap-1">
							{g.remedies.map((r) => (
								<button
									key={r.label}
									type="button"
									className="act-plain whitespace-normal text-left"
									onClick={() => settle({ sheet: sheet.number, set: r.set })}
								>
									{r.label}
									{r.before && (
										<span className="block text-dim">
											such as <span className="code">{r.before}</span> → <span className="code">{r.after}</span>
										</span>
									)}
								</button>
							))}
						</div>
						<div className="mt-1 flex flex-wrap gap-3">
							{open(g) > 0 && (
								<button
									type="button"
									className="word"
									onClick={() => {
										const first = document.querySelector<HTMLElement>(`[data-values] [data-field="${g.field}"] button`);
										first?.scrollIntoView({ block: "center" });
										first?.focus();
									}}
								>
									Settle {many(open(g), "value", "values")} below
								</button>
							)}
							{g.list.some((p) => p.row > 0) && (
								<button
									type="button"
									className="word"
									onClick={() => {
										onOnly(here ? null : { kind: g.kind, field: g.field });
										const at = g.list.find((p) => p.column)?.column;
										if (!here && at) onColumn(at);
									}}
								>
									{here ? "Show all rows" : "Show only these rows"}
								</button>
							)}
						</div>
						<Alike sheet={sheet} group={g} settle={settle} />
						<ul className="mt-1 text-[12.5px]">
							{g.list.slice(0, 6).map((p, i) => (
								<li key={i} className="py-0.5" title={p.text}>
									{p.row > 0 && (
										<span className="text-dim">
											{p.column}
											{p.row}{" "}
										</span>
									)}
									{p.brief}
								</li>
							))}
							{g.count > 6 && <li className="text-dim">and {count(g.count - 6)} more of this kind</li>}
						</ul>
					</details>
				);
			})}
			{sheet.effect.refused > 0 && (
				<p className="mt-2 flex flex-wrap gap-x-3">
					<a className="word" href={`/api/uploads/${draft.id}/refused?sheet=${sheet.number}`} download>
						Download the {many(sheet.effect.refused, "refused row", "refused rows")}
					</a>
					<button type="button" className="word" onClick={() => input.current?.click()}>
						Choose the mended file…
					</button>
					<span className="text-dim">or drop it here: all that was settled stays.</span>
					<input
						ref={input}
						type="file"
						className="hidden"
						aria-label="The mended file"
						onChange={(e) => {
							const file = e.target.files?.[0];
							e.target.value = "";
							if (file) redrop(drop, file);
						}}
					/>
				</p>
			)}
		</div>
	);
}

/** Mends all cells of a group that say the same, at once. */
function Alike({ sheet, group, settle }: { sheet: Sheet; group: Group; settle: Settle }) {
	const [was, setWas] = useState("");
	const [is, setIs] = useState("");
	const values = [...new Set(group.list.filter((p) => p.column && p.row > 0).map((p) => p.value))].slice(0, 50);
	if (values.length === 0 || group.kind === "duplicate key") return null;
	const now = was || values[0] || "";
	return (
		<form
			className="mt-1 flex items-center gap-1.5"
			onSubmit={(e) => {
				e.preventDefault();
				settle({ sheet: sheet.number, mend_alike: { kind: group.kind, field: group.field, was: now, is } });
			}}
		>
			<span className="text-dim">every</span>
			<select className="code max-w-28" value={now} aria-label={`A value of ${group.kind}`} onChange={(e) => setWas(e.target.value)}>
				{values.map((v) => (
					<option key={v} value={v}>
						{v || "(empty)"}
					</option>
				))}
			</select>
			<span className="text-dim">is</span>
			<input className="code w-20 flex-1" value={is} aria-label={`What ${group.kind} should say`} onChange={(e) => setIs(e.target.value)} />
			<button type="submit" className="act-plain" disabled={!is}>
				Mend
			</button>
		</form>
	);
}

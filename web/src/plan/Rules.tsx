import { useQuery } from "@tanstack/react-query";
import { type ReactNode, useId } from "react";
import { api, ask, type Schemas } from "../api/client";
import { key } from "../api/keys";

export type Rule = Schemas["Rule"];

const names: [Rule["what"], string][] = [
	["sku", "a list of items"],
	["category", "category"],
	["class", "class in the records"],
	["abc", "class A, B, C, worked out"],
	["value", "value of the line"],
	["below", "recorded below zero"],
	["zero", "recorded at zero"],
	["age", "days since the last count"],
	["moved", "moved since the last count"],
	["wrong", "wrong at the last count"],
];

const fresh: Record<string, Partial<Rule>> = { abc: { values: ["A"], by: "value", a: 80, b: 95 }, age: { days: 90 } };

/** A rule is whole once it says what it needs; until then it narrows nothing. */
export const isWhole = (r: Rule) =>
	["sku", "category", "class", "abc"].includes(r.what) ? (r.values?.length ?? 0) > 0 : r.what !== "value" || Boolean(r.from || r.to);

const listed = (text: string) => [
	...new Set(
		text
			.split(/[\n\t,;]+/)
			.map((t) => t.trim())
			.filter(Boolean),
	),
];

/** The rules of a scope, each a sentence; all of them must hold. */
export function Rules({
	rules,
	unknown,
	unknownN,
	onChange,
}: {
	rules: Rule[];
	unknown: string[];
	unknownN: number;
	onChange: (r: Rule[]) => void;
}) {
	const classes = useQuery({ queryKey: key.classes, queryFn: () => ask(api.GET("/api/classes")) });
	const categories = useQuery({ queryKey: key.categories, queryFn: () => ask(api.GET("/api/categories")) });
	const set = (i: number, r: Rule) => onChange(rules.map((x, n) => (n === i ? r : x)));
	return (
		<div className="mt-3" data-rules>
			{rules.map((r, i) => (
				<div key={i} className="flex flex-wrap items-baseline gap-x-3 gap-y-1 border-b border-hair py-1.5" data-rule={r.what}>
					<select
						value={r.not ? "not" : "only"}
						onChange={(e) => set(i, { ...r, not: e.target.value === "not" || undefined })}
						aria-label="Only these, or all but these"
					>
						<option value="only">only</option>
						<option value="not">all but</option>
					</select>
					<Sentence rule={r} onChange={(x) => set(i, x)} classes={classes.data ?? []} categories={categories.data ?? []} />
					<button type="button" className="word ml-auto" onClick={() => onChange(rules.filter((_, n) => n !== i))}>
						drop this rule
					</button>
				</div>
			))}
			<select
				className="mt-2"
				value=""
				aria-label="Add a rule"
				onChange={(e) => onChange([...rules, { what: e.target.value as Rule["what"], ...fresh[e.target.value] }])}
			>
				<option value="">{rules.length ? "And a rule about…" : "Narrow it by a rule about…"}</option>
				{names.map(([what, name]) => (
					<option key={what} value={what}>
						{name}
					</option>
				))}
			</select>
			{unknownN > 0 && (
				<p className="mt-1 text-warn" data-unknown>
					! {unknownN === 1 ? "1 value is" : `${unknownN} values are`} not known here and pick nothing:{" "}
					<span className="code">{unknown.join(", ")}</span>
					{unknownN > unknown.length && " …"}
				</p>
			)}
		</div>
	);
}

function Sentence({
	rule: r,
	classes,
	categories,
	onChange,
}: {
	rule: Rule;
	classes: string[];
	categories: string[];
	onChange: (r: Rule) => void;
}) {
	const number = (v: string) => (v.trim() === "" ? undefined : v.trim());
	switch (r.what) {
		case "sku":
			return (
				<>
					<span>these items:</span>
					<textarea
						className="code h-16 w-80"
						placeholder="SKUs or barcodes, pasted from anywhere"
						aria-label="Items"
						defaultValue={(r.values ?? []).join("\n")}
						onChange={(e) => onChange({ ...r, values: listed(e.target.value) })}
					/>
					<span className="text-dim">{(r.values ?? []).length} named</span>
				</>
			);
		case "category":
			return <Among words="lines of the category" of={categories} rule={r} onChange={onChange} />;
		case "class":
			return <Among words="items of class" of={classes} rule={r} onChange={onChange} />;
		case "abc":
			return (
				<>
					<Among words="items of class" of={["A", "B", "C"]} rule={r} onChange={onChange} />
					<span>by</span>
					<select value={r.by} onChange={(e) => onChange({ ...r, by: e.target.value as "value" })} aria-label="Classes by">
						<option value="value">what is recorded of them</option>
						<option value="movement">what moved in a year</option>
					</select>
					<span className="text-dim">A up to</span>
					<Small label="A up to, percent" value={String(r.a ?? "")} onChange={(v) => onChange({ ...r, a: Number(v) || undefined })} />
					<span className="text-dim">%, B up to</span>
					<Small label="B up to, percent" value={String(r.b ?? "")} onChange={(v) => onChange({ ...r, b: Number(v) || undefined })} />
					<span className="text-dim">% of the value</span>
				</>
			);
		case "value":
			return (
				<>
					<span>lines worth at least</span>
					<Small wide label="Worth at least" value={r.from ?? ""} onChange={(v) => onChange({ ...r, from: number(v) })} />
					<span>and at most</span>
					<Small wide label="Worth at most" value={r.to ?? ""} onChange={(v) => onChange({ ...r, to: number(v) })} />
				</>
			);
		case "age":
			return (
				<>
					<span>lines not counted for</span>
					<Small label="Days" value={String(r.days ?? "")} onChange={(v) => onChange({ ...r, days: Number.parseInt(v, 10) || 1 })} />
					<span>days, or never</span>
				</>
			);
		case "below":
			return <span>lines that are recorded below zero</span>;
		case "zero":
			return <span>lines that are recorded at zero</span>;
		case "moved":
			return <span>lines that moved since they were last counted</span>;
		default:
			return <span>lines that were over, short or found when they were last counted</span>;
	}
}

function Small({ label, value, wide, onChange }: { label: string; value: string; wide?: boolean; onChange: (v: string) => void }) {
	return (
		<input
			className={`code text-right ${wide ? "w-28" : "w-14"}`}
			inputMode="decimal"
			aria-label={label}
			value={value}
			onChange={(e) => onChange(e.target.value)}
		/>
	);
}

function Among({ words, of, rule, onChange }: { words: ReactNode; of: string[]; rule: Rule; onChange: (r: Rule) => void }) {
	const id = useId();
	const chosen = new Set(rule.values);
	if (of.length === 0) return <span className="text-dim">{words}: no item has one</span>;
	return (
		<>
			<span id={id}>{words}</span>
			<span className="flex flex-wrap gap-x-3" role="group" aria-labelledby={id}>
				{of.map((v) => (
					<label key={v} className="flex items-center gap-1.5">
						<input
							type="checkbox"
							checked={chosen.has(v)}
							onChange={() => {
								if (!chosen.delete(v)) chosen.add(v);
								onChange({ ...rule, values: of.filter((x) => chosen.has(x)) });
							}}
						/>
						{v}
					</label>
				))}
			</span>
		</>
	);
}

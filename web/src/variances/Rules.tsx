import { Dialog, DialogPanel, DialogTitle } from "@headlessui/react";
import { useMutation, useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { Link } from "react-router";
import { api, ask, queries, type Schemas } from "../api/client";
import { key } from "../api/keys";
import { Choice } from "../frame/Frame";
import { count, many, Off, plain, Warn, when } from "../frame/figures";
import { causeSentence } from "./Causes";

type Rule = Schemas["RuleView"];
type Trial = Schemas["RuleTrial"];

const fresh: Rule = {
	id: 0,
	name: "",
	class: "",
	category: "",
	sign: "",
	cause: "none",
	aisle: false,
	quantity: null,
	percent: null,
	from: null,
	to: null,
	decides: "accept",
	reason: "",
	on: false,
	on_by: "",
	on_at: null,
	decided: 0,
};

const pairs = ["misplaced", "mistaken-item", "wrong-lot"];

/** What a rule says, as a sentence. */
function sentence(r: Rule): string {
	const of = [
		r.class && `class ${r.class}`,
		r.category && `category ${r.category}`,
		r.sign && `${r.sign}`,
		r.cause === "none" ? "nothing speaks for a cause" : r.cause && (causeSentence[r.cause] ?? r.cause).toLowerCase(),
		r.aisle && "in one aisle",
		r.quantity != null && `off by at most ${plain(r.quantity)}`,
		r.percent != null && `off by at most ${plain(r.percent)} %`,
		r.from != null && `worth at least ${plain(r.from)}`,
		r.to != null && `worth at most ${plain(r.to)}`,
	].filter(Boolean);
	return `${of.join(", ") || "every variance"}: ${r.decides}${r.reason ? ` for ${r.reason}` : ""}`;
}

/** The rules that decide by themselves, each with a trial before it is turned on, and which of several rounds stands. */
export function Rules({
	id,
	stands,
	may,
	onClose,
}: {
	id: number;
	stands: Schemas["Stages"]["stands"];
	may: boolean;
	onClose: () => void;
}) {
	const rules = useQuery({ queryKey: key.rules, queryFn: () => ask(api.GET("/api/rules")) });
	const reasons = useQuery({ queryKey: key.reasons, queryFn: () => ask(api.GET("/api/reasons")) });
	const classes = useQuery({ queryKey: key.classes, queryFn: () => ask(api.GET("/api/classes")) });
	const categories = useQuery({ queryKey: key.categories, queryFn: () => ask(api.GET("/api/categories")) });
	const [rule, setRule] = useState<Rule | null>(null);
	const [trial, setTrial] = useState<{ of: string; said: Trial } | null>(null);
	const changed = () => {
		queries.invalidateQueries({ queryKey: key.rules });
		queries.invalidateQueries({ queryKey: key.count(id) });
	};
	const attempt = useMutation({
		mutationFn: (r: Rule) => ask(api.POST("/api/rules/try", { body: r })),
		onSuccess: (said, r) => setTrial({ of: JSON.stringify(r), said }),
	});
	const keep = useMutation({
		mutationFn: async ({ r, on }: { r: Rule; on?: Trial }) => {
			const kept = await ask(api.PUT("/api/rules", { body: r }));
			setRule({ ...r, id: kept.id }); // what is refused beyond this is about a rule that is kept
			if (on) {
				await ask(
					api.POST("/api/rules/{rule}/turn", { params: { path: { rule: kept.id } }, body: { on: true, lines: on.lines, gross: on.gross } }),
				);
			}
		},
		onSuccess: () => {
			setRule(null);
			setTrial(null);
		},
		onSettled: changed,
	});
	const off = useMutation({
		mutationFn: (r: Rule) =>
			ask(api.POST("/api/rules/{rule}/turn", { params: { path: { rule: r.id } }, body: { on: false, lines: 0, gross: "0" } })),
		onSettled: changed,
	});
	const drop = useMutation({
		mutationFn: (r: Rule) => ask(api.DELETE("/api/rules/{rule}", { params: { path: { rule: r.id } } })),
		onSettled: changed,
	});
	const standing = useMutation({
		mutationFn: (to: Schemas["Stages"]["stands"]) =>
			ask(api.POST("/api/counts/{count}/stands", { params: { path: { count: id } }, body: { stands: to } })),
		onSettled: changed,
	});
	const tried = rule && trial?.of === JSON.stringify(rule) ? trial.said : undefined;
	const edit = (r: Rule | null) => {
		setRule(r);
		setTrial(null);
		attempt.reset();
		keep.reset();
	};
	return (
		<Dialog open onClose={onClose} className="relative z-40">
			<div className="fixed inset-0 bg-ink/25" aria-hidden />
			<div className="fixed inset-0 flex items-start justify-center overflow-y-auto p-10">
				<DialogPanel className="w-full max-w-[920px] border border-ink bg-paper" data-rules>
					<div className="flex items-baseline justify-between border-b border-ink px-4 py-2">
						<DialogTitle className="text-[15px] font-bold">Rules that decide by themselves</DialogTitle>
						<button type="button" className="word" onClick={onClose}>
							Back to the variances <span className="text-dim">Esc</span>
						</button>
					</div>
					<p className="px-4 pt-2 text-dim">
						A rule decides what comes back from now on, in every running count, and what is open there. What it decides is marked with its
						name and can be taken back; it leaves alone what somebody took back, what is being counted again, and what is disputed.
					</p>
					<ul className="px-4 py-2">
						{rules.data?.map((r) => (
							<li key={r.id} className="flex items-baseline gap-3 border-b border-hair py-1" data-rule={r.name}>
								<b className={r.on ? "w-8 shrink-0" : "w-8 shrink-0 font-normal text-dim"}>{r.on ? "✓ on" : "off"}</b>
								<span className="min-w-0 flex-1">
									<b>{r.name}</b> <span className="text-dim">{sentence(r)}</span>
									{r.on && (
										<span className="text-dim">
											{" "}
											· since {when(r.on_at)} by {r.on_by}
										</span>
									)}
								</span>
								<span className="whitespace-nowrap">{r.decided > 0 && `${count(r.decided)} decided`}</span>
								{may && r.on && (
									<button type="button" className="word" disabled={off.isPending} onClick={() => off.mutate(r)}>
										turn off
									</button>
								)}
								{may && !r.on && (
									<>
										<button type="button" className="word" onClick={() => edit(r)}>
											change or turn on
										</button>
										<button type="button" className="word text-dim" disabled={drop.isPending} onClick={() => drop.mutate(r)}>
											let go
										</button>
									</>
								)}
							</li>
						))}
						{rules.data?.length === 0 && <li className="py-1 text-dim">There is none yet: every variance is decided by somebody.</li>}
						{off.error && <Warn>{off.error.message}</Warn>}
						{drop.error && <Warn>{drop.error.message}</Warn>}
					</ul>
					{may && !rule && (
						<p className="flex gap-5 px-4 pb-3">
							<button type="button" className="act-plain" onClick={() => edit(fresh)} data-new-rule>
								Make a rule
							</button>
							<button
								type="button"
								className="word"
								onClick={() => edit({ ...fresh, name: "Transfers within one aisle", cause: "misplaced", aisle: true, reason: "TRANSFER" })}
							>
								…for transfers of equal quantity within one aisle
							</button>
						</p>
					)}
					{rule && (
						<form
							className="border-t border-ink bg-sheet px-4 py-3"
							onSubmit={(e) => {
								e.preventDefault();
								attempt.mutate(rule);
							}}
						>
							<Fields
								rule={rule}
								onChange={setRule}
								reasons={reasons.data ?? []}
								classes={classes.data ?? []}
								categories={categories.data ?? []}
							/>
							<div className="mt-3 flex items-center gap-4">
								<button type="submit" className={tried ? "act-plain" : "act"} disabled={attempt.isPending}>
									Try it on the last counts
								</button>
								{tried && (
									<button
										type="button"
										className="act"
										disabled={keep.isPending || rule.name.trim() === ""}
										title={rule.name.trim() === "" ? "Give it a name first" : undefined}
										onClick={() => keep.mutate({ r: rule, on: tried })}
										data-turn-on
									>
										Turn it on
									</button>
								)}
								<button
									type="button"
									className="word"
									disabled={keep.isPending || rule.name.trim() === ""}
									onClick={() => keep.mutate({ r: rule })}
								>
									keep it, off
								</button>
								<button type="button" className="word text-dim" onClick={() => edit(null)}>
									let it be
								</button>
							</div>
							{attempt.error && <Warn>{attempt.error.message}</Warn>}
							{keep.error && <Warn>{keep.error.message}</Warn>}
							{tried && <Tried trial={tried} then={rule.decides} />}
						</form>
					)}
					<div className="flex items-baseline gap-4 border-t border-ink px-4 py-2.5">
						<span>Of several counts of a line, in this count</span>
						<Choice<Schemas["Stages"]["stands"]>
							label="Which count stands"
							value={stands}
							of={[
								["", "the last stands"],
								["agree", "two that agree stand"],
								["choose", "I choose which stands"],
							]}
							onChange={(to) => may && to !== stands && standing.mutate(to)}
						/>
						{standing.error && <Warn>{standing.error.message}</Warn>}
					</div>
				</DialogPanel>
			</div>
		</Dialog>
	);
}

/** What a rule is about and what it does. */
function Fields({
	rule: r,
	onChange,
	reasons,
	classes,
	categories,
}: {
	rule: Rule;
	onChange: (r: Rule) => void;
	reasons: Schemas["ReasonView"][];
	classes: string[];
	categories: string[];
}) {
	const limit = (of: "quantity" | "percent" | "from" | "to", label: string) => (
		<label className="flex items-baseline gap-1.5">
			<span className="text-dim">{label}</span>
			<input
				className="code w-20 text-right"
				inputMode="decimal"
				value={r[of] ?? ""}
				onChange={(e) => onChange({ ...r, [of]: e.target.value.trim() === "" ? null : e.target.value.trim() })}
				aria-label={`Rule: ${label}`}
			/>
		</label>
	);
	const choose = (of: "class" | "category" | "cause" | "reason", label: string, list: [string, string][]) => (
		<label className="flex items-baseline gap-1.5">
			<span className="text-dim">{label}</span>
			<select value={r[of]} onChange={(e) => onChange({ ...r, [of]: e.target.value })} aria-label={`Rule: ${label}`}>
				{list.map(([v, name]) => (
					<option key={v} value={v}>
						{name}
					</option>
				))}
			</select>
		</label>
	);
	const pair = pairs.includes(r.cause);
	const fit = reasons.filter((x) => r.decides === "hold" || !x.sign || x.sign === r.sign);
	return (
		<div className="grid gap-y-2">
			<div className="flex flex-wrap items-baseline gap-x-6 gap-y-2">
				<label className="flex items-baseline gap-1.5">
					<span className="text-dim">name</span>
					<input
						className="w-64"
						autoFocus
						maxLength={80}
						value={r.name}
						onChange={(e) => onChange({ ...r, name: e.target.value })}
						aria-label="Rule: name"
					/>
				</label>
				{choose("class", "class", [["", "any"], ...classes.map((c): [string, string] => [c, c])])}
				{choose("category", "category", [["", "any"], ...categories.map((c): [string, string] => [c, c])])}
			</div>
			<div className="flex flex-wrap items-baseline gap-x-6 gap-y-2">
				<label className="flex items-baseline gap-1.5">
					<span className="text-dim">where</span>
					<select
						value={r.cause}
						onChange={(e) => {
							const cause = e.target.value;
							onChange({ ...r, cause, aisle: r.aisle && pairs.includes(cause), sign: pairs.includes(cause) ? "" : r.sign });
						}}
						aria-label="Rule: where"
					>
						<option value="none">nothing speaks for a cause</option>
						<option value="">whatever speaks for it</option>
						{Object.entries(causeSentence).map(([k, name]) => (
							<option key={k} value={k}>
								much speaks for: {name.toLowerCase()}
							</option>
						))}
					</select>
				</label>
				{pair && (
					<label className="flex items-baseline gap-1.5">
						<input type="checkbox" checked={r.aisle} onChange={(e) => onChange({ ...r, aisle: e.target.checked })} />
						both in one aisle
					</label>
				)}
				{pair && <span className="text-dim">both lines are decided, where they are off by the same quantity</span>}
				{!pair && (
					<Choice<Rule["sign"]>
						label="Rule: sign"
						value={r.sign}
						of={[
							["", "over and short"],
							["short", "short"],
							["over", "over"],
						]}
						onChange={(sign) => onChange({ ...r, sign, reason: "" })}
					/>
				)}
			</div>
			<div className="flex flex-wrap items-baseline gap-x-6 gap-y-2">
				{limit("quantity", "off by at most")}
				{limit("percent", "and at most % of expected")}
				{limit("from", "worth at least")}
				{limit("to", "worth at most")}
			</div>
			<div className="flex flex-wrap items-baseline gap-x-6 gap-y-2">
				<Choice<Rule["decides"]>
					label="Rule: what it does"
					value={r.decides}
					of={[
						["accept", "accept it"],
						["hold", "hold it"],
					]}
					onChange={(decides) => onChange({ ...r, decides })}
				/>
				{choose("reason", "for", [["", "no reason"], ...fit.map((x): [string, string] => [x.code, x.name])])}
			</div>
		</div>
	);
}

/** What a rule would have decided, count by count, against what people decided. */
function Tried({ trial, then }: { trial: Trial; then: string }) {
	const of = trial.counts.filter((c) => c.lines > 0);
	return (
		<div className="mt-3" data-trial>
			<p>
				In the last {many(trial.counts.length, "count", "counts")} it would have decided <b>{many(trial.lines, "line", "lines")}</b>, worth{" "}
				<b className="code">{plain(trial.gross)}</b> gross.
			</p>
			{of.length > 0 && (
				<table className="mt-1 w-full text-[12.5px]">
					<thead className="text-left text-dim">
						<tr>
							<th className="py-0.5 font-normal">Count</th>
							<th className="px-2 text-right font-normal">Lines</th>
							<th className="px-2 text-right font-normal">Gross</th>
							<th className="px-2 text-right font-normal">People did the same</th>
							<th className="px-2 text-right font-normal">Otherwise</th>
							<th className="px-2 text-right font-normal">Open</th>
							<th className="pl-4 font-normal">Such as</th>
						</tr>
					</thead>
					<tbody>
						{of.map((c) => (
							<tr key={c.count} className="border-t border-hair align-top">
								<td className="py-0.5">
									<Link className="word" to={`/counts/${c.count}/variances`}>
										{c.name}
									</Link>
								</td>
								<td className="code px-2 text-right">{count(c.lines)}</td>
								<td className="code px-2 text-right">{plain(c.gross)}</td>
								<td className="code px-2 text-right">{count(c.same)}</td>
								<td className={`code px-2 text-right ${c.otherwise > 0 ? "font-bold text-warn" : ""}`}>
									{c.otherwise > 0 ? `! ${count(c.otherwise)}` : 0}
								</td>
								<td className="code px-2 text-right">{count(c.open)}</td>
								<td className="pl-4">
									{c.examples.slice(0, 3).map((e) => (
										<div key={e.pos} className="flex gap-2">
											<span className="code">
												{e.bin} {e.sku}
											</span>
											<Off of={e.variance} />
											{e.decision && (
												<span className="text-dim">
													{" "}
													{e.decision === "accept" ? "accepted" : "held"}
													{e.reason && `, ${e.reason}`}
												</span>
											)}
										</div>
									))}
								</td>
							</tr>
						))}
					</tbody>
				</table>
			)}
			{trial.lines === 0 && <p className="text-dim">Nothing of what is there fits it. It can be turned on all the same, for what comes.</p>}
			{then === "accept" && of.some((c) => c.otherwise > 0) && (
				<p className="mt-1 text-warn">! Some of them were decided otherwise by people: look at these before you turn it on.</p>
			)}
		</div>
	);
}

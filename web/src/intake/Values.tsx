import { useState } from "react";
import { count, many } from "../frame/figures";
import { fieldTitle, type Settle, type Sheet } from "./settling";

type Value = Sheet["values"][number];

/** Values that the records do not know, once each: matched to a known one, made new, or left out. */
export function Values({ sheet, settle }: { sheet: Sheet; settle: Settle }) {
	const [all, setAll] = useState(false);
	if (sheet.values.length === 0) return null;
	const open = sheet.values.filter((v) => v.open);
	const shown = all ? sheet.values : sheet.values.slice(0, Math.max(8, Math.min(open.length, 40)));
	return (
		<div className="mt-2 mb-3" data-values>
			<h2>
				{open.length > 0 && <b className="text-warn">! </b>}
				{many(sheet.values.length, "value", "values")} not in the records{open.length > 0 && `, ${count(open.length)} to settle`}
			</h2>
			{shown.map((v) => (
				<OneValue key={`${v.field}:${v.text}:${v.row}`} sheet={sheet} value={v} settle={settle} />
			))}
			{shown.length < sheet.values.length && (
				<button type="button" className="word" onClick={() => setAll(true)}>
					Show all {count(sheet.values.length)}
				</button>
			)}
		</div>
	);
}

function OneValue({ sheet, value: v, settle }: { sheet: Sheet; value: Value; settle: Settle }) {
	const [to, setTo] = useState("");
	const [other, setOther] = useState(false);
	const [opened, setOpened] = useState(false);
	const say = (does: "match" | "new" | "skip", target = "") =>
		settle({ sheet: sheet.number, set: { matches: [{ field: v.field, from: v.text, do: does, ...(target ? { to: target } : {}) }] } });
	const word = (on: boolean) => (on ? "font-semibold underline decoration-2 underline-offset-4" : "word");
	const likely = [...v.originals, ...v.near.filter((n) => !v.originals.includes(n))].slice(0, 4);
	return (
		<div className="border-b border-hair py-1 text-[12.5px]" data-value={v.text} data-field={v.field}>
			<div className="flex items-baseline gap-1.5">
				{v.open && <b className="text-warn">!</b>}
				<span className="code truncate font-semibold" title={v.text}>
					{v.text}
				</span>
				<span className="shrink-0 text-dim">
					{fieldTitle(sheet, v.field)}, {many(v.rows, "row", "rows")}
				</span>
				{v.do && (
					<span className="shrink-0">
						{v.do === "new" ? "is new" : v.do === "skip" ? "is left out" : "is "}
						{(v.do === "match" || v.do === "repair") && <span className="code">{v.to}</span>}
					</span>
				)}
				{!v.open && (
					<button type="button" className="word ml-auto shrink-0 text-dim" onClick={() => setOpened(!opened)}>
						change
					</button>
				)}
			</div>
			<div hidden={!v.open && !opened} className={v.open || opened ? "flex flex-wrap items-baseline gap-x-3 pl-3" : ""}>
				{v.damage && <span className="text-dim">{v.damage}:</span>}
				{likely.map((t) => (
					<button key={t} type="button" className={word(v.do === "match" && v.to === t)} onClick={() => say("match", t)}>
						it is <span className="code">{t}</span>
					</button>
				))}
				<button type="button" className="word text-dim" onClick={() => setOther(!other)}>
					it is another…
				</button>
				{v.may_be_new && (
					<button type="button" className={word(v.do === "new")} onClick={() => say("new")}>
						it is new
					</button>
				)}
				<button type="button" className={word(v.do === "skip")} onClick={() => say("skip")}>
					leave out
				</button>
			</div>
			{other && (
				<form
					className="mt-1 flex gap-1.5 pl-3"
					onSubmit={(e) => {
						e.preventDefault();
						if (to.trim()) say("match", to.trim());
						setOther(false);
					}}
				>
					<input
						autoFocus
						className="code flex-1"
						aria-label={`What ${v.text} stands for`}
						value={to}
						onChange={(e) => setTo(e.target.value)}
					/>
					<button type="submit" className="act-plain">
						It is this
					</button>
				</form>
			)}
		</div>
	);
}

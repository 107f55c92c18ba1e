import { Listbox, ListboxButton, ListboxOption, ListboxOptions } from "@headlessui/react";
import { useMutation } from "@tanstack/react-query";
import { useState } from "react";
import { Link } from "react-router";
import { api, ask, queries, type Schemas, workKey, zone } from "../api/client";
import { Stage } from "../frame/Frame";
import { count, Empty, many, Warn, when } from "../frame/figures";
import { DropField } from "./DropField";
import { changeDrop, type Drop, forgetDrop, useDrops } from "./drops";
import { What } from "./What";

type Draft = Schemas["Draft"];
type Choices = Schemas["Choices"];

const kindWord: Record<string, string> = { stock: "recorded stock", items: "items", movements: "movements", counts: "counts" };

/** Dropped files: what each was taken for, what would happen, what is wrong. Nothing is stored before the last button. */
export function Intake() {
	const drops = useDrops();
	const [at, setAt] = useState(0);
	const drop = drops.find((d) => d.id === at) ?? drops[0];
	if (!drop) {
		return (
			<Empty title="Take files in">
				<p>
					Recorded stock, items, movements, or sheets that came back: as delimited text or as workbooks. You see what a file was taken for,
					and what it would change, before anything is stored.
				</p>
				<div className="mt-6">
					<DropField />
				</div>
			</Empty>
		);
	}
	return (
		<>
			{drops.length > 1 && <DropList drops={drops} at={drop.id} onAt={setAt} />}
			<OneDrop key={drop.id} drop={drop} />
		</>
	);
}

function DropList({ drops, at, onAt }: { drops: Drop[]; at: number; onAt: (id: number) => void }) {
	const ready = drops.filter((d) => d.draft && !d.done && d.draft.blocked === "" && d.draft.effect.refused === 0);
	const all = useMutation({
		mutationFn: async () => {
			for (const d of ready) {
				changeDrop(d.id, { busy: true });
				try {
					changeDrop(d.id, { done: await takeIn(d.draft as Draft, 0), busy: false });
				} catch (e) {
					changeDrop(d.id, { error: (e as Error).message, busy: false });
				}
			}
		},
	});
	return (
		<div className="flex items-center gap-1 overflow-x-auto border-b border-ink px-3 pt-1.5" role="tablist">
			{drops.map((d) => (
				<button
					key={d.id}
					type="button"
					role="tab"
					aria-selected={d.id === at}
					onClick={() => onAt(d.id)}
					className={`shrink-0 border border-b-0 px-3 py-1 ${d.id === at ? "border-ink bg-sheet font-semibold" : "border-rule"}`}
				>
					{d.done ? "✓ " : d.error || d.draft?.blocked || (d.draft?.effect.refused ?? 0) > 0 ? <b className="text-warn">! </b> : ""}
					{d.file.name}
				</button>
			))}
			{ready.length > 1 && (
				<button type="button" className="act mb-1 ml-auto" disabled={all.isPending} onClick={() => all.mutate()}>
					Take in all {ready.length} files
				</button>
			)}
		</div>
	);
}

async function takeIn(draft: Draft, leaveOut: number, key = workKey()) {
	const done = await ask(
		api.POST("/api/uploads/{draft}/take-in", { params: { path: { draft: draft.id } }, body: { key, leave_out: leaveOut } }),
	);
	queries.invalidateQueries();
	return done;
}

function OneDrop({ drop }: { drop: Drop }) {
	const { draft } = drop;
	const [only, setOnly] = useState(""); // rows of one problem group
	const [key] = useState(workKey);
	const choose = useMutation({
		mutationFn: (choices: Choices) =>
			ask(api.PUT("/api/uploads/{draft}", { params: { path: { draft: draft?.id ?? "" } }, body: { ...choices, zone: zone() } })),
		onSuccess: (d) => changeDrop(drop.id, { draft: d, error: undefined }),
	});
	const take = useMutation({
		mutationFn: (leaveOut: number) => takeIn(draft as Draft, leaveOut, key),
		onSuccess: (done) => changeDrop(drop.id, { done }),
	});
	if (drop.error) {
		return (
			<Empty title={`${drop.file.name} cannot be read`}>
				<Warn>{drop.error}</Warn>
				<button type="button" className="act-plain mt-4" onClick={() => forgetDrop(drop.id)}>
					Put it away
				</button>
			</Empty>
		);
	}
	if (!draft || drop.busy) return <Empty title={`Having a look at ${drop.file.name}…`}>Nothing is stored yet.</Empty>;
	if (drop.done) return <LastWord drop={drop} done={drop.done} />;
	const change = (c: Partial<Choices>) => choose.mutate({ ...draft.choices, ...c });
	const refused = draft.effect.refused;
	const taking = draft.effect.added + draft.effect.changed;
	return (
		<Stage
			side={<What draft={draft} change={change} busy={choose.isPending} only={only} onOnly={setOnly} />}
			foot={
				<>
					<span>
						<b>{count(draft.rows)}</b> rows of {kindWord[draft.kind] ?? "no known kind"}
					</span>
					{(take.error ?? choose.error) && <Warn>{(take.error ?? choose.error)?.message}</Warn>}
					<span className="ml-auto flex items-center gap-3">
						<button
							type="button"
							className="act-plain"
							onClick={() => {
								ask(api.DELETE("/api/uploads/{draft}", { params: { path: { draft: draft.id } } })).catch(() => {});
								forgetDrop(drop.id);
							}}
						>
							Put it away
						</button>
						<button
							type="button"
							className="act"
							disabled={draft.blocked !== "" || take.isPending || choose.isPending}
							onClick={() => take.mutate(refused)}
						>
							{take.isPending
								? "Taking in…"
								: refused > 0
									? `Take in the good rows, leave out ${count(refused)}`
									: draft.kind === "counts"
										? `Take in ${many(taking, "count", "counts")}`
										: `Take in ${many(draft.rows, "row", "rows")}`}
						</button>
					</span>
				</>
			}
			keys={[
				["Tab", "from choice to choice"],
				["Ctrl K", "go anywhere"],
			]}
		>
			<Form draft={draft} change={change} />
			<FileTable draft={draft} change={change} only={only} />
		</Stage>
	);
}

/** What was taken for granted about the file's form, each changeable. */
function Form({ draft, change }: { draft: Draft; change: (c: Partial<Choices>) => void }) {
	return (
		<div className="flex flex-wrap items-center gap-x-3 gap-y-1 border-b border-hair px-3 py-1.5">
			<b className="truncate">{draft.name}</b>
			<label className="flex items-center gap-1.5">
				<span className="text-dim">is taken for</span>
				<select value={draft.kind} onChange={(e) => change({ kind: e.target.value as Choices["kind"], columns: undefined })}>
					{Object.entries(kindWord).map(([k, w]) => (
						<option key={k} value={k}>
							{w}
						</option>
					))}
				</select>
			</label>
			{draft.form === "workbook" && (
				<label className="flex items-center gap-1.5">
					<span className="text-dim">sheet</span>
					<select value={draft.sheet} onChange={(e) => change({ sheet: Number(e.target.value), columns: undefined })}>
						{draft.sheets.map((s, i) => (
							<option key={s} value={i}>
								{s}
							</option>
						))}
					</select>
				</label>
			)}
			{draft.form === "delimited text" && (
				<>
					<label className="flex items-center gap-1.5">
						<span className="text-dim">cells parted by</span>
						<select
							value={{ comma: ",", semicolon: ";", tab: "\t", bar: "|" }[draft.delimiter] ?? ","}
							onChange={(e) => change({ delimiter: e.target.value, columns: undefined })}
						>
							<option value=",">comma</option>
							<option value=";">semicolon</option>
							<option value={"\t"}>tab</option>
							<option value="|">bar</option>
						</select>
					</label>
					<label className="flex items-center gap-1.5">
						<span className="text-dim">letters</span>
						<select value={draft.encoding} onChange={(e) => change({ encoding: e.target.value })}>
							{["UTF-8", "UTF-8 with mark", "UTF-16 little-endian", "UTF-16 big-endian", "Windows-1252"].map((e) => (
								<option key={e}>{e}</option>
							))}
						</select>
					</label>
				</>
			)}
			{draft.header_row > 0 && <span className="text-dim">header in row {draft.header_row}</span>}
		</div>
	);
}

/** The file as it is, with true row numbers; above each column the field it was taken for. */
function FileTable({ draft, change, only }: { draft: Draft; change: (c: Partial<Choices>) => void; only: string }) {
	const width = Math.max(draft.columns.length, ...draft.top.map((r) => r.cells.length));
	const letters = Array.from({ length: width }, (_, i) => draft.columns[i]?.letter ?? "");
	const group = draft.problems.find((p) => p.kind + p.field === only);
	const values = new Map(group?.list.map((p) => [p.row, p]));
	const known = new Map(draft.top.map((r) => [r.row, r]));
	const rows = group ? [...new Set(group.list.map((p) => p.row))].slice(0, 200) : draft.top.map((r) => r.row);
	const wrong = new Set(draft.problems.flatMap((g) => g.list.map((p) => `${p.row}:${p.column}`)));
	return (
		<div className="min-h-0 flex-1 overflow-auto" tabIndex={0} role="region" aria-label="The file as it is">
			<table className="border-collapse">
				<thead className="sticky top-0 bg-paper">
					<tr>
						<th className="sticky left-0 w-12 border-r border-b border-rule bg-paper" />
						{draft.columns.map((c) => (
							<th key={c.letter} className="min-w-28 border-r border-b border-hair px-1 py-1 text-left align-top font-normal" title={c.why}>
								<FieldPicker
									draft={draft}
									column={c}
									onPick={(field) => change({ columns: { ...draft.choices.columns, [c.letter]: field } })}
								/>
							</th>
						))}
					</tr>
				</thead>
				<tbody>
					{rows.map((n) => {
						const r = known.get(n);
						const problem = values.get(n);
						const head = n === draft.header_row;
						return (
							<tr key={n} className={head ? "font-semibold" : n < draft.header_row ? "text-dim" : ""}>
								<td
									className={`code sticky left-0 border-r border-b border-rule bg-paper px-2 text-right text-dim ${head ? "border-b-ink" : ""}`}
								>
									{r?.bad || problem ? <b className="text-warn">! </b> : ""}
									{n}
								</td>
								{r ? (
									letters.map((l, i) => (
										<td
											key={i}
											className={`code max-w-56 truncate border-r border-b border-hair px-2 py-0.5 ${head ? "border-b-ink" : ""} ${wrong.has(`${n}:${l}`) ? "bg-warn-wash" : ""} ${draft.columns[i]?.field ? "" : "text-dim"}`}
										>
											{r.cells[i] ?? ""}
										</td>
									))
								) : (
									<td className="border-b border-hair px-2 py-0.5" colSpan={letters.length}>
										{problem?.text}
									</td>
								)}
							</tr>
						);
					})}
				</tbody>
			</table>
			{!group && draft.rows > draft.top.length && (
				<p className="px-3 py-2 text-dim">
					The first {draft.top.length} rows are shown; all {count(draft.rows)} were read.
				</p>
			)}
		</div>
	);
}

function FieldPicker({ draft, column, onPick }: { draft: Draft; column: Schemas["DraftColumn"]; onPick: (field: string) => void }) {
	const field = draft.fields.find((f) => f.field === column.field);
	return (
		<Listbox value={column.field} onChange={onPick}>
			<ListboxButton
				className={`block w-full border px-1.5 py-0.5 text-left ${field ? "border-ink bg-sheet font-semibold" : "border-rule text-dim"}`}
				aria-label={`Column ${column.letter}, ${column.header}`}
			>
				<span className="block truncate">{field?.title ?? "passed over"}</span>
			</ListboxButton>
			<div className="mt-0.5 max-w-44 truncate px-1 text-[11.5px] text-dim">{column.why}</div>
			<ListboxOptions anchor="bottom start" className="z-30 max-h-80 w-80 overflow-auto border border-ink bg-paper py-1">
				<ListboxOption value="" className="px-3 py-1 data-focus:bg-ink data-focus:text-on-ink">
					passed over
				</ListboxOption>
				{draft.fields.map((f) => (
					<ListboxOption key={f.field} value={f.field} className="px-3 py-1 data-focus:bg-ink data-focus:text-on-ink">
						<b className="font-semibold">{f.title}</b> <span className="opacity-75">{f.about}</span>
					</ListboxOption>
				))}
			</ListboxOptions>
		</Listbox>
	);
}

/** The last word: what was done, and where to go now. */
function LastWord({ drop, done }: { drop: Drop; done: Schemas["TakenIn"] }) {
	return (
		<Empty title={`${drop.file.name} is taken in`}>
			<p className="text-[15px] text-ink" data-last-word>
				{count(done.added)} new, {count(done.changed)} {done.kind === "counts" ? "revised" : "changed"}, {count(done.unchanged)} unchanged
				{done.gone > 0 && `, ${count(done.gone)} gone`}, {count(done.refused)} refused.
			</p>
			<p>
				{when(new Date().toISOString(), "clock")} ·{" "}
				{done.kind === "stock"
					? "It can be undone on the stock screen."
					: done.kind === "counts"
						? "Drop a corrected sheet again, and it becomes a revision."
						: ""}
			</p>
			<div className="mt-5 flex justify-center gap-3">
				{done.count > 0 ? (
					<>
						<Link className="act" to={`/counts/${done.count}/variances`}>
							See the variances
						</Link>
						<Link className="act-plain" to={`/counts/${done.count}/counting`}>
							See the counting
						</Link>
					</>
				) : (
					<Link className="act" to="/stock">
						See the stock
					</Link>
				)}
				<button type="button" className="act-plain" onClick={() => forgetDrop(drop.id)}>
					Put it away
				</button>
			</div>
		</Empty>
	);
}

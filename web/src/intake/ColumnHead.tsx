import { Listbox, ListboxButton, ListboxOption, ListboxOptions, Popover, PopoverButton, PopoverPanel } from "@headlessui/react";
import type { Schemas } from "../api/client";
import { about, type Choice, fieldTitle, type Settle, type Sheet, settledOf } from "./settling";

type Column = Schemas["DraftColumn"];

/** Above each column: the field that it was taken for, why, and in what form its cells are read. */
export function ColumnHead({
	sheet,
	column,
	settle,
	inHand,
	onPick,
}: {
	sheet: Sheet;
	column: Column;
	settle: Settle;
	inHand: boolean;
	onPick: () => void;
}) {
	const set = (more: Omit<Choice, "column" | "header">) => settle({ sheet: sheet.number, set: about(sheet, column.letter, more) });
	const name = column.header.trim() || `Column ${column.letter}`;
	const asked = sheet.questions.some((q) => q.column === column.letter && !q.optional);
	const option = "px-3 py-1 data-focus:bg-ink data-focus:text-on-ink";
	return (
		<div className={`min-w-0 border-r border-hair px-1 py-1 text-left ${inHand ? "bg-sheet" : ""}`} role="columnheader" title={column.why}>
			<div>
				<Listbox value={column.field || "-"} onChange={(field) => set({ field })}>
					<ListboxButton
						className={`block w-full truncate border px-1.5 py-0.5 text-left ${column.field ? "border-ink bg-sheet font-semibold" : "border-rule text-dim"}`}
						aria-label={`Column ${column.letter}, ${column.header}`}
						onClick={onPick}
					>
						{asked && <b className="text-warn">? </b>}
						{column.field ? fieldTitle(sheet, column.field) : column.lines ? "lines of their own" : "passed over"}
					</ListboxButton>
					<ListboxOptions anchor="bottom start" className="z-30 max-h-96 w-80 overflow-auto border border-ink bg-paper py-1">
						<ListboxOption value="-" className={option}>
							passed over
						</ListboxOption>
						{sheet.fields.map((f) => (
							<ListboxOption key={f.field} value={f.field} className={option}>
								<b className="font-semibold">{f.title}</b> <span className="opacity-75">{f.about}</span>
							</ListboxOption>
						))}
						{sheet.kind === "stock" && (
							<ListboxOption value={`line.${name}`} className={option}>
								<b className="font-semibold">Keep it with the line</b> <span className="opacity-75">as “{name}”</span>
							</ListboxOption>
						)}
						{(sheet.kind === "stock" || sheet.kind === "items") && (
							<ListboxOption value={`item.${name}`} className={option}>
								<b className="font-semibold">Keep it with the item</b> <span className="opacity-75">as “{name}”</span>
							</ListboxOption>
						)}
					</ListboxOptions>
				</Listbox>
			</div>
			<div className="mt-0.5 flex items-baseline gap-1 px-1 text-[11.5px] text-dim">
				<span className="code text-[11.5px]">{column.letter}</span>
				<span className="min-w-0 flex-1 truncate">{brief(column.why)}</span>
				{column.field && <HowRead sheet={sheet} column={column} set={set} />}
			</div>
		</div>
	);
}

/** The reason in as few words as fit above a column; the whole of it shows on pointing and under "how". */
const brief = (why: string) =>
	why
		.replace(/^the header ".*" means [^;]*(; )?/, (_, more) => (more ? "" : "by its header"))
		.replace(/^no field goes by this header; /, "")
		.replace(/^".*" may mean .*, and no other column does/, "may be it");

/** How the cells of a column are read: number and date form, empty cells, filling down. */
function HowRead({ sheet, column, set }: { sheet: Sheet; column: Column; set: (more: Omit<Choice, "column" | "header">) => void }) {
	const field = sheet.fields.find((f) => f.field === column.field);
	const form = field?.form ?? "text";
	const settled = settledOf(sheet, column.letter);
	const choice = (label: string, on: boolean, more: Omit<Choice, "column" | "header">) => (
		<button
			key={label}
			type="button"
			className={`mr-3 text-left ${on ? "font-semibold underline decoration-2 underline-offset-4" : "hover:underline"}`}
			aria-pressed={on}
			onClick={() => set(more)}
		>
			{label}
		</button>
	);
	return (
		<Popover>
			<PopoverButton className="word" aria-label={`How column ${column.letter} is read`}>
				how
			</PopoverButton>
			<PopoverPanel anchor="bottom start" className="z-30 w-80 border border-ink bg-paper p-3">
				<p className="text-dim">{column.why}</p>
				{form === "number" && (
					<div className="mt-2">
						<div className="text-dim">Decimal sign</div>
						{choice("point: 1,234.5", settled?.decimal === ".", { decimal: "." })}
						{choice("comma: 1.234,5", settled?.decimal === ",", { decimal: "," })}
						<div className="mt-1">
							{choice("a minus at the end and brackets mean below zero", settled?.minus === true, { minus: true })}
						</div>
						{(settled?.signs?.length ?? 0) > 0 && <p className="text-dim">Left away: {settled?.signs?.join(", ")}</p>}
					</div>
				)}
				{form === "time" && (
					<div className="mt-2">
						<div className="text-dim">Order of dates</div>
						{choice("year first", settled?.order === "ymd", { order: "ymd" })}
						{choice("day first", settled?.order === "dmy", { order: "dmy" })}
						{choice("month first", settled?.order === "mdy", { order: "mdy" })}
						<div className="mt-1 text-dim">Dates without a time mean</div>
						{choice("the beginning", settled?.time === "00:00", { time: "00:00" })}
						{choice("noon", settled?.time === "12:00", { time: "12:00" })}
						{choice("the end of the day", settled?.time === "24:00", { time: "24:00" })}
					</div>
				)}
				<div className="mt-2">
					<div className="text-dim">Empty cells</div>
					{choice("as they stand", settled?.fill === "as is", { fill: "as is" })}
					{choice("filled down from above", settled?.fill === "down", { fill: "down" })}
				</div>
				{field?.clears && (
					<div className="mt-1">
						{choice("leave what is there", settled?.empty !== "clear", { empty: "leave" })}
						{choice("clear what is there", settled?.empty === "clear", { empty: "clear" })}
					</div>
				)}
				<form
					className="mt-2 flex items-center gap-2"
					onSubmit={(e) => {
						e.preventDefault();
						set({ default: String(new FormData(e.currentTarget).get("default") ?? "") });
					}}
				>
					<label className="flex flex-1 items-center gap-2">
						<span className="text-dim">mean</span>
						<input name="default" className="code w-full" defaultValue={settled?.default ?? ""} placeholder="a value" />
					</label>
					<button type="submit" className="act-plain">
						Put it there
					</button>
				</form>
			</PopoverPanel>
		</Popover>
	);
}

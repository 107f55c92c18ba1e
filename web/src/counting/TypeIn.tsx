import { useQuery } from "@tanstack/react-query";
import { useEffect, useRef, useState } from "react";
import { Link, useNavigate, useSearchParams } from "react-router";
import { api, ask, Problem, queries, type Schemas, workKey, zone } from "../api/client";
import { key } from "../api/keys";
import { Stage, usePerson } from "../frame/Frame";
import { apart, BeingRead, Empty, many, plain, Quantity, Warn, when } from "../frame/figures";
import { Asks } from "./Asks";
import { FoundRow } from "./FoundRow";
import { useUnsent } from "./unsent";

type Line = Schemas["VarianceLine"];
export type Sent = Omit<Schemas["Typed"], "row_code" | "quantity">;
type Rows = { sheet: Schemas["SheetView"] | undefined; next: number | undefined; lines: Line[] };

/** All rows of a sheet, however long it is, with the sheet and the next one that has rows to count. */
export async function rowsOf(id: number, number: number): Promise<Rows> {
	const path = { count: id };
	const some = await ask(api.GET("/api/counts/{count}/sheets", { params: { path, query: { after: String(number - 1), limit: 200 } } }));
	const lines: Line[] = [];
	for (let after = ""; ; ) {
		const page = await ask(api.GET("/api/counts/{count}/lines", { params: { path, query: { sheet: number, limit: 1000, after } } }));
		lines.push(...page.lines);
		after = page.next;
		if (!after) break;
	}
	return {
		sheet: some.sheets.find((s) => s.number === number),
		next: some.sheets.find((s) => s.number > number && s.counted < s.lines)?.number,
		lines,
	};
}

/** The grid for typing a sheet's counts: type, Enter, next. Empty stays uncounted; 0 is a count; to take one back is said twice. */
export function TypeIn({ id, c, number, side }: { id: number; c: Schemas["Stages"]; number: number; side: React.ReactNode }) {
	const person = usePerson();
	const [typed, setTyped, shown] = useUnsent(`${person.id}.${id}.${Date.parse(c.frozen_at)}.${number}`);
	const [inCell, setInCell] = useState(""); // the row that is being typed
	const [wrong, setWrong] = useState<Record<string, { text: string; asks?: string; value?: string; unanswered?: boolean }>>({});
	const [saving, setSaving] = useState(0);
	const [at, setAt] = useState("");
	const [since, setSince] = useState("");
	const [counter, setCounter] = useState<string | null>(null);
	const [sought, setSought] = useState("");
	const [lost, setLost] = useState("");
	const [tick, setTick] = useState(false); // a serial that is found counts one
	const [put, setPut] = useState<{ bin: string; sku: string; serial: string } | null>(null);
	const last = useRef<Line | null>(null);
	const [search] = useSearchParams();
	const navigate = useNavigate();
	const seek = useRef<HTMLInputElement>(null);
	const findRef = useRef<(text: string) => void>(undefined);
	const sendAgain = useRef<() => void>(undefined);
	const waits = Object.values(wrong).some((w) => w.unanswered);
	useEffect(() => {
		if (!waits) return;
		const again = setInterval(() => sendAgain.current?.(), 2000);
		return () => clearInterval(again);
	}, [waits]);
	const fields = useRef(new Map<number, HTMLInputElement>());
	const turns = useRef(new Map<string, Promise<void>>()); // one row's work follows its own
	const keys = useRef(new Map<string, string>()); // of work whose answer did not come
	const listKey = key.sheetLines(id, number);
	const q = useQuery({ queryKey: listKey, queryFn: () => rowsOf(id, number) });
	const [asked, setAsked] = useState(false); // in a small window, for when and by whom
	useEffect(() => {
		const onKey = (e: KeyboardEvent) => {
			if (e.key !== "F3") return;
			e.preventDefault();
			seek.current?.focus();
		};
		window.addEventListener("keydown", onKey);
		return () => window.removeEventListener("keydown", onKey);
	}, []);
	// A row that was sought from another sheet is gone to once this one is here.
	const awaited = search.get("find");
	// The first row without a count is in hand on arrival; not where a keyboard would come up over the screen.
	const arrived = useRef(false);
	useEffect(() => {
		if (!q.data || arrived.current || awaited) return;
		arrived.current = true;
		if (matchMedia("(pointer: fine)").matches)
			fields.current.get(q.data.lines.findIndex((l) => l.row_code !== "" && l.own == null))?.focus();
	}, [q.data, awaited]);
	const ready = q.data !== undefined;
	useEffect(() => {
		if (awaited && ready) findRef.current?.(awaited);
	}, [awaited, ready]);
	if (!q.data) return <BeingRead what="The sheet" of={[q]} />;
	const { sheet, next, lines: rows } = q.data;
	if (!sheet) return <Empty title="There is no such sheet" />;
	const who = counter ?? (sheet.counter || person.name);
	const open = c.state === "running" && (person.role === "controller" || person.role === "counter");
	const forget = (row: string, text: string) =>
		setTyped((t) => {
			if (t[row] !== undefined && t[row].trim() !== text) return t; // what was typed since stays
			shown.current.delete(row);
			return (({ [row]: _, ...rest }) => rest)(t);
		});
	const lineOf = (row: string) => queries.getQueryData<Rows>(listKey)?.lines.find((l) => l.row_code === row);
	/** What stands in a row now was seen: by its own window that sent it, or since it was told. */
	const seen = (row: string) => {
		const line = lineOf(row);
		if (line && shown.current.has(row)) shown.current.set(row, line.entry);
	};
	const right = (row: string) => setWrong(({ [row]: _, ...rest }) => rest);

	/** Sends one row, after what was sent of it before, against what stands in it as it was shown. */
	const send = (row: string, text: string, more: Partial<Sent> = {}) => {
		const turn = (turns.current.get(row) ?? Promise.resolve()).then(async () => {
			const line = lineOf(row);
			const saw = shown.current.get(row) ?? line?.entry;
			if (!line || (text === line.own && !more.withdraw)) return forget(row, text);
			const entry: Sent = {
				text: more.withdraw ? undefined : text,
				saw,
				counted_at: at ? at.replace("T", " ") : undefined,
				since: at && since ? since.replace("T", " ") : undefined,
				counter: who || undefined,
				...more,
			};
			const what = JSON.stringify([row, entry]);
			const once = keys.current.get(what) ?? workKey();
			keys.current.set(what, once);
			setSaving((n) => n + 1);
			try {
				await ask(
					api.POST("/api/counts/{count}/entries", {
						params: { path: { count: id } },
						body: { key: once, zone: zone(), entries: [{ row_code: row, ...entry }] },
					}),
				);
				keys.current.delete(what);
				right(row);
				await queries.invalidateQueries({ queryKey: key.count(id) });
				seen(row);
				forget(row, text);
			} catch (e) {
				const p = e instanceof Problem ? e : null;
				if (p?.kind) keys.current.delete(what); // it was answered
				setWrong((w) => ({
					...w,
					[row]: {
						text: `${line.bin} · ${line.sku}: ${(e as Error).message}`,
						asks: p?.kind === "asks" ? p.field : undefined,
						value: text,
						unanswered: p?.unanswered,
					},
				}));
				if (p?.kind === "changed") {
					await queries.invalidateQueries({ queryKey: key.count(id) });
					seen(row);
				}
			}
			setSaving((n) => n - 1);
		});
		turns.current.set(row, turn);
	};
	const save = (line: Line) => {
		const text = typed[line.row_code]?.trim();
		if (text === undefined || wrong[line.row_code]?.value === text) return; // what was refused is not sent again by passing over it
		if (text !== "") return send(line.row_code, text);
		forget(line.row_code, "");
		if (line.entry > 0)
			setWrong((w) => ({
				...w,
				[line.row_code]: {
					text: `${line.bin} · ${line.sku}: ${plain(line.own)} still stands. To withdraw it, empty the cell and press Enter twice.`,
				},
			}));
	};
	const go = (i: number) => {
		const f = fields.current.get(Math.max(0, Math.min(rows.length - 1, i)));
		f?.focus();
		f?.select();
	};
	const onKey = (e: React.KeyboardEvent<HTMLInputElement>, r: Line, i: number) => {
		const step = e.key === "Enter" || e.key === "ArrowDown" ? 1 : e.key === "ArrowUp" ? -1 : 0;
		if (e.key === "Escape") {
			forget(r.row_code, typed[r.row_code]?.trim() ?? "");
			right(r.row_code);
		} else if (e.key === "Enter" && typed[r.row_code]?.trim() === "" && r.entry > 0) {
			e.preventDefault();
			if (wrong[r.row_code]?.asks === "withdraw") send(r.row_code, "", { withdraw: true });
			else
				setWrong((w) => ({
					...w,
					[r.row_code]: {
						text: `${r.bin} · ${r.sku}: withdraw the count of ${plain(r.own)}? Enter again withdraws it, Esc leaves it.`,
						asks: "withdraw",
					},
				}));
		} else if (step) {
			e.preventDefault();
			const refused = wrong[r.row_code];
			if (e.key === "Enter" && refused?.value !== undefined && refused.value === typed[r.row_code]?.trim() && !refused.asks)
				send(r.row_code, refused.value);
			if (i === rows.length - 1 && step === 1) e.currentTarget.blur();
			else go(i + step);
		}
	};
	/** Goes to the row that a text means, on this sheet or another. */
	const find = async (text: string) => {
		setLost("");
		try {
			const r = await ask(api.GET("/api/counts/{count}/find", { params: { path: { count: id }, query: { sheet: number, text } } }));
			const i = rows.findIndex((x) => x.pos === r.pos);
			const row = rows[i];
			if (row && tick && row.serial && row.row_code && row.serial.toLowerCase() === text.toLowerCase()) {
				setSought("");
				if (row.own == null) send(row.row_code, "1");
				last.current = row;
				setLost(`${row.bin} · ${row.sku} · ${row.serial}: ${row.own == null ? "counted" : "is counted already"}.`);
			} else if (i >= 0) {
				setSought("");
				go(i);
			} else if (r.pos > 0 && r.sheet > 0) {
				navigate(`/counts/${id}/counting/${r.sheet}?find=${encodeURIComponent(text)}`);
			} else {
				setLost(`${text} is in no row of this count.`);
				// A serial that nobody knew lies where the one before it lies.
				if (tick && last.current) setPut({ bin: last.current.bin, sku: last.current.sku, serial: text });
			}
		} catch (e) {
			setLost((e as Error).message);
		}
	};
	/** A block from a spreadsheet goes down the rows from this one, or, with row codes in its first column, to their rows; as one, all or nothing. */
	const paste = async (e: React.ClipboardEvent<HTMLInputElement>, from: number) => {
		const block = e.clipboardData
			.getData("text/plain")
			.replace(/\r?\n$/, "")
			.split(/\r?\n/)
			.map((l) => l.split("\t").map((c) => c.trim()));
		if (block.length < 2 && (block[0]?.length ?? 0) < 2) return;
		e.preventDefault();
		const coded = block.some((cells) => cells.length > 1 && rows.some((r) => r.row_code !== "" && r.row_code === cells[0]?.toUpperCase()));
		const target = (cells: string[], i: number) =>
			coded
				? rows.find((r) => r.row_code !== "" && r.row_code === cells[0]?.toUpperCase())
				: rows.slice(from).filter((r) => r.row_code !== "")[i];
		const entries: Schemas["Typed"][] = [];
		const texts: Record<string, string> = {};
		for (const [i, cells] of block.entries()) {
			const text = cells.at(-1) ?? "";
			const row = target(cells, i);
			if (text === "") continue;
			if (!row)
				return setWrong((w) => ({
					...w,
					"": { text: `${cells.join(" ")}: there is no row for it on this sheet. Nothing of the block was put down.` },
				}));
			texts[row.row_code] = text;
			if (text !== row.own)
				entries.push({
					row_code: row.row_code,
					text,
					saw: row.entry,
					counted_at: at ? at.replace("T", " ") : undefined,
					since: at && since ? since.replace("T", " ") : undefined,
					counter: who || undefined,
				});
		}
		setSaving((n) => n + 1);
		setTyped((t) => ({ ...t, ...texts }));
		try {
			if (entries.length > 0)
				await ask(
					api.POST("/api/counts/{count}/entries", { params: { path: { count: id } }, body: { key: workKey(), zone: zone(), entries } }),
				);
			await queries.invalidateQueries({ queryKey: key.count(id) });
			right("");
			setTyped((t) => Object.fromEntries(Object.entries(t).filter(([row, text]) => texts[row] !== text)));
			setLost(`${many(Object.keys(texts).length, "count", "counts")} of the block put down.`);
		} catch (e) {
			setTyped((t) => Object.fromEntries(Object.entries(t).filter(([row, text]) => texts[row] !== text)));
			setWrong((w) => ({ ...w, "": { text: `${(e as Error).message} Nothing of the block was put down.` } }));
		}
		setSaving((n) => n - 1);
	};
	findRef.current = find;
	// What is typed and not saved, but for the cell in hand; what the server did not answer is sent again by itself.
	const unsaved = rows.filter((r) => r.row_code !== inCell && typed[r.row_code]?.trim() && typed[r.row_code]?.trim() !== r.own);
	// What was refused is chosen in its own row: it may be over what somebody else typed.
	const sendable = unsaved.filter((r) => {
		const refused = wrong[r.row_code];
		return !refused || refused.unanswered;
	});
	sendAgain.current = () => {
		if (saving > 0) return;
		for (const [row, w] of Object.entries(wrong)) if (w.unanswered && w.value) send(row, w.value);
	};
	const own = rows.filter((r) => r.row_code !== "");
	const left = own.filter((r) => (c.rounds === 2 ? r.own == null : r.entries === 0)).length;
	const found = rows.length - own.length;
	const first = Object.entries(wrong)[0];
	return (
		<Stage
			side={side}
			foot={
				<>
					<Link className="act-plain" to={`/counts/${id}/counting`}>
						All sheets
					</Link>
					<span>
						{own.length > 0 ? (
							<>
								<b>{own.length - left}</b> of <b>{own.length}</b> rows counted{found > 0 && `, ${found} found`}
							</>
						) : (
							<>
								<b>{found}</b> found
							</>
						)}
					</span>
					<span className="text-dim" role="status">
						{saving > 0 ? "Saving…" : first || unsaved.length > 0 ? "" : lost || "Everything typed is saved."}
					</span>
					{saving === 0 && unsaved.length > 0 && (
						<span data-unsaved>
							<Warn>
								{many(unsaved.length, "row", "rows")} not saved:{" "}
								{unsaved.slice(0, 3).map((r) => (
									<button key={r.row_code} type="button" className="word mr-2" onClick={() => go(rows.indexOf(r))}>
										{r.bin} · {r.sku}
									</button>
								))}
								{unsaved.length > 3 && `and ${unsaved.length - 3} more `}
								{sendable.length > 0 && (
									<button
										type="button"
										className="word"
										onClick={() => {
											for (const r of sendable) send(r.row_code, typed[r.row_code]?.trim() ?? "");
										}}
									>
										send {sendable.length === 1 ? "it" : sendable.length === unsaved.length ? "them" : `${sendable.length} of them`}
									</button>
								)}
							</Warn>
						</span>
					)}
					{first && (
						<Warn>
							{first[1].text}
							{first[1].asks === "scanned" && (
								<span className="ml-2 inline-flex gap-2">
									<button
										type="button"
										className="word"
										onClick={() => {
											const text = first[1].value ?? "";
											forget(first[0], text);
											right(first[0]);
											find(text);
										}}
									>
										find its row
									</button>
									<button type="button" className="word" onClick={() => send(first[0], first[1].value ?? "", { sure: true })}>
										so many were counted
									</button>
								</span>
							)}
							<Asks asks={first[1].asks} onAnswer={(answer) => send(first[0], first[1].value ?? "", answer)} />
						</Warn>
					)}
					{next && (
						<Link className="act-plain ml-auto" to={`/counts/${id}/counting/${next}`}>
							Next sheet with rows to count: {next}
						</Link>
					)}
				</>
			}
			keys={[
				["0–9 Enter", "count, next row"],
				["12*24+7, 3bx+5", "sums and packs"],
				["Enter", "leaves it uncounted"],
				["emptied, Enter Enter", "withdraws"],
				["↑ ↓", "row"],
				["F3", "find a row"],
				["Esc", "as it was"],
				["Ctrl Z", "undo"],
			]}
		>
			<div className="flex flex-wrap items-center gap-x-5 gap-y-1 px-4 pt-1.5 narrow:gap-x-3 narrow:px-3">
				<h1>
					Sheet {sheet.number} <span className="code text-[15px]">{sheet.code}</span>
				</h1>
				<span className="text-dim">
					{sheet.zone}, <span className="code">{`${sheet.first_bin} – ${sheet.last_bin}`}</span>
				</span>
				<button type="button" className="word hidden tight:inline" aria-expanded={asked} onClick={() => setAsked(!asked)}>
					when, and by {who || "whom"}
				</button>
				{sheet.checked_by ? (
					<span className="ml-auto">✓ checked by {sheet.checked_by}</span>
				) : (
					open &&
					own.length > left && (
						<Link className="word ml-auto" to={`/counts/${id}/counting/${number}?again=1`}>
							type it a second time
						</Link>
					)
				)}
				<form
					className={sheet.checked_by || (open && own.length > left) ? "" : "ml-auto"}
					onSubmit={(e) => {
						e.preventDefault();
						if (sought.trim()) find(sought.trim());
					}}
				>
					<input
						ref={seek}
						className="code w-36"
						value={sought}
						onChange={(e) => setSought(e.target.value)}
						onFocus={(e) => e.target.select()}
						placeholder="find a row"
						aria-label="Find a row by row code, bin, SKU, barcode, lot or serial"
					/>
				</form>
				{rows.some((r) => r.serial !== "") && (
					<label className="flex items-center gap-1.5">
						<input type="checkbox" checked={tick} onChange={() => setTick(!tick)} />
						<span className="text-dim">a serial that is found counts 1</span>
					</label>
				)}
			</div>
			<div
				className={`flex flex-wrap items-center gap-x-5 gap-y-1 border-b border-hair px-4 pt-1 pb-1.5 narrow:px-3 ${asked ? "" : "tight:hidden"}`}
			>
				<label className="flex items-center gap-1.5">
					<span className="text-dim">counted from</span>
					<input
						type="datetime-local"
						value={since}
						onChange={(e) => setSince(e.target.value)}
						aria-label="Counted from; what moved between from and to is marked"
						title="As the paper says. What moved between from and to is marked, and not let pass"
					/>
				</label>
				<label className="flex items-center gap-1.5">
					<span className="text-dim">to</span>
					<input
						type="datetime-local"
						value={at}
						onChange={(e) => setAt(e.target.value)}
						aria-label="Counted at; left empty, it is the moment of typing"
						title="Left empty, it is the moment of typing"
					/>
				</label>
				<label className="flex items-center gap-1.5">
					<span className="text-dim">by</span>
					<input className="w-36" value={who} onChange={(e) => setCounter(e.target.value)} />
				</label>
			</div>
			<div className="min-h-0 flex-1 overflow-y-auto" data-grid>
				<table className="w-full">
					<thead className="sticky top-0 bg-paper text-[12px] text-dim">
						<tr className="border-b border-ink text-left">
							<th className="px-3 py-1 font-normal narrow:hidden">Row code</th>
							<th className="px-2 py-1 font-normal narrow:pl-3">Bin</th>
							<th className="px-2 font-normal">SKU</th>
							<th className="px-2 font-normal narrow:hidden">Item</th>
							<th className="px-2 font-normal narrow:hidden">Lot, serial</th>
							{!(c.blind || c.hidden) && <th className="px-2 text-right font-normal">Recorded</th>}
							<th className="w-32 px-2 text-right font-normal narrow:w-20">Counted</th>
							<th className="w-10 font-normal" />
							<th className="w-48 px-2 font-normal narrow:hidden">When, by whom</th>
						</tr>
					</thead>
					<tbody>
						{rows.map((r, i) => (
							<tr key={r.pos} className={`border-b border-hair ${r.bin !== rows[i - 1]?.bin && i > 0 ? "border-t border-t-rule" : ""}`}>
								<td className="code px-3 text-dim narrow:hidden">{r.row_code || "found"}</td>
								<td className="code px-2 font-semibold narrow:py-1 narrow:pl-3 narrow:align-top">
									{r.bin === rows[i - 1]?.bin ? "" : r.bin}
								</td>
								<td className="code px-2 narrow:py-1 narrow:whitespace-normal">
									{r.sku}
									{apart(r) && <span className="hidden text-dim narrow:inline"> {apart(r)}</span>}
									<span className="hidden font-sans narrow:block">{r.description}</span>
								</td>
								<td className="max-w-52 truncate px-2 narrow:hidden">{r.description}</td>
								<td className="code px-2 narrow:hidden">{apart(r)}</td>
								{!(c.blind || c.hidden) && (
									<td className="px-2 text-right">
										<Quantity of={r.recorded} />
									</td>
								)}
								<td
									className={`p-0 ${wrong[r.row_code] ? "bg-warn-wash" : r.row_code && r.own == null && typed[r.row_code] === undefined ? "bg-[repeating-linear-gradient(45deg,transparent_0_4px,var(--hair)_4px_6px)]" : ""}`}
								>
									{r.row_code ? (
										<input
											ref={(f) => {
												if (f) fields.current.set(i, f);
												else fields.current.delete(i);
											}}
											className="code w-full border-x border-y-0 border-dim bg-transparent text-right phone:min-h-12 phone:text-[20px]"
											inputMode="decimal"
											disabled={!open}
											aria-label={`Counted, ${r.bin}, ${r.sku}${r.counted == null ? ", uncounted" : ""}`}
											data-row={r.row_code}
											data-saved={r.own ?? ""}
											value={typed[r.row_code] ?? r.own ?? ""}
											onFocus={(e) => {
												e.target.select();
												setInCell(r.row_code);
											}}
											onChange={(e) => {
												if (!shown.current.has(r.row_code)) shown.current.set(r.row_code, r.entry);
												setTyped((t) => ({ ...t, [r.row_code]: e.target.value }));
											}}
											onPaste={(e) => paste(e, i)}
											onBlur={() => {
												setInCell("");
												save(r);
											}}
											onKeyDown={(e) => onKey(e, r, i)}
										/>
									) : (
										<span className="code block px-2 text-right">{plain(r.counted)}</span>
									)}
								</td>
								<td className="px-1 text-dim">{r.unit}</td>
								<td className="truncate px-2 text-dim narrow:hidden">
									{r.counted == null ? "uncounted" : `${when(r.counted_at)} ${r.counter}`}
									{r.entries > 1 && <b className="text-warn"> ! {r.entries} counts add up</b>}
								</td>
							</tr>
						))}
					</tbody>
				</table>
				{open && <FoundRow key={put?.serial} id={id} sheet={sheet} at={at} since={since} who={who} put={put} />}
			</div>
		</Stage>
	);
}

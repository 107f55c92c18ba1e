import { useMutation } from "@tanstack/react-query";
import { useRef, useState } from "react";
import { api, ask, Problem, queries, type Schemas, workKey, zone } from "../api/client";
import { key } from "../api/keys";
import { Warn } from "../frame/figures";
import { Asks } from "./Asks";
import type { Sent } from "./TypeIn";

/** What was found and written on the sheet by hand: bin, item and count, then the next. Said again it replaces what was said; emptied it is withdrawn. */
export function FoundRow({
	id,
	sheet,
	at,
	since,
	who,
	put,
}: {
	id: number;
	sheet: Schemas["SheetView"];
	at: string;
	since: string;
	who: string;
	/** What was scanned and is in no row. */
	put?: { bin: string; sku: string; serial: string } | null;
}) {
	const blank = { bin: sheet.first_bin, sku: "", lot: "", serial: "", quantity: "" };
	const [row, setRow] = useState(put ? { ...blank, ...put, quantity: "1" } : blank);
	const [asks, setAsks] = useState("");
	const [once, setOnce] = useState(workKey);
	const item = useRef<HTMLInputElement>(null);
	const add = useMutation({
		mutationFn: (more: Partial<Sent>) =>
			ask(
				api.POST("/api/counts/{count}/entries", {
					params: { path: { count: id } },
					body: {
						key: once,
						zone: zone(),
						entries: [
							{
								found: { sheet: sheet.number, bin: row.bin, sku: row.sku, lot: row.lot || undefined, serial: row.serial || undefined },
								text: more.withdraw ? undefined : row.quantity.trim() || undefined,
								counted_at: at ? at.replace("T", " ") : undefined,
								since: at && since ? since.replace("T", " ") : undefined,
								counter: who || undefined,
								...more,
							},
						],
					},
				}),
			),
		onSuccess: async () => {
			setRow({ ...blank, bin: row.bin });
			setAsks("");
			setOnce(workKey());
			item.current?.focus();
			await queries.invalidateQueries({ queryKey: key.count(id) });
		},
		onError: (e) => {
			if (e instanceof Problem && e.kind) setOnce(workKey()); // it was answered
			setAsks(e instanceof Problem && e.kind === "asks" ? (e.field ?? "") : "");
		},
	});
	const tray = useMutation({
		mutationFn: () =>
			ask(
				api.POST("/api/counts/{count}/tray", {
					params: { path: { count: id } },
					body: {
						key: once,
						sheet: sheet.number,
						wrong: add.error?.message ?? "",
						written: { ...row, counted_at: at ? at.replace("T", " ") : undefined, counter: who || undefined },
					},
				}),
			),
		onSuccess: async () => {
			setRow({ ...blank, bin: row.bin });
			setOnce(workKey());
			add.reset();
			item.current?.focus();
			await queries.invalidateQueries({ queryKey: key.count(id) });
		},
		onError: (e) => {
			if (e instanceof Problem && e.kind) setOnce(workKey());
		},
	});
	const cell = (of: keyof typeof blank, label: string, width: string, more: object = {}) => (
		<label className="flex flex-col">
			<span className="text-[12px] text-dim">{label}</span>
			<input
				className={`code ${width}`}
				value={row[of]}
				onChange={(e) => setRow({ ...row, [of]: e.target.value })}
				aria-label={`Found: ${label.toLowerCase()}`}
				{...more}
			/>
		</label>
	);
	return (
		<form
			className="border-t border-ink px-3 py-2"
			data-found
			onSubmit={(e) => {
				e.preventDefault();
				if (row.sku) add.mutate({});
			}}
		>
			<h2>Found, where no row is for it</h2>
			<div className="mt-1 flex flex-wrap items-end gap-2">
				{cell("bin", "Bin", "w-28")}
				{cell("sku", "SKU or barcode", "w-40", { ref: item })}
				{cell("lot", "Lot", "w-24")}
				{cell("serial", "Serial", "w-28")}
				{cell("quantity", "Counted", "w-24 text-right", { inputMode: "decimal" })}
				<button type="submit" className="act-plain" disabled={!row.sku || add.isPending}>
					Put it down
				</button>
				<button type="button" className="word" disabled={!row.sku || add.isPending} onClick={() => add.mutate({ withdraw: true })}>
					withdraw it
				</button>
			</div>
			{add.error && (
				<Warn>
					{add.error.message}
					<Asks asks={asks} onAnswer={(answer) => add.mutate(answer)} />
					{!asks && (
						<button type="button" className="word ml-2" disabled={tray.isPending} onClick={() => tray.mutate()}>
							let it wait in the tray
						</button>
					)}
					{tray.error && ` ${tray.error.message}`}
				</Warn>
			)}
		</form>
	);
}

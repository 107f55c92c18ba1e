import { useMutation, useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { api, ask, queries, type Schemas } from "../api/client";
import { key } from "../api/keys";
import { usePerson } from "../frame/Frame";
import { Failed, plain, Warn } from "../frame/figures";

type What = Schemas["CutOffEntry"]["what"];

const words: Record<What, string> = {
	"last in": "last document in",
	"last out": "last document out",
	"not booked": "received, not booked",
	"not put away": "booked, not put away",
	"not shipped": "picked, not shipped",
	"in transit": "in transit",
};

/** The entries of a cut-off list, to be read. */
export function CutOffList({ list, onWithdraw }: { list: Schemas["CutOff"][]; onWithdraw?: (id: number) => void }) {
	return (
		<table className="w-full" data-cut-off>
			<tbody>
				{list.map((e) => (
					<tr key={e.id} className="border-b border-hair align-baseline">
						<td className="py-0.5 pr-4">{words[e.what]}</td>
						<td className="code pr-4">{e.reference}</td>
						<td className="code pr-4">{[e.sku, e.bin].filter(Boolean).join(" · ")}</td>
						<td className="code pr-4 text-right">{e.quantity == null ? "" : plain(e.quantity)}</td>
						<td className="pr-4">{e.note}</td>
						<td className="text-dim">{e.person}</td>
						{onWithdraw && (
							<td className="text-right">
								<button type="button" className="word" onClick={() => onWithdraw(e.id)}>
									take back
								</button>
							</td>
						)}
					</tr>
				))}
			</tbody>
		</table>
	);
}

const blank = { what: "last in" as What, reference: "", sku: "", bin: "", quantity: "", note: "" };

/** What was on its way when the count was frozen: kept with the count, printed on its report; what names an item marks its lines. */
export function CutOff({ id, open }: { id: number; open: boolean }) {
	const person = usePerson();
	const q = useQuery({
		queryKey: key.cutOff(id),
		queryFn: () => ask(api.GET("/api/counts/{count}/cut-off", { params: { path: { count: id } } })),
	});
	const [entry, setEntry] = useState(blank);
	const stale = () => queries.invalidateQueries({ queryKey: key.count(id) });
	const add = useMutation({
		mutationFn: () =>
			ask(
				api.POST("/api/counts/{count}/cut-off", {
					params: { path: { count: id } },
					body: { ...entry, quantity: entry.quantity.trim() || undefined },
				}),
			),
		onSuccess: () => {
			setEntry({ ...blank, what: entry.what });
			stale();
		},
	});
	const withdraw = useMutation({
		mutationFn: (e: number) => ask(api.POST("/api/counts/{count}/cut-off/{entry}/withdraw", { params: { path: { count: id, entry: e } } })),
		onSuccess: stale,
	});
	if (q.error && !q.data) return <Failed what="The cut-off list" error={q.error} />;
	const may = open && person.role === "controller";
	const field = (name: "reference" | "sku" | "bin" | "quantity" | "note", label: string, width: string) => (
		<label className="flex flex-col">
			<span className="text-[12px] text-dim">{label}</span>
			<input
				className={`${width} ${name === "note" ? "" : "code"}`}
				value={entry[name]}
				onChange={(e) => setEntry({ ...entry, [name]: e.target.value })}
			/>
		</label>
	);
	return (
		<section className="mt-6 max-w-4xl">
			<h2 className="border-b border-rule pb-1">Cut-off</h2>
			<p className="py-1 text-dim">
				What was on its way at the freeze: goods that are here and not in the records, or in the records and not here. What names an item
				marks its variances.
			</p>
			<CutOffList list={q.data ?? []} onWithdraw={may ? (e) => withdraw.mutate(e) : undefined} />
			{may && (
				<form
					className="mt-2 flex flex-wrap items-end gap-3"
					onSubmit={(e) => {
						e.preventDefault();
						add.mutate();
					}}
				>
					<label className="flex flex-col">
						<span className="text-[12px] text-dim">What</span>
						<select value={entry.what} onChange={(e) => setEntry({ ...entry, what: e.target.value as What })}>
							{Object.entries(words).map(([w, name]) => (
								<option key={w} value={w}>
									{name}
								</option>
							))}
						</select>
					</label>
					{field("reference", "Document", "w-28")}
					{field("sku", "Item", "w-28")}
					{field("bin", "Bin", "w-24")}
					{field("quantity", "Quantity", "w-20 text-right")}
					{field("note", "Note", "w-40")}
					<button type="submit" className="act-plain" disabled={add.isPending}>
						Note it
					</button>
				</form>
			)}
			{(add.error || withdraw.error) && <Warn>{(add.error ?? withdraw.error)?.message}</Warn>}
		</section>
	);
}

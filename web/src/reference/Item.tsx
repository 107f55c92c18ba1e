import { useQuery } from "@tanstack/react-query";
import { Link, useSearchParams } from "react-router";
import { api, ask } from "../api/client";
import { key } from "../api/keys";
import { Stage } from "../frame/Frame";
import { apart, count, Failed, isZero, many, Off, plain, Quantity, when } from "../frame/figures";

const said = "grid grid-cols-[14rem_1fr_8.5rem_7rem_4.5rem_4.5rem_5rem_6rem] gap-3";

/** An item with all that is known of it: what it goes by, where it lies, what counts said of it, and what went out for it. */
export function Item() {
	const sku = useSearchParams()[0].get("sku") ?? "";
	const q = useQuery({
		queryKey: key.item(sku),
		queryFn: () => ask(api.GET("/api/item", { params: { query: { sku } } })),
	});
	if (q.error && !q.data) return <Failed what="The item" error={q.error} />;
	const i = q.data;
	if (!i) return null;
	const facts: { name: string; says: string; warn?: boolean }[] = [
		{ name: "unit", says: i.unit },
		{ name: "unit cost", says: i.cost == null ? "not known" : plain(i.cost) },
		{ name: "category", says: i.category },
		{ name: "class", says: i.class },
		{ name: "barcodes", says: i.barcodes.join(", ") },
		{ name: "packs", says: i.packs.map((p) => `${p.unit} of ${p.holds}${p.barcode ? `, ${p.barcode}` : ""}`).join("; ") },
		{ name: "further SKU", says: i.further_sku },
		{ name: "record id", says: i.record_id },
		{ name: "kept by", says: i.tracking },
		{ name: "parent", says: i.parent },
		{
			name: "it is",
			says: { stocked: "", service: "a service, which is not counted", parent: "a grouping parent, which is not counted" }[i.nature],
		},
		{ name: "!", says: i.active ? "" : "inactive", warn: true },
		...Object.entries(i.attributes).map(([name, says]) => ({ name, says })),
	];
	return (
		<Stage
			keys={[
				["Ctrl K", "go anywhere"],
				["?", "all keys"],
			]}
		>
			<div className="min-h-0 flex-1 overflow-y-auto px-8 py-4" tabIndex={0} role="region" aria-label="Item">
				<div className="mx-auto max-w-5xl">
					<h1>
						<span className="code">{i.sku}</span> {i.description}
					</h1>
					<dl className="mt-2 flex flex-wrap gap-x-8 gap-y-1 border-b border-rule pb-3">
						{facts
							.filter((f) => f.says !== "")
							.map((f) => (
								<div key={f.name} className={`flex gap-2 ${f.warn ? "text-warn" : ""}`}>
									<dt className={f.warn ? "" : "text-dim"}>{f.name}</dt>
									<dd>{f.says}</dd>
								</div>
							))}
					</dl>
					{i.hidden.length > 0 && (
						<p className="py-1 text-dim">What is recorded in {i.hidden.join(", ")} is not shown, as a blind count runs there.</p>
					)}
					{i.places.map((w) => (
						<section key={w.house} className="mt-4" data-place={w.code}>
							<h2 className="flex items-baseline gap-3 border-b border-rule pb-1">
								<Link className="word" to={`/stock/${w.house}?${new URLSearchParams({ text: i.sku })}`}>
									{w.code}
								</Link>
								<b>
									<Quantity of={w.sum} /> {i.unit}
								</b>
								<span className="font-normal text-dim">recorded {when(w.at, "long")}</span>
							</h2>
							{w.lines.map((l) => (
								<div key={l.pos} className="grid grid-cols-[8rem_1fr_8rem_8rem] gap-3 border-b border-hair py-0.5">
									<span className="code">{l.bin}</span>
									<span className="text-dim">{[l.zone, apart(l)].filter(Boolean).join(" · ")}</span>
									<span className="text-right">
										<Quantity of={l.on_hand} />
									</span>
									<span className="code text-right text-dim">{l.value == null ? "" : plain(l.value)}</span>
								</div>
							))}
							{w.more > 0 && <p className="text-dim">and {many(w.more, "line", "lines")} more</p>}
						</section>
					))}
					{i.places.length === 0 && i.hidden.length === 0 && <p className="py-2">Nothing is recorded of it anywhere.</p>}
					<h2 className="mt-5 border-b border-rule pb-1">What counts said</h2>
					{i.counts.length === 0 && <p className="py-1 text-dim">It was not counted yet.</p>}
					{i.large.length > 0 && (
						<p className="py-1 text-dim">Of {i.large.join(", ")} only the bins are told in which it lies now or was found.</p>
					)}
					{i.counts.length > 0 && (
						<div className={`${said} text-[12px] text-dim`}>
							{["", "Bin", "Counted at", "Counter", "Expected", "Counted", "Variance", "Reason"].map((h, n) => (
								<span key={h} className={n > 3 && n < 7 ? "text-right" : ""}>
									{h}
								</span>
							))}
						</div>
					)}
					{i.counts.map((c) => (
						<div key={`${c.count}/${c.pos}`} className={`${said} border-b border-hair py-0.5`} data-said>
							<Link className="word truncate" to={`/counts/${c.count}/variances?${new URLSearchParams({ show: "all", text: i.sku })}`}>
								{c.name}
							</Link>
							<span className="code truncate">{[c.bin, apart(c)].filter(Boolean).join(" ")}</span>
							<span className="code text-dim">{when(c.at)}</span>
							<span className="truncate text-dim">{c.counter}</span>
							<span className="text-right text-dim">
								<Quantity of={c.expected} />
							</span>
							<span className="text-right">
								<Quantity of={c.counted} />
							</span>
							<span className="text-right">{isZero(c.variance) ? <span className="text-dim">=</span> : <Off of={c.variance} />}</span>
							<span className="truncate text-dim">{c.reason}</span>
						</div>
					))}
					{i.changes.length > 0 && <h2 className="mt-5 border-b border-rule pb-1">What changed of it</h2>}
					{i.changes.map((c) => (
						<div key={`${c.at}${c.file}`} className="grid grid-cols-[8.5rem_8rem_14rem_1fr] gap-3 border-b border-hair py-0.5" data-changed>
							<span className="code text-dim">{when(c.at)}</span>
							<span className="truncate text-dim">{c.person}</span>
							<span className="truncate text-dim">{c.file}</span>
							<span>{c.what.join("; ")}</span>
						</div>
					))}
					<h2 className="mt-5 border-b border-rule pb-1">What went out</h2>
					{i.sent.length === 0 && <p className="py-1 text-dim">No adjustment of it was sent out.</p>}
					{i.sent.map((s) => (
						<div
							key={`${s.count}/${s.posting}/${s.bin}/${s.quantity}`}
							className="grid grid-cols-[14rem_1fr_8.5rem_6rem_7rem_6rem] gap-3 border-b border-hair py-0.5"
							data-sent
						>
							<Link className="word truncate" to={`/counts/${s.count}/adjustments`}>
								{s.name}, posting {count(s.posting)}
							</Link>
							<span className="code">{s.bin}</span>
							<span className="code text-dim">{when(s.at)}</span>
							<span className="text-right">
								<Off of={s.quantity} />
							</span>
							<span className="text-right">
								{s.value == null ? <span className="text-dim">no cost</span> : <Off of={s.value} shape={false} />}
							</span>
							<span className="truncate text-dim">{s.reason}</span>
						</div>
					))}
				</div>
			</div>
		</Stage>
	);
}

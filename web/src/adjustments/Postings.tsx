import { useMutation, useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { api, ask, queries, type Schemas, workKey } from "../api/client";
import { key } from "../api/keys";
import { count, many, Off, plain, Warn, when } from "../frame/figures";

type Posting = Schemas["PostingView"];
type Proof = Schemas["PostingProof"];

const stateWord: Record<string, string> = { missing: "missing", different: "otherwise", twice: "twice" };

/** The postings of a count, never changed, each with what became of it in the records. */
export function Postings({ id, may, running }: { id: number; may: boolean; running: boolean }) {
	const postings = useQuery({
		queryKey: key.postings(id),
		queryFn: () => ask(api.GET("/api/counts/{count}/postings", { params: { path: { count: id } } })),
	});
	const proof = useQuery({
		queryKey: [...key.postings(id), "proof"],
		queryFn: () => ask(api.GET("/api/counts/{count}/proof", { params: { path: { count: id } } })),
	});
	return (
		<section className="min-h-0 flex-[3] overflow-y-auto border-t border-rule px-4 py-2" aria-label="Postings">
			<h2>Postings</h2>
			{postings.error && <Warn>{postings.error.message}</Warn>}
			{postings.data?.length === 0 && <p className="text-dim">Nothing went out yet.</p>}
			{postings.data?.map((x) => (
				<One key={x.id} id={id} x={x} proof={proof.data?.find((p) => p.number === x.number)} may={may} running={running} />
			))}
		</section>
	);
}

function One({ id, x, proof, may, running }: { id: number; x: Posting; proof?: Proof; may: boolean; running: boolean }) {
	const [asked, setAsked] = useState(false);
	const [once] = useState(workKey);
	const changed = () => queries.invalidateQueries({ queryKey: key.count(id) });
	const path = { count: id, number: x.number };
	const reverse = useMutation({
		mutationFn: () => ask(api.POST("/api/counts/{count}/postings/{number}/reverse", { params: { path }, body: { key: once } })),
		onSettled: changed,
	});
	const missing = useMutation({
		mutationFn: (expect: number) =>
			ask(api.POST("/api/counts/{count}/postings/{number}/missing", { params: { path }, body: { key: workKey(), expect } })),
		onSettled: changed,
	});
	const folder = useMutation({
		mutationFn: () => ask(api.POST("/api/counts/{count}/postings/{number}/folder", { params: { path } })),
		onSettled: changed,
	});
	const note = x.kind === "missing";
	return (
		<div className="border-b border-hair py-1.5" data-posting={x.number}>
			<div className="flex justify-between gap-2">
				<span className="min-w-0">
					<b>{x.number}</b>{" "}
					{x.kind === "reversal" ? `takes posting ${x.of} back` : note ? `posting ${x.of}: lines that did not land` : x.layout || x.mode}
				</span>
				<span className="code shrink-0">{many(x.lines, "line", "lines")}</span>
			</div>
			<div className="flex justify-between gap-2 text-[12px] text-dim">
				<span>
					{when(x.at)}, {x.person}
					{x.agreed_by && `, agreed by ${x.agreed_by}`}
					{x.reference && <span className="code"> {x.reference}</span>}
				</span>
				<span className="shrink-0">
					<Off of={x.short} /> <Off of={x.over} />
				</span>
			</div>
			{!note &&
				x.files.map((f, n) => (
					<div key={f.name} className="flex justify-between gap-2 text-[12.5px]">
						<a className="word truncate" href={`/api/counts/${id}/postings/${x.number}/file?n=${n + 1}`} title={`SHA-256 ${f.sha}`}>
							{f.name}
						</a>
						<span className="code shrink-0 text-dim" title={`SHA-256 ${f.sha}`}>
							{f.sha.slice(0, 8)}
						</span>
					</div>
				))}
			{proof && <Landed proof={proof} />}
			<div className="flex flex-wrap items-baseline gap-x-3 text-[12px]">
				{!note && (
					<a className="word text-dim" href={`/api/counts/${id}/postings/${x.number}/manifest`}>
						check sums
					</a>
				)}
				{x.folder && !x.folder_word && <span className="text-dim">✓ in {x.folder}</span>}
				{x.folder_word && (
					<>
						<span className="text-warn">! {x.folder_word}</span>
						{may && (
							<button type="button" className="word" disabled={folder.isPending} onClick={() => folder.mutate()}>
								write it again
							</button>
						)}
					</>
				)}
				{may && proof && proof.tally.missing > proof.noted && running && (
					<button
						type="button"
						className="word"
						disabled={missing.isPending}
						onClick={() => missing.mutate(proof.tally.missing - proof.noted)}
						title="They are open again, to be decided and sent anew"
						data-missing
					>
						open {many(proof.tally.missing - proof.noted, "missing line", "missing lines")} again
					</button>
				)}
				{x.reversed > 0 && <span className="text-dim">taken back by {x.reversed}</span>}
				{may && x.kind === "" && x.reversed === 0 && (
					<button
						type="button"
						className="word text-dim"
						disabled={reverse.isPending}
						onClick={() => (asked ? reverse.mutate() : setAsked(true))}
						data-reverse
					>
						{asked ? `send out the opposite of its ${many(x.lines, "line", "lines")}` : "take it back…"}
					</button>
				)}
			</div>
			{(reverse.error ?? missing.error ?? folder.error) && <Warn>{(reverse.error ?? missing.error ?? folder.error)?.message}</Warn>}
		</div>
	);
}

/** What became of a posting in the records, as one bar and in words; the lines that are off below it. */
function Landed({ proof: p }: { proof: Proof }) {
	const t = p.tally;
	if (p.lost) return <p className="text-[12px] text-dim">The stock of then is not kept any more, so nothing can be proved.</p>;
	if (t.unseen > 0)
		return (
			<p className="text-[12px] text-dim" data-unseen>
				not proved yet: take in the next export of stock
			</p>
		);
	const off = t.missing - p.noted + t.different + t.twice;
	return (
		<div className="py-1 text-[12.5px]" data-proof={off}>
			<div className="flex h-1.5 border border-ink" aria-hidden>
				<span className="bg-ink" style={{ width: `${(100 * t.landed) / Math.max(t.sent, 1)}%` }} />
			</div>
			<p>
				<b>{count(t.landed)}</b> of {count(t.sent)} landed
				{t.missing > p.noted && <span className="text-warn"> · ! {count(t.missing - p.noted)} missing</span>}
				{p.noted > 0 && <span className="text-dim"> · {count(p.noted)} noted as missing</span>}
				{t.twice > 0 && <span className="text-warn"> · ! {count(t.twice)} twice</span>}
				{t.different > 0 && <span className="text-warn"> · ! {count(t.different)} otherwise</span>}
				<span className="text-dim"> by the stock of {when(p.after)}</span>
			</p>
			{p.off.length > 0 && (
				<ul className="max-h-40 overflow-y-auto">
					{p.off.map((l) => (
						<li key={l.pos} className="flex justify-between gap-2">
							<span className="code truncate">{l.line}</span>
							<span className="shrink-0">
								sent {plain(l.sent, true)}, {stateWord[l.state]}: {plain(l.before)}
								{l.moved !== "0" && <> {plain(l.moved, true)} moved</>} → {plain(l.after)}
							</span>
						</li>
					))}
					{off > p.off.length && <li className="text-dim">and {count(off - p.off.length)} more</li>}
				</ul>
			)}
		</div>
	);
}

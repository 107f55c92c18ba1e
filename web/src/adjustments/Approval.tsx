import { useMutation, useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { api, ask, queries, type Schemas } from "../api/client";
import { key } from "../api/keys";
import { usePerson } from "../frame/Frame";
import { count, many, Off, plain, Warn, when } from "../frame/figures";

/** A posting that waits for somebody to agree: one page, signed or sent back with a word. */
export function Approval({ id, onShow }: { id: number; onShow: (g: Schemas["Going"]) => void }) {
	const person = usePerson();
	const [word, setWord] = useState("");
	const list = useQuery({
		queryKey: [...key.postings(id), "approvals"],
		enabled: person.role !== "counter",
		queryFn: () => ask(api.GET("/api/approvals", { params: { query: { count: id } } })),
	});
	const answer = useMutation({
		mutationFn: (x: { approval: number; agree: boolean }) =>
			ask(api.POST("/api/approvals/{approval}", { params: { path: { approval: x.approval } }, body: { agree: x.agree, word } })),
		onSuccess: () => setWord(""),
		onSettled: () => queries.invalidateQueries({ queryKey: key.count(id) }),
	});
	const waits = list.data?.find((a) => a.state === "waits");
	const last = list.data?.[0];
	const preview = useQuery({
		queryKey: [...key.postings(id), "asked", waits?.id],
		enabled: waits !== undefined,
		queryFn: () =>
			ask(
				api.POST("/api/counts/{count}/postings/preview", {
					params: { path: { count: id } },
					body: (waits as Schemas["ApprovalView"]).going,
				}),
			),
	});
	if (!waits)
		return last?.state === "sent back" && last.own ? (
			<p className="border-b border-hair px-4 py-1.5" data-sent-back>
				<b className="text-warn">!</b> {last.settled_by} sent your posting of {many(last.lines, "line", "lines")} back: <i>{last.answer}</i>
			</p>
		) : null;
	const p = preview.data;
	const may = !waits.own && (person.role === "approver" || person.role === "controller");
	return (
		<section className="border-b border-ink bg-sheet px-4 py-2" aria-label="To agree to" data-approval={waits.id}>
			<p>
				<b>
					{waits.own ? "Waits for somebody else to agree" : `${waits.person} wants to send out`}: {many(waits.lines, "line", "lines")},
					worth <span className="code">{plain(waits.gross)}</span> gross
				</b>{" "}
				<span className="text-dim">
					asked {when(waits.at)}, {waits.going.layout || waits.going.mode}, on {waits.going.day}, {waits.going.reference}
				</span>
			</p>
			{waits.word && (
				<p>
					“<i>{waits.word}</i>”
				</p>
			)}
			{p && (
				<ul className="grid max-w-xl grid-cols-2 gap-x-8 py-1 text-[13px]">
					{p.reasons
						.filter((r) => !waits.going.reasons?.length || waits.going.reasons.includes(r.reason))
						.map((r) => (
							<li key={r.reason} className="flex justify-between gap-3">
								<span>
									{r.name || "no reason"} <span className="text-dim">{r.account}</span>
								</span>
								<span className="shrink-0">
									<span className="code text-dim">{count(r.lines)}</span> <Off of={r.sums.short} /> <Off of={r.sums.over} />
								</span>
							</li>
						))}
				</ul>
			)}
			{p && (p.lines !== waits.lines || p.blocked) && <Warn>{p.blocked || "The accepted lines have changed since it was asked for."}</Warn>}
			<p className="flex flex-wrap items-center gap-3">
				<button type="button" className="word" onClick={() => onShow(waits.going)}>
					show the file
				</button>
				{may && (
					<>
						<button
							type="button"
							className="act"
							disabled={!p || answer.isPending}
							onClick={() => answer.mutate({ approval: waits.id, agree: true })}
						>
							Agree, and send out {many(waits.lines, "line", "lines")}
						</button>
						<input
							className="w-72"
							placeholder="why it is sent back"
							value={word}
							maxLength={500}
							onChange={(e) => setWord(e.target.value)}
							aria-label="Why it is sent back"
						/>
						<button
							type="button"
							className="act-plain"
							disabled={answer.isPending || word.trim() === ""}
							onClick={() => answer.mutate({ approval: waits.id, agree: false })}
						>
							Send it back
						</button>
					</>
				)}
				{waits.own && (
					<button
						type="button"
						className="word text-dim"
						disabled={answer.isPending}
						onClick={() => answer.mutate({ approval: waits.id, agree: false })}
					>
						take it back
					</button>
				)}
			</p>
			{answer.error && <Warn>{answer.error.message}</Warn>}
		</section>
	);
}

/** When somebody other than the maker has to agree. */
export function AgreementOf({ may }: { may: boolean }) {
	const q = useQuery({ queryKey: key.agreement, queryFn: () => ask(api.GET("/api/agreement")) });
	const [over, setOver] = useState<string | null>(null);
	const keep = useMutation({
		mutationFn: (a: Schemas["Agreement"]) => ask(api.PUT("/api/agreement", { body: a })),
		onSettled: () => {
			setOver(null);
			return queries.invalidateQueries();
		},
	});
	const a = q.data;
	if (!a) return null;
	const is = a.always ? "always" : a.over != null ? "over" : "never";
	if (!may)
		return is === "never" ? null : (
			<p className="px-4 py-1 text-[12.5px] text-dim">Somebody else agrees {is === "over" ? `over ${plain(a.over)} gross` : "always"}.</p>
		);
	return (
		<p className="flex flex-wrap items-baseline gap-x-2 border-t border-rule px-4 py-1.5 text-[12.5px]" data-agreement={is}>
			<span className="text-dim">Somebody else agrees</span>
			<select
				value={over !== null ? "over" : is}
				onChange={(e) => {
					if (e.target.value === "over") setOver(a.over ?? "");
					else keep.mutate({ always: e.target.value === "always", over: null });
				}}
				aria-label="Somebody else agrees"
			>
				<option value="never">never</option>
				<option value="over">over a gross value</option>
				<option value="always">always</option>
			</select>
			{(over !== null || is === "over") && (
				<form
					className="flex items-baseline gap-2"
					onSubmit={(e) => {
						e.preventDefault();
						keep.mutate({ always: false, over: (over ?? a.over ?? "0").trim() });
					}}
				>
					<input
						className="code w-24 text-right"
						inputMode="decimal"
						value={over ?? a.over ?? ""}
						onChange={(e) => setOver(e.target.value)}
						aria-label="Over this gross value of a count"
					/>
					{over !== null && over.trim() !== "" && (
						<button type="submit" className="word" disabled={keep.isPending}>
							keep
						</button>
					)}
					<span className="text-dim">of a count</span>
				</form>
			)}
			{keep.error && <Warn>{keep.error.message}</Warn>}
		</p>
	);
}

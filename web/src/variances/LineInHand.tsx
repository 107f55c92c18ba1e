import { useMutation, useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { Link } from "react-router";
import { api, ask, queries, type Schemas } from "../api/client";
import { key } from "../api/keys";
import { apart, count, itemPath, Off, plain, Warn, when } from "../frame/figures";
import { Cell } from "../lines/Cell";

import { CutOffList } from "../plan/CutOff";
import { LikelyCause, type useAccept, type useRecount } from "./Causes";
import { Evidence } from "./Evidence";

type Event = Schemas["HistoryEvent"];

/** What happened to a line of a count, and why its variance is likely there. */
/** Whose unit cost it is, where it is not the recorded line's own. */
const costOf = { "": "", item: "the item's", rows: "of other lines of the item", hand: "given in this count" };

export const useHistory = (id: number, pos?: number) =>
	useQuery({
		queryKey: key.history(id, pos ?? 0),
		enabled: pos !== undefined,
		queryFn: () => ask(api.GET("/api/counts/{count}/lines/{pos}", { params: { path: { count: id, pos: pos ?? 0 } } })),
		placeholderData: (before) => before,
	});

/** What a unit of the line costs, corrected by itself where it was not sent out yet. */
function UnitCost({ id, line, may }: { id: number; line: Schemas["VarianceLine"]; may: boolean }) {
	const [editing, setEditing] = useState(false);
	const refresh = async (cost: string) => {
		await ask(
			api.POST("/api/counts/{count}/costs", {
				params: { path: { count: id } },
				body: { lines: [line.pos], cost: cost === "" ? null : cost },
			}),
		);
		await queries.invalidateQueries({ queryKey: key.count(id) });
	};
	return (
		<div className="flex items-baseline gap-2 text-dim" data-cost>
			unit cost
			{editing ? (
				<span className="w-28">
					<Cell label="unit cost" text={line.cost ?? ""} right onKeep={refresh} onClose={() => setEditing(false)} />
				</span>
			) : (
				<>
					<span className={line.cost == null ? "text-warn" : "code text-ink"}>{line.cost == null ? "! not known" : plain(line.cost)}</span>
					{line.cost != null && costOf[line.cost_of] && <span className="text-dim">{costOf[line.cost_of]}</span>}
					{may && line.postings === 0 && (
						<button type="button" className="word" onClick={() => setEditing(true)}>
							correct
						</button>
					)}
				</>
			)}
		</div>
	);
}

/** The line in hand: its history on one time axis, who counted, and the item's other bins. */
export function LineInHand({
	id,
	pos,
	may,
	note,
	onNote: setNote,
	onAct,
	accept,
	recount,
}: {
	id: number;
	pos: number;
	may: boolean;
	note: string; // half a note stays with its line
	onNote: (text: string) => void;
	onAct: () => void; // something is done to the line from here
	accept: ReturnType<typeof useAccept>;
	recount: ReturnType<typeof useRecount>;
}) {
	const q = useHistory(id, pos);
	const withdraw = useMutation({
		mutationFn: (entry: number) =>
			ask(api.POST("/api/counts/{count}/lines/{pos}/withdraw", { params: { path: { count: id, pos } }, body: { entry } })),
		onMutate: onAct,
		onSuccess: () => queries.invalidateQueries({ queryKey: key.count(id) }),
	});
	const booked = useMutation({
		mutationFn: (movement: number) =>
			ask(api.POST("/api/counts/{count}/lines/{pos}/as-booked", { params: { path: { count: id, pos } }, body: { movement } })),
		onMutate: onAct,
		onSuccess: () => queries.invalidateQueries({ queryKey: key.count(id) }),
	});
	const choose = useMutation({
		mutationFn: (round: number) =>
			ask(api.POST("/api/counts/{count}/lines/{pos}/round", { params: { path: { count: id, pos } }, body: { round } })),
		onMutate: onAct,
		onSuccess: () => queries.invalidateQueries({ queryKey: key.count(id) }),
	});
	const [asked, setAsked] = useState(0);
	const add = useMutation({
		mutationFn: () =>
			ask(api.POST("/api/counts/{count}/lines/{pos}/notes", { params: { path: { count: id, pos } }, body: { text: note.trim() } })),
		onSuccess: () => {
			setNote("");
			document.querySelector<HTMLElement>("[data-lines]")?.focus();
			return queries.invalidateQueries({ queryKey: key.history(id, pos) });
		},
	});
	if (q.error && !q.data) return <Warn>{q.error.message}</Warn>;
	if (!q.data) return null;
	const { line, events, others, more, cut_off, cause, bin, before, files, rounds, chosen } = q.data;
	return (
		<section className="max-h-[46%] shrink-0 overflow-y-auto border-t border-ink px-4 py-2" aria-label="The line in hand">
			<div className="flex items-baseline justify-between">
				<b className="code text-[14px]">
					{line.bin} ·{" "}
					<Link className="hover:underline" to={itemPath(line.sku)} tabIndex={-1}>
						{line.sku}
					</Link>
				</b>
				<span className="text-dim">{line.sheet ? `sheet ${line.sheet}` : "on no sheet"}</span>
			</div>
			<div className="truncate">
				{line.description}
				{apart(line) && <span className="code"> · {apart(line)}</span>}
			</div>
			<UnitCost key={pos} id={id} line={line} may={may} />
			{cause && line.pos === pos && <LikelyCause id={id} line={line} cause={cause} may={may} accept={accept} recount={recount} />}
			{line.disputed && (
				<p className="my-1 text-warn" data-disputed>
					! <b>Disputed</b>: it was counted {rounds} times, and no other count agrees with the one that stands.
				</p>
			)}
			<Axis events={events} line={line} />
			<ul className="text-[12.5px]">
				{events
					.filter((e) => e.what !== "freeze")
					.map((e, i) => (
						<li key={`${e.at}${i}`} className={`flex gap-2 ${e.replaced ? "text-dim line-through" : ""}`}>
							<span className="code w-28 shrink-0 text-dim">{when(e.at)}</span>
							<span>
								{e.what === "movement" && (
									<>
										moved {plain(e.quantity, true)}
										{e.booked && (
											<>
												<span className="text-warn"> !</span> booked {when(e.booked)}
												{may && (
													<button
														type="button"
														className="word ml-2 text-dim"
														disabled={booked.isPending}
														onClick={() => booked.mutate(e.movement)}
													>
														as booked
													</button>
												)}
											</>
										)}
									</>
								)}
								{e.what === "entry" && (
									<>
										counted <b>{plain(e.quantity)}</b> by {e.text}
										{rounds > 1 && e.stands && <b data-stands={e.round}> · stands{chosen === e.round ? ", as chosen" : ""}</b>}
										{rounds > 1 && may && !e.replaced && e.round > 0 && (chosen === e.round || !e.stands) && (
											<button
												type="button"
												className="word ml-2 text-dim"
												disabled={choose.isPending}
												onClick={() => choose.mutate(chosen === e.round ? 0 : e.round)}
											>
												{chosen === e.round ? "as the rule says" : "let it stand"}
											</button>
										)}
										{may && e.entry > 0 && (
											<button
												type="button"
												className="word ml-2 text-dim"
												disabled={withdraw.isPending}
												onClick={() => (asked === e.entry ? withdraw.mutate(e.entry) : setAsked(e.entry))}
											>
												{asked === e.entry ? `withdraw the count of ${plain(e.quantity)}` : "withdraw…"}
											</button>
										)}
									</>
								)}
								{(e.what === "elsewhere" || e.what === "late") && (
									<>
										<Off of={e.quantity ?? "0"} /> {e.text}
									</>
								)}
								{e.what === "withdrawal" && e.text}
								{e.what === "posting" && (
									<>
										<Off of={e.quantity} /> {e.text}
									</>
								)}
								{e.what === "decision" && e.text}
								{e.what === "note" && <i>{e.text}</i>}
							</span>
						</li>
					))}
			</ul>
			{may && (
				<form
					className="mt-1 flex gap-2"
					onSubmit={(e) => {
						e.preventDefault();
						if (note.trim()) add.mutate();
					}}
				>
					<input
						className="min-w-0 flex-1"
						value={note}
						onChange={(e) => setNote(e.target.value)}
						placeholder="a note"
						aria-label="Note of this line"
						maxLength={2000}
						data-note
						onKeyDown={(e) => {
							if (e.key === "Escape") document.querySelector<HTMLElement>("[data-lines]")?.focus();
						}}
					/>
					{note.trim() && (
						<button type="submit" className="act-plain" disabled={add.isPending}>
							Note it
						</button>
					)}
				</form>
			)}
			<Evidence id={id} pos={pos} files={files} may={may} />
			{choose.error && <Warn>{choose.error.message}</Warn>}
			{add.error && <Warn>{add.error.message}</Warn>}
			{withdraw.error && <Warn>{withdraw.error.message}</Warn>}
			{cut_off.length > 0 && (
				<>
					<h2 className="mt-2">
						<span className="text-warn">!</span> On its way at the freeze
					</h2>
					<CutOffList list={cut_off} />
				</>
			)}
			{before.length > 0 && (
				<>
					<h2 className="mt-2">Earlier counts of it</h2>
					<ul className="text-[12.5px]" data-before>
						{before.map((b) => (
							<li key={b.count} className="flex justify-between gap-2">
								<span className="truncate">
									<span className="code text-dim">{when(b.at)}</span> {b.counter}
								</span>
								<span className="shrink-0">
									{b.variance === "0" ? <span className="text-dim">{plain(b.counted)}, as expected</span> : <Off of={b.variance} />}
									{b.reason && <span className="code text-dim"> {b.reason}</span>}
								</span>
							</li>
						))}
					</ul>
				</>
			)}
			{bin.length > 0 && (
				<>
					<h2 className="mt-2">In this bin, too</h2>
					<ul className="text-[12.5px]">
						{bin.map((o) => (
							<li key={o.pos} className="flex justify-between gap-2">
								<span className="truncate">
									<span className="code">{o.sku}</span> {o.lot && <span className="code text-dim">{o.lot}</span>}
								</span>
								<span className="shrink-0">
									{o.counted == null ? (
										<span className="text-dim">uncounted</span>
									) : o.variance === "0" ? (
										<span className="text-dim">{plain(o.counted)}, as expected</span>
									) : (
										<Off of={o.variance} />
									)}
								</span>
							</li>
						))}
					</ul>
				</>
			)}
			{others.length > 0 && (
				<>
					<h2 className="mt-2">The item's other bins</h2>
					<ul className="text-[12.5px]">
						{others.slice(0, 6).map((o) => (
							<li key={o.pos} className="flex justify-between">
								<span className="code">{o.bin}</span>
								<span>
									{o.counted == null ? (
										<span className="text-dim">uncounted, {plain(o.expected)} expected</span>
									) : o.variance === "0" ? (
										<span className="text-dim">{plain(o.counted)}, as expected</span>
									) : (
										<Off of={o.variance} />
									)}
								</span>
							</li>
						))}
					</ul>
					{others.length + more > 6 && <p className="text-[12.5px] text-dim">and {count(others.length + more - 6)} more</p>}
				</>
			)}
		</section>
	);
}

/** Expected as a stepped line over time, each count a mark beside it. Positions only; the figures are the server's. */
function Axis({ events, line }: { events: Event[]; line: Schemas["VarianceLine"] }) {
	const shown = events.filter((e) => e.what === "freeze" || e.what === "movement" || e.what === "entry");
	const first = shown[0];
	const last = shown.at(-1);
	if (!first || !last || shown.length < 2) return null;
	const t = (e: Event) => new Date(e.at).getTime();
	const span = Math.max(1, t(last) - t(first));
	const x = (e: Event) => 12 + ((t(e) - t(first)) / span) * 270;
	const heights = shown.flatMap((e) => [Number(e.level ?? 0), e.what === "entry" ? Number(e.quantity) : Number(e.level ?? 0)]);
	const [low, high] = [Math.min(...heights), Math.max(...heights)];
	const y = (v: string | null | undefined) => 50 - ((Number(v ?? 0) - low) / Math.max(high - low, 1e-6)) * 36;
	let path = "";
	for (const e of shown) path += path === "" ? `M${x(e)} ${y(e.level)}` : `H${x(e)}V${y(e.level)}`;
	const entry = shown.filter((e) => e.what === "entry" && !e.replaced).at(-1);
	return (
		<svg
			viewBox="0 0 340 78"
			className="my-1 w-full"
			role="img"
			aria-label={`Recorded ${line.recorded}, expected ${line.expected}, counted ${line.counted ?? "not"}`}
		>
			<line x1={8} x2={332} y1={60} y2={60} stroke="var(--ink)" />
			<path d={path} fill="none" stroke="var(--ink)" strokeWidth={1.5} />
			{shown.map((e, i) => (
				<g key={`${e.at}${i}`}>
					<line x1={x(e)} x2={x(e)} y1={57} y2={63} stroke="var(--ink)" />
					{e.what === "entry" && !e.replaced && (
						<>
							<line x1={x(e)} x2={x(e)} y1={y(e.level)} y2={y(e.quantity)} stroke="var(--dim)" strokeDasharray="2 2" />
							<circle
								cx={x(e)}
								cy={y(e.quantity)}
								r={3.5}
								fill={line.status === "short" ? "var(--short)" : line.status === "match" ? "var(--ink)" : "var(--over)"}
							/>
						</>
					)}
				</g>
			))}
			<text x={8} y={74} className="fill-dim font-mono text-[10px]">
				{when(first.at)} freeze
			</text>
			<text x={332} y={74} textAnchor="end" className="fill-dim font-mono text-[10px]">
				{when(last.at)}
			</text>
			{entry && (
				<text
					x={Math.min(x(entry) + 8, 290)}
					y={y(entry.quantity) + 4}
					className={`font-mono text-[11px] ${line.status === "short" ? "fill-short" : "fill-over"}`}
				>
					{plain(entry.quantity)}
				</text>
			)}
			<text x={x(first) + 4} y={y(first.level) - 4} className="fill-ink font-mono text-[11px]">
				{plain(first.level)}
			</text>
		</svg>
	);
}

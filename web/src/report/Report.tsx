import { useMutation, useQuery } from "@tanstack/react-query";
import { scaleLinear } from "d3-scale";
import { line } from "d3-shape";
import { useState } from "react";
import { Link } from "react-router";
import { api, ask, queries, type Schemas } from "../api/client";
import { key } from "../api/keys";
import { Stage, useCount, usePerson } from "../frame/Frame";
import { BeingRead, count, many, Off, plain, Warn, when } from "../frame/figures";
import { CutOffList } from "../plan/CutOff";
import { late, useRotation } from "../plan/Portion";
import { CauseMark, causeSentence } from "../variances/Causes";

/** What a manager signs: how accurate the records are, what is lost and found, where, why, decided by whom. */
export function Report() {
	const person = usePerson();
	const { id } = useCount();
	const q = useQuery({
		queryKey: key.report(id),
		queryFn: () => ask(api.GET("/api/counts/{count}/report", { params: { path: { count: id } } })),
	});
	const [asked, setAsked] = useState(false);
	const finish = useMutation({
		mutationFn: (left: Schemas["Left"]) => ask(api.POST("/api/counts/{count}/finish", { params: { path: { count: id } }, body: left })),
		onSuccess: () => queries.invalidateQueries({ queryKey: key.count(id) }),
	});
	const [why, setWhy] = useState("");
	const reopen = useMutation({
		mutationFn: () => ask(api.POST("/api/counts/{count}/reopen", { params: { path: { count: id } }, body: { reason: why.trim() } })),
		onSuccess: () => queries.invalidateQueries({ queryKey: key.count(id) }),
	});
	if (!q.data) return <BeingRead what="The report" of={[q]} />;
	const left = {
		held: q.data.count.held,
		accepted: q.data.count.accepted,
		uncounted: q.data.count.uncounted - q.data.count.zeroed,
		doubts: q.data.count.doubts,
		recounts: q.data.count.recounts,
	};
	const {
		count: c,
		figures: f,
		posted,
		posted_lines,
		zones,
		categories,
		counters,
		classes,
		reasons,
		causes,
		largest,
		deciders,
		cut_off,
		sample,
	} = q.data;
	const { spread, recounts, earlier } = q.data;
	const lines = (of: Record<string, string>) => `/counts/${id}/variances?${new URLSearchParams({ show: "all", ...of })}`;
	return (
		<Stage
			foot={
				<>
					<span className="text-dim">
						Frozen {when(c.frozen_at, "long")} by {c.person}
						{c.later.map((f) => `; ${many(f.lines, "added line", "added lines")} ${when(f.at, "long")}`)}
						{deciders.length > 0 && `; decided by ${deciders.join(", ")}`}
					</span>
					{finish.error && <Warn>{finish.error.message}</Warn>}
					{c.state === "running" && person.role === "controller" && (
						<span className="ml-auto flex flex-wrap items-center gap-x-3 gap-y-1">
							{asked && c.open === 0 && (
								<span className="text-warn" data-left>
									! Final.{" "}
									{[
										left.held > 0 && `${many(left.held, "variance stays", "variances stay")} held`,
										left.accepted > 0 && `${many(left.accepted, "accepted line is", "accepted lines are")} not sent out`,
										left.uncounted > 0 && `${many(left.uncounted, "line stays", "lines stay")} uncounted`,
										left.doubts > 0 && `${many(left.doubts, "row in the tray is no count", "rows in the tray are no counts")}`,
										left.recounts > 0 && `${many(left.recounts, "line is", "lines are")} not counted again`,
									]
										.filter(Boolean)
										.join(", ") || "Nothing is left undone."}
								</span>
							)}
							<button
								type="button"
								className="act-plain"
								disabled={finish.isPending}
								onClick={() => (asked || c.open > 0 ? finish.mutate(left) : setAsked(true))}
							>
								{asked && c.open === 0 ? "Finish it for good" : "Finish this count"}
							</button>
						</span>
					)}
					{c.state === "finished" && (
						<span className="ml-auto flex flex-wrap items-center gap-x-3 gap-y-1">
							<b>✓ finished</b>
							{person.role === "controller" && c.posted === 0 && (
								<form
									className="flex items-center gap-2"
									onSubmit={(e) => {
										e.preventDefault();
										if (why.trim()) reopen.mutate();
									}}
								>
									<input
										value={why}
										onChange={(e) => setWhy(e.target.value)}
										placeholder="why it is opened again"
										aria-label="Why the count is opened again"
										maxLength={500}
									/>
									<button type="submit" className="act-plain" disabled={why.trim() === "" || reopen.isPending}>
										Open it again
									</button>
								</form>
							)}
							{reopen.error && <Warn>{reopen.error.message}</Warn>}
						</span>
					)}
				</>
			}
			keys={[
				["Ctrl K", "go anywhere"],
				["?", "all keys"],
			]}
		>
			<div className="min-h-0 flex-1 overflow-y-auto px-8 py-4" tabIndex={0} role="region" aria-label="Report">
				<div className="mx-auto max-w-6xl">
					<div className="flex flex-wrap items-end gap-x-4 justify-between border-b-2 border-ink pb-2">
						<div>
							<h1>{c.name}</h1>
							<p className="text-dim">
								<span className="code">{c.warehouse}</span> · {many(f.recorded_lines, "recorded line", "recorded lines")}
								{c.together && (
									<>
										{" "}
										· one of{" "}
										<Link className="word" to={`/together/${c.id}`}>
											{c.together}
										</Link>
									</>
								)}
							</p>
						</div>
						<p className="flex gap-4 pb-1">
							<a className="word" href={`/api/counts/${id}/report/pdf`} data-report-pdf>
								as PDF
							</a>
							<a className="word" href={`/api/counts/${id}/report/xlsx`}>
								as workbook
							</a>
						</p>
						<Big name="accuracy (IRA)" value={f.accuracy == null ? "–" : `${f.accuracy} %`} />
						<Big name="coverage" value={f.coverage == null ? "–" : `${f.coverage} %`} />
						<Big name="net value" value={<Off of={f.values.net} />} />
						<Big name="gross value" value={plain(f.values.gross)} />
					</div>
					{sample && (
						<p className="mt-3 border-l-4 border-ink pl-3" data-sample-result>
							<b>A sample</b> of {many(sample.drawn, "line", "lines")} out of {count(sample.of ?? 0)}
							{sample.by === "value" ? ", drawn by value" : ""}, seed <span className="code">{sample.seed}</span>. {sample.words}
							{sample.estimate != null && <> If all lines are as these, their variances come to {plain(sample.estimate)} gross.</>}
						</p>
					)}
					<div className="mt-4 grid gap-x-10 gap-y-4 min-[1000px]:grid-cols-[1fr_1fr_1.2fr]">
						<section>
							<h2 className="border-b border-rule pb-1">Lines</h2>
							<Row name="recorded" n={f.recorded_lines} />
							<Row name="counted" n={f.counted} />
							<Row name="uncounted" n={f.uncounted} hatch />
							<Row name="match" n={f.match} />
							<Row name="tolerated" n={f.tolerated} />
							<Row name="▲ over" n={f.over} tone="text-over" to={lines({ status: "over" })} />
							<Row name="▼ short" n={f.short} tone="text-short" to={lines({ status: "short" })} />
							<Row name="▲ found" n={f.found} tone="text-over" to={lines({ status: "found" })} />
							<Row name="without a cost" n={f.unvalued} />
							{recounts.lines > 0 && (
								<>
									<Row name="counted again" n={recounts.lines} />
									<Row name="of them right at first" n={recounts.right} />
								</>
							)}
						</section>
						<section>
							<h2 className="border-b border-rule pb-1">Value, all counted lines</h2>
							<MoneyRow name="over" of={f.values.over} />
							<MoneyRow name="short" of={f.values.short} />
							<MoneyRow name="net" of={f.values.net} strong />
							<MoneyRow name="gross" of={f.values.gross} neutral />
							<h2 className="mt-3 border-b border-rule pb-1">Sent out, {many(posted_lines, "line", "lines")}</h2>
							<MoneyRow name="over" of={posted.over} />
							<MoneyRow name="short" of={posted.short} />
							<MoneyRow name="net" of={posted.net} strong />
						</section>
						<section>
							<h2 className="border-b border-rule pb-1">Accepted, by reason</h2>
							{reasons.length === 0 && <p className="py-1 text-dim">Nothing is accepted yet.</p>}
							{reasons.map((r) => (
								<div key={r.code} className="grid grid-cols-[1fr_4rem_7rem] border-b border-hair py-0.5">
									<span className="truncate">
										{r.name} <span className="code text-dim">{r.account}</span>
									</span>
									<span className="code text-right text-dim">{r.lines}</span>
									<span className="text-right">
										<Off of={r.sums.net} />
									</span>
								</div>
							))}
							{c.open > 0 && (
								<div className="grid grid-cols-[1fr_4rem_7rem] border-b border-hair py-0.5 text-warn">
									<span>! not decided</span>
									<span className="code text-right">{c.open}</span>
									<span className="code text-right">{plain(c.open_value)}</span>
								</div>
							)}
						</section>
					</div>
					<div className="mt-5 grid gap-x-10 gap-y-4 min-[1000px]:grid-cols-[1.1fr_1fr_1fr]">
						<section>
							<h2 className="border-b border-rule pb-1">How the value is spread</h2>
							<Curve spread={spread} />
							{spread.most > 0 && (
								<p>
									<b>{count(spread.most)}</b> of {many(spread.curve.at(-1)?.lines ?? 0, "line", "lines")} hold 80 % of{" "}
									<Link className="word code" to={lines({})}>
										{plain(spread.curve.at(-1)?.gross)}
									</Link>
								</p>
							)}
						</section>
						<section>
							<h2 className="border-b border-rule pb-1">By likely cause</h2>
							{causes.length === 0 && <p className="py-1 text-dim">There is no variance.</p>}
							{causes.map((x) => {
								const cells = (
									<>
										<span className="truncate">{causeSentence[x.cause] ?? "Nothing speaks for a cause"}</span>
										<span className="code text-right text-dim">{count(x.lines)}</span>
										<span className="code text-right">{plain(x.sums.gross)}</span>
									</>
								);
								const row = "grid grid-cols-[1fr_3rem_7rem] border-b border-hair py-0.5";
								return x.cause === "tolerated" ? ( // they are on no queue
									<div key={x.cause} className={row}>
										{cells}
									</div>
								) : (
									<Link key={x.cause} to={lines({ cause: x.cause || "none" })} className={`${row} hover:bg-sheet`}>
										{cells}
									</Link>
								);
							})}
						</section>
						<Trend earlier={earlier} id={id} house={c.warehouse_id} />
					</div>
					<div className="mt-5 grid gap-x-10 gap-y-5 min-[1000px]:grid-cols-2">
						<Parts title="By zone" parts={zones} to={(of) => lines({ by: "zone", of })} />
						<Parts title="By category" parts={categories} to={(of) => lines({ by: "category", of })} />
						{classes.length > 0 && <Parts title="By class" parts={classes} to={(of) => lines({ by: "class", of })} />}
						<Parts title="By counter" parts={counters} to={(of) => lines({ by: "counter", of })} />
					</div>
					<Sent id={id} />
					{cut_off.length > 0 && (
						<>
							<h2 className="mt-5 border-b border-rule pb-1">Cut-off: on its way at the freeze</h2>
							<CutOffList list={cut_off} />
						</>
					)}
					<h2 className="mt-5 border-b border-rule pb-1">The heaviest variances</h2>
					{largest.map((l) => (
						<div key={l.pos} className="grid grid-cols-[6rem_7rem_1fr_7rem_8rem_6rem_13rem] gap-2 border-b border-hair py-0.5">
							<span className="code">{l.bin}</span>
							<span className="code">{l.sku}</span>
							<span className="truncate">{l.description}</span>
							<span className="text-right">
								<Off of={l.variance} />
							</span>
							<span className="text-right">{l.value == null ? "no cost" : <Off of={l.value} shape={false} />}</span>
							<span>{l.cause && <CauseMark cause={l.cause} grade={l.grade} />}</span>
							<span className="truncate text-dim" title={l.by}>
								{l.state}
								{l.by && `, ${l.by}`}
							</span>
						</div>
					))}
					<Habits id={id} />
					<div className="mt-16 grid grid-cols-3 gap-x-10 pb-8 text-[12px] text-dim">
						{["counted and decided", "approved", "place, day"].map((w) => (
							<span key={w} className="border-t border-ink pt-1">
								{w}
							</span>
						))}
					</div>
				</div>
			</div>
		</Stage>
	);
}

function Big({ name, value }: { name: string; value: React.ReactNode }) {
	return (
		<div className="text-right">
			<div className="font-mono text-[20px] leading-tight font-semibold [&_.code]:text-[20px]">{value}</div>
			<div className="text-[12px] text-dim">{name}</div>
		</div>
	);
}

function Row({ name, n, tone = "", hatch, to }: { name: string; n: number; tone?: string; hatch?: boolean; to?: string }) {
	return (
		<div
			className={`flex justify-between border-b border-hair py-0.5 ${tone} ${hatch ? "bg-[repeating-linear-gradient(45deg,transparent_0_5px,var(--hair)_5px_6px)]" : ""}`}
		>
			<span>{name}</span>
			{to && n > 0 ? (
				<Link className="word code" to={to} data-figure={name}>
					{count(n)}
				</Link>
			) : (
				<span className="code" data-figure={name}>
					{count(n)}
				</span>
			)}
		</div>
	);
}

function MoneyRow({ name, of, strong, neutral }: { name: string; of: string; strong?: boolean; neutral?: boolean }) {
	return (
		<div className={`flex justify-between border-b border-hair py-0.5 ${strong ? "font-semibold" : ""}`}>
			<span>{name}</span>
			{neutral ? <span className="code">{plain(of)}</span> : <Off of={of} />}
		</div>
	);
}

function Parts({ title, parts, to }: { title: string; parts: Schemas["ReportPart"][]; to: (name: string) => string }) {
	return (
		<section>
			<h2 className="border-b border-rule pb-1">{title}</h2>
			<div className="grid grid-cols-[1fr_3.5rem_4.5rem_6.5rem_6.5rem] text-[12px] text-dim">
				<span />
				<span className="text-right">lines</span>
				<span className="text-right">IRA %</span>
				<span className="text-right">net</span>
				<span className="text-right">gross</span>
			</div>
			{parts.slice(0, 12).map((p) => (
				<div key={p.name} className="grid grid-cols-[1fr_3.5rem_4.5rem_6.5rem_6.5rem] border-b border-hair py-0.5">
					<span className="truncate">{p.name || "none given"}</span>
					<span className="code text-right">{count(p.figures.counted)}</span>
					<span className="code text-right">{p.figures.accuracy ?? "–"}</span>
					<span className="text-right">
						<Off of={p.figures.values.net} shape={false} />
					</span>
					<span className="text-right">
						{p.figures.values.gross === "0.00" ? (
							<span className="code text-dim">0.00</span>
						) : (
							<Link className="word code" to={to(p.name)}>
								{plain(p.figures.values.gross)}
							</Link>
						)}
					</span>
				</div>
			))}
			{parts.length > 12 && <p className="text-[12.5px] text-dim">and {count(parts.length - 12)} more, in the workbook</p>}
		</section>
	);
}

/** How the value of the variances is spread over the lines, the heaviest first. */
function Curve({ spread }: { spread: Schemas["Spread"] }) {
	const last = spread.curve.at(-1);
	if (!last || spread.curve.length < 2) return <p className="py-1 text-dim">Too few variances have a value.</p>;
	const cents = (v: string) => Number(v.replace(".", ""));
	const [w, h] = [320, 70];
	const x = scaleLinear([0, last.lines], [0, w]);
	const y = scaleLinear([0, cents(last.gross)], [h - 1, 2]);
	const path = line<[number, number]>()
		.x((p) => x(p[0]))
		.y((p) => y(p[1]))([[0, 0], ...spread.curve.map((p): [number, number] => [p.lines, cents(p.gross)])]);
	return (
		<svg
			viewBox={`0 0 ${w} ${h}`}
			className="my-1.5 w-full"
			role="img"
			aria-label={`${spread.most} of ${last.lines} lines hold 80 percent of the value`}
		>
			<path d={path ?? ""} fill="none" stroke="var(--ink)" strokeWidth={1.5} />
			<line x1={x(spread.most)} x2={x(spread.most)} y1={2} y2={h - 1} stroke="var(--ink)" strokeDasharray="2 2" />
			<line x1={0} x2={w} y1={h - 0.5} y2={h - 0.5} stroke="var(--ink)" />
		</svg>
	);
}

/** The counts of a warehouse one after the other: how accurate the records were, and what was off. */
function Trend({ earlier, id, house }: { earlier: Schemas["CountAmong"][]; id: number; house: number }) {
	const rotation = useRotation(house).data;
	const year = rotation?.groups.filter((g) => g.times > 0) ?? [];
	return (
		<section data-trend={earlier.length}>
			<h2 className="border-b border-rule pb-1">Counts of this warehouse</h2>
			{earlier.map((e) => (
				<div
					key={e.id}
					className={`grid grid-cols-[1fr_4.5rem_6rem] items-baseline border-b border-hair py-0.5 ${e.id === id ? "font-semibold" : ""}`}
				>
					<Link className="truncate hover:underline" to={`/counts/${e.id}/report`} title={`frozen ${when(e.frozen_at, "long")}`}>
						{e.name}
					</Link>
					<span className="code text-right">{e.accuracy ?? "–"}</span>
					<span className="text-right">
						<Off of={e.net} shape={false} />
					</span>
					<span className="col-span-3 h-1 bg-tone" aria-hidden>
						<span className="block h-1 bg-ink" style={{ width: `${Number(e.accuracy ?? 0)}%` }} />
					</span>
				</div>
			))}
			<p className="pt-0.5 text-[12px] text-dim">IRA % and net value</p>
			{rotation?.rotation && (
				<p className="border-b border-hair py-0.5" data-kept={rotation.late.lines === 0}>
					<Link className="word" to={`/rotation/${house}`}>
						Rotation
					</Link>{" "}
					{rotation.late.lines === 0 ? "is kept" : <span className="text-warn">! {late(rotation)}</span>}
					<span className="text-dim">
						; {count(year.reduce((n, g) => n + g.counted, 0))} of{" "}
						{many(
							year.reduce((n, g) => n + g.lines, 0),
							"line",
							"lines",
						)}{" "}
						were counted within a year
					</span>
				</p>
			)}
		</section>
	);
}

/** What went out, who agreed, and whether it has landed. */
function Sent({ id }: { id: number }) {
	const postings = useQuery({
		queryKey: key.postings(id),
		queryFn: () => ask(api.GET("/api/counts/{count}/postings", { params: { path: { count: id } } })),
	});
	const proof = useQuery({
		queryKey: [...key.postings(id), "proof"],
		queryFn: () => ask(api.GET("/api/counts/{count}/proof", { params: { path: { count: id } } })),
	});
	if (!postings.data || postings.data.length === 0) return null;
	return (
		<section className="mt-5">
			<h2 className="border-b border-rule pb-1">Postings</h2>
			{postings.data.map((x) => {
				const p = proof.data?.find((y) => y.number === x.number);
				return (
					<div key={x.id} className="grid grid-cols-[2rem_1fr_6rem_12rem_14rem] gap-2 border-b border-hair py-0.5">
						<Link className="word code" to={`/counts/${id}/adjustments`}>
							{x.number}
						</Link>
						<span className="truncate">
							{x.kind === "reversal" ? `takes ${x.of} back` : x.kind === "missing" ? `of ${x.of}, not landed` : x.layout || x.mode},{" "}
							{when(x.at)}, {x.person}
							{x.agreed_by && `, agreed by ${x.agreed_by}`}
						</span>
						<span className="code text-right">{many(x.lines, "line", "lines")}</span>
						<span className="text-right">
							<Off of={x.short} /> <Off of={x.over} />
						</span>
						<span>
							{!p ? (
								""
							) : p.tally.unseen > 0 ? (
								<span className="text-dim">not proved yet</span>
							) : p.tally.landed === p.tally.sent ? (
								"✓ all landed"
							) : (
								<span className="text-warn">
									! {count(p.tally.landed)} of {count(p.tally.sent)} landed
								</span>
							)}
						</span>
					</div>
				);
			})}
		</section>
	);
}

/** What comes back from count to count: items and bins that are off again, causes that were accepted again. */
function Habits({ id }: { id: number }) {
	const q = useQuery({
		queryKey: [...key.report(id), "habits"],
		queryFn: () => ask(api.GET("/api/counts/{count}/habits", { params: { path: { count: id } } })),
	});
	const h = q.data;
	if (!h || h.items.length + h.bins.length + h.causes.length === 0) return null;
	const list = (title: string, of: Schemas["Habit"][], name: (x: Schemas["Habit"]) => React.ReactNode) =>
		of.length > 0 && (
			<section>
				<h2 className="border-b border-rule pb-1">{title}</h2>
				{of.slice(0, 8).map((x) => (
					<div key={x.name} className="grid grid-cols-[1fr_5rem_5.5rem] border-b border-hair py-0.5">
						<span className="truncate">{name(x)}</span>
						<span className="text-right text-dim">{many(x.counts, "count", "counts")}</span>
						<span className="code text-right">{x.gross === "0.00" ? many(x.lines, "line", "lines") : plain(x.gross)}</span>
					</div>
				))}
			</section>
		);
	return (
		<div className="mt-5 grid gap-x-10 gap-y-4 min-[1000px]:grid-cols-3" data-habits>
			{list("Items that are off again", h.items, (x) => (
				<>
					<span className="code">{x.name}</span> {x.text}
				</>
			))}
			{list("Bins that are off again", h.bins, (x) => (
				<>
					<span className="code">{x.name}</span> {x.text}
				</>
			))}
			{list("Causes that were accepted", h.causes, (x) => x.text)}
		</div>
	);
}

import { useMutation, useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { Link } from "react-router";
import { api, ask, queries, type Schemas } from "../api/client";
import { key } from "../api/keys";
import { Stage, useCount, usePerson } from "../frame/Frame";
import { count, Failed, many, Off, plain, Warn, when } from "../frame/figures";
import { CutOffList } from "../plan/CutOff";

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
	if (q.error) return <Failed what="The report" error={q.error} />;
	if (!q.data) return null;
	const left = {
		held: q.data.count.held,
		accepted: q.data.count.accepted,
		uncounted: q.data.count.uncounted - q.data.count.zeroed,
		doubts: q.data.count.doubts,
		recounts: q.data.count.recounts,
	};
	const { count: c, figures: f, posted, posted_lines, zones, categories, counters, reasons, largest, deciders, cut_off, sample } = q.data;
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
						<span className="ml-auto flex items-center gap-3">
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
						<span className="ml-auto flex items-center gap-3">
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
					<div className="flex items-end justify-between border-b-2 border-ink pb-2">
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
					<div className="mt-4 grid grid-cols-[1fr_1fr_1.2fr] gap-x-10">
						<section>
							<h2 className="border-b border-rule pb-1">Lines</h2>
							<Row name="recorded" n={f.recorded_lines} />
							<Row name="counted" n={f.counted} />
							<Row name="uncounted" n={f.uncounted} hatch />
							<Row name="match" n={f.match} />
							<Row name="tolerated" n={f.tolerated} />
							<Row name="▲ over" n={f.over} tone="text-over" />
							<Row name="▼ short" n={f.short} tone="text-short" />
							<Row name="▲ found" n={f.found} tone="text-over" />
							<Row name="without a cost" n={f.unvalued} />
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
									<span className="truncate">{r.name}</span>
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
					<div className="mt-5 grid grid-cols-3 gap-x-10">
						<Parts title="By zone" parts={zones} />
						<Parts title="By category" parts={categories} />
						<Parts title="By counter" parts={counters} />
					</div>
					{cut_off.length > 0 && (
						<>
							<h2 className="mt-5 border-b border-rule pb-1">Cut-off: on its way at the freeze</h2>
							<CutOffList list={cut_off} />
						</>
					)}
					<h2 className="mt-5 border-b border-rule pb-1">The largest variances</h2>
					{largest.map((l) => (
						<div key={l.pos} className="grid grid-cols-[6rem_7rem_1fr_7rem_8rem_8rem] gap-2 border-b border-hair py-0.5">
							<span className="code">{l.bin}</span>
							<span className="code">{l.sku}</span>
							<span className="truncate">{l.description}</span>
							<span className="text-right">
								<Off of={l.variance} />
							</span>
							<span className="text-right">{l.value == null ? "no cost" : <Off of={l.value} shape={false} />}</span>
							<span className="text-dim">
								{l.queue === "accepted"
									? "accepted"
									: l.queue === "held"
										? "! held"
										: l.queue === "open"
											? l.postings > 0
												? "! open again"
												: "not decided"
											: "✓ sent"}
							</span>
						</div>
					))}
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

function Row({ name, n, tone = "", hatch }: { name: string; n: number; tone?: string; hatch?: boolean }) {
	return (
		<div
			className={`flex justify-between border-b border-hair py-0.5 ${tone} ${hatch ? "bg-[repeating-linear-gradient(45deg,transparent_0_5px,var(--hair)_5px_6px)]" : ""}`}
		>
			<span>{name}</span>
			<span className="code" data-figure={name}>
				{count(n)}
			</span>
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

function Parts({ title, parts }: { title: string; parts: Schemas["ReportPart"][] }) {
	return (
		<section>
			<h2 className="border-b border-rule pb-1">{title}</h2>
			<div className="grid grid-cols-[1fr_3.5rem_4.5rem_6.5rem] text-[12px] text-dim">
				<span />
				<span className="text-right">lines</span>
				<span className="text-right">IRA %</span>
				<span className="text-right">net</span>
			</div>
			{parts.slice(0, 12).map((p) => (
				<div key={p.name} className="grid grid-cols-[1fr_3.5rem_4.5rem_6.5rem] border-b border-hair py-0.5">
					<span className="truncate">{p.name || "none given"}</span>
					<span className="code text-right">{count(p.figures.counted)}</span>
					<span className="code text-right">{p.figures.accuracy ?? "–"}</span>
					<span className="text-right">
						<Off of={p.figures.values.net} shape={false} />
					</span>
				</div>
			))}
		</section>
	);
}

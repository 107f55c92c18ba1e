import { useInfiniteQuery, useMutation } from "@tanstack/react-query";
import { useState } from "react";
import { Link, useSearchParams } from "react-router";
import { api, ask, zone } from "../api/client";
import { key } from "../api/keys";
import { Stage } from "../frame/Frame";
import { count, Empty, Failed, Warn, when } from "../frame/figures";
import { addressOf } from "../lines/Arrange";

/** Who did what, the latest first; narrowed by person, kind, count and day; proved by its chain on a press. */
export function Record() {
	const asked = useSearchParams()[0].get("person") ?? "";
	const [by, setBy] = useState({ person: asked, what: "", count: 0, day: "" });
	const q = useInfiniteQuery({
		queryKey: key.record(JSON.stringify(by)),
		initialPageParam: "",
		queryFn: ({ pageParam }) => ask(api.GET("/api/record", { params: { query: { ...by, zone: zone(), after: pageParam } } })),
		getNextPageParam: (last) => last.next || undefined,
		placeholderData: (before) => before,
	});
	const verify = useMutation({ mutationFn: () => ask(api.POST("/api/record/verify")) });
	if (q.error) return <Failed what="The record" error={q.error} />;
	const first = q.data?.pages[0];
	if (!first) return null;
	const file = { list: "record", query: { ...by, count: by.count || undefined, zone: zone() } };
	const entries = q.data?.pages.flatMap((p) => p.entries) ?? [];
	const choose = (of: "person" | "what", label: string, list: string[]) => (
		<label className="flex items-baseline gap-1.5">
			<span className="text-dim">{label}</span>
			<select className="max-w-48" value={by[of]} onChange={(e) => setBy({ ...by, [of]: e.target.value })} aria-label={label}>
				<option value="">all</option>
				{list.map((x) => (
					<option key={x}>{x}</option>
				))}
			</select>
		</label>
	);
	return (
		<Stage
			foot={
				<>
					<span className="text-dim">Every word stands on the one before it, by its SHA-256; nothing is ever changed or taken out.</span>
					<span className="text-dim" data-list-out>
						Take it out as{" "}
						<a className="word" href={addressOf(file, "csv", [])} download>
							text
						</a>{" "}
						or{" "}
						<a className="word" href={addressOf(file, "xlsx", [])} download>
							workbook
						</a>
						.
					</span>
					<span role="status" data-proof>
						{verify.error && <Warn>{verify.error.message}</Warn>}
						{verify.data && (verify.data.wrong ? <Warn>{verify.data.wrong}</Warn> : <b>✓ all {count(verify.data.links)} hold</b>)}
					</span>
					<button type="button" className="act-plain ml-auto" disabled={verify.isPending} onClick={() => verify.mutate()}>
						{verify.isPending ? "Proving…" : "Prove the record"}
					</button>
				</>
			}
			keys={[
				["Ctrl K", "go anywhere"],
				["?", "all keys"],
			]}
		>
			<div className="flex flex-wrap items-baseline gap-x-5 gap-y-1 border-b border-hair px-4 py-1.5">
				{choose("person", "who", first.people)}
				{choose("what", "what", first.kinds)}
				<label className="flex items-baseline gap-1.5">
					<span className="text-dim">count</span>
					<select
						className="max-w-64"
						value={by.count}
						onChange={(e) => setBy({ ...by, count: Number(e.target.value) })}
						aria-label="count"
					>
						<option value={0}>all</option>
						{first.counts.map((c) => (
							<option key={c.id} value={c.id}>
								{c.name}
							</option>
						))}
					</select>
				</label>
				<label className="flex items-baseline gap-1.5">
					<span className="text-dim">day</span>
					<input
						className="code w-28"
						placeholder="2026-11-21"
						maxLength={10}
						onChange={(e) => {
							const day = e.target.value.trim();
							if (day === "" || /^\d{4}-\d\d-\d\d$/.test(day)) setBy({ ...by, day });
						}}
						aria-label="day"
					/>
				</label>
			</div>
			<div className="min-h-0 flex-1 overflow-y-auto" tabIndex={0} role="region" aria-label="Record">
				{entries.length === 0 && <Empty title="Nothing of this stands in the record">Let go of a filter.</Empty>}
				{entries.map((e) => (
					<div
						key={e.id}
						className="grid grid-cols-[3.5rem_8.5rem_9rem_12rem_1fr_5rem] items-baseline gap-3 border-b border-hair px-4 py-1 text-[13px]"
						data-entry={e.id}
					>
						<span className="code text-right text-dim">{e.id}</span>
						<span className="code">{when(e.at)}</span>
						<span className="truncate">{e.person}</span>
						<b className="truncate">{e.what}</b>
						<span className="break-words">
							{e.count > 0 && (
								<Link className="word mr-3" to={`/counts/${e.count}/variances`}>
									{first.counts.find((c) => c.id === e.count)?.name ?? `count ${e.count}`}
								</Link>
							)}
							<span className="text-dim">{e.details.join(" · ")}</span>
						</span>
						<span className="code text-right text-dim" title={e.hash}>
							{e.hash.slice(0, 8)}
						</span>
					</div>
				))}
				{q.hasNextPage && (
					<button type="button" className="word m-4" disabled={q.isFetchingNextPage} onClick={() => q.fetchNextPage()}>
						earlier ones
					</button>
				)}
			</div>
		</Stage>
	);
}

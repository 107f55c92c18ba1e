import { useInfiniteQuery, useMutation } from "@tanstack/react-query";
import { useState } from "react";
import { Link, useSearchParams } from "react-router";
import { api, ask, type Schemas, zone } from "../api/client";
import { key } from "../api/keys";
import { Stage } from "../frame/Frame";
import { Empty, Failed, Warn, when } from "../frame/figures";
import { type Column, Lines } from "../lines/Lines";
import { Proof } from "./Proof";

type Entry = Schemas["RecordEntry"];

/** Who did what, the latest first; narrowed by person, kind, count and day; proved by its chain on a press. */
export function Record() {
	const asked = useSearchParams()[0].get("person") ?? "";
	const [by, setBy] = useState({ person: asked, what: "", count: 0, day: "" });
	const [active, setActive] = useState(0);
	const [marked, setMarked] = useState<ReadonlySet<number>>(new Set());
	const q = useInfiniteQuery({
		queryKey: key.record(JSON.stringify(by)),
		initialPageParam: "",
		queryFn: ({ pageParam }) => ask(api.GET("/api/record", { params: { query: { ...by, zone: zone(), after: pageParam } } })),
		getNextPageParam: (last) => last.next || undefined,
		placeholderData: (before) => before,
	});
	const verify = useMutation({ mutationFn: () => ask(api.POST("/api/record/verify")) });
	if (q.error && !q.data) return <Failed what="The record" error={q.error} />;
	const first = q.data?.pages[0];
	if (!first) return null;
	const file = { list: "record", query: { ...by, count: by.count || undefined, zone: zone() } };
	const entries = q.data?.pages.flatMap((p) => p.entries) ?? [];
	const at = Math.min(active, Math.max(0, entries.length - 1));
	const inHand = entries[at];
	const nameOf = (id: number) => first.counts.find((c) => c.id === id)?.name ?? `count ${id}`;
	const columns: Column<Entry>[] = [
		{
			key: "number",
			title: "No.",
			width: "56px",
			right: true,
			cell: (e) => <span className="code text-dim">{e.id}</span>,
			text: (e) => String(e.id),
		},
		{ key: "at", title: "At", width: "minmax(132px,132px)", cell: (e) => <span className="code">{when(e.at)}</span>, text: (e) => e.at },
		{ key: "person", title: "Who", width: "minmax(110px,.3fr)", cell: (e) => e.person, text: (e) => e.person },
		{ key: "what", title: "What", width: "minmax(130px,.4fr)", cell: (e) => <b>{e.what}</b>, text: (e) => e.what },
		{
			key: "count",
			title: "Count",
			width: "minmax(110px,.4fr)",
			cell: (e) => (e.count > 0 ? nameOf(e.count) : ""),
			text: (e) => (e.count > 0 ? nameOf(e.count) : ""),
		},
		{
			key: "details",
			title: "It says",
			width: "minmax(180px,1fr)",
			cell: (e) => <span className="text-dim">{e.details.join(" · ")}</span>,
			text: (e) => e.details.join("; "),
		},
		{
			key: "hash",
			title: "SHA-256",
			width: "minmax(86px,86px)",
			cell: (e) => <span className="code text-dim">{e.hash.slice(0, 8)}</span>,
			text: (e) => e.hash,
		},
	];
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
					<span role="status" data-proof>
						{verify.error && <Warn>{verify.error.message}</Warn>}
						{verify.data && <Proof of={verify.data} />}
					</span>
					<button type="button" className="act-plain ml-auto" disabled={verify.isPending} onClick={() => verify.mutate()}>
						{verify.isPending ? "Proving…" : "Prove the record"}
					</button>
				</>
			}
			keys={[
				["X", "mark"],
				["Ctrl C", "copy"],
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
			<Lines
				label="Record"
				columns={columns}
				rows={entries}
				rowKey={(e) => e.id}
				active={at}
				onActive={setActive}
				marked={marked}
				onMark={setMarked}
				more={q.hasNextPage && !q.isFetchingNextPage}
				onMore={() => void q.fetchNextPage()}
				out={file}
				empty={<Empty title="Nothing of this stands in the record">Let go of a filter.</Empty>}
			/>
			{inHand && (
				<section
					className="max-h-[30%] shrink-0 overflow-y-auto border-t border-ink px-4 py-2"
					aria-label="The word in hand"
					data-entry={inHand.id}
				>
					<b>{inHand.what}</b> <span className="text-dim">by {inHand.person || "nobody"},</span>{" "}
					<span className="code">{when(inHand.at, "long")}</span>
					{inHand.count > 0 && (
						<Link className="word ml-3" to={`/counts/${inHand.count}/variances`}>
							{nameOf(inHand.count)}
						</Link>
					)}
					<ul className="mt-1">
						{inHand.details.map((d) => (
							<li key={d} className="break-words">
								{d}
							</li>
						))}
					</ul>
					<p className="code break-all text-[12px] text-dim">{inHand.hash}</p>
				</section>
			)}
		</Stage>
	);
}

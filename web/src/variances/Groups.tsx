import { useQuery } from "@tanstack/react-query";
import type { ReactNode } from "react";
import { api, ask, type Schemas } from "../api/client";
import { key } from "../api/keys";
import { count, plain, Warn } from "../frame/figures";

/** What the queue is grouped by; empty: by likely cause. */
export type By = "" | "zone" | "category" | "counter" | "reason" | "class" | "bin" | "item";

const nothing: Record<By, string> = {
	"": "",
	zone: "no zone",
	category: "no category",
	counter: "counted by nobody",
	reason: "no reason",
	class: "no class",
	bin: "no bin",
	item: "no item",
};

/** Says what the queue is grouped by; the groups stand behind it. */
export function GroupedBy({ by, onBy, children }: { by: By; onBy: (by: By) => void; children: ReactNode }) {
	return (
		<div
			className="flex flex-wrap items-baseline gap-x-4 gap-y-0.5 border-b border-hair px-2 py-1 tight:flex-nowrap tight:overflow-x-auto tight:whitespace-nowrap"
			role="group"
			aria-label="Groups"
		>
			<select
				value={by}
				onChange={(e) => onBy(e.target.value as By)}
				aria-label="Grouped by"
				className="border-transparent bg-transparent py-0 pl-0 text-dim hover:text-ink"
			>
				<option value="">likely</option>
				<option value="zone">zone</option>
				<option value="category">category</option>
				<option value="counter">counter</option>
				<option value="reason">reason</option>
				<option value="class">class</option>
				<option value="bin">bin</option>
				<option value="item">item</option>
			</select>
			{children}
		</div>
	);
}

/** The groups of what the filter holds, the heaviest first; pressing one narrows the queue to it, pressing it again lets go. */
export function GroupFilter({
	id,
	by,
	of,
	filter,
	onOf,
}: {
	id: number;
	by: Exclude<By, "">;
	of: string | null;
	filter: {
		show: "open" | "held" | "accepted" | "all";
		text: string;
		cause: string;
		sign: "" | "over" | "short";
		least: number;
		bins: number[];
	};
	onOf: (of: string | null) => void;
}) {
	const q = useQuery({
		queryKey: key.groups(id, by, JSON.stringify(filter)),
		queryFn: () => ask(api.GET("/api/counts/{count}/variances/groups", { params: { path: { count: id }, query: { ...filter, by } } })),
		placeholderData: (before, asked) => (asked?.queryKey[3] === by ? before : undefined),
	});
	if (q.error && !q.data) return <Warn>{q.error.message}</Warn>;
	if (!q.data) return null;
	const groups: Pick<Schemas["QueueGroup"], "name" | "lines" | "gross">[] = [...q.data.groups];
	if (of !== null && !groups.some((g) => g.name === of)) groups.push({ name: of, lines: 0, gross: "0.00" }); // it can be let go of
	return (
		<>
			{groups.map((g) => (
				<button
					key={g.name}
					type="button"
					aria-pressed={g.name === of}
					data-group={g.name}
					title={`${plain(g.gross)} gross`}
					className={`border-b-2 hover:text-ink ${g.name === of ? "border-ink font-semibold" : "border-transparent text-dim"}`}
					onClick={() => onOf(g.name === of ? null : g.name)}
				>
					<span className={by === "bin" || by === "item" ? "code" : ""}>{g.name || nothing[by]}</span> {count(g.lines)}
				</button>
			))}
			{q.data.more > 0 && <span className="text-dim">and {count(q.data.more)} lighter ones; the filter finds them</span>}
		</>
	);
}

import { Popover, PopoverButton, PopoverPanel } from "@headlessui/react";
import { useQuery } from "@tanstack/react-query";
import { api, ask, queries, type Schemas } from "../api/client";
import { useProgress } from "../api/events";
import { key } from "../api/keys";
import { count, when } from "./figures";

type Job = Schemas["Job"];

const stop = (j: Job) =>
	ask(api.POST("/api/jobs/{job}/cancel", { params: { path: { job: j.id } } }))
		.catch(() => {})
		.finally(() => queries.invalidateQueries({ queryKey: key.work }));

/** The work that runs on the server, in its one place: how far, how fast, how long still, an end to it, and the last word of what ended. */
export function Work() {
	const q = useQuery({ queryKey: key.work, queryFn: () => ask(api.GET("/api/jobs")) });
	const p = useProgress();
	const list = q.data ?? [];
	const running = list.filter((j) => !j.ended);
	const now = p ?? running[0];
	if (list.length === 0 && !p) return null;
	const part = now?.of ? (now.done ?? 0) / now.of : 0;
	const seconds = (p?.since ?? 0) / 1000;
	const left = part > 0.02 && seconds > 0.5 ? Math.ceil((seconds / part) * (1 - part)) : 0;
	const own = running.find((j) => j.id === p?.job) ?? (p ? undefined : running[0]);
	return (
		<span className="flex items-center gap-2 text-dim" role="status">
			{now && (
				<>
					<span className="h-1 w-24 bg-hair">
						<span className="block h-1 bg-ink" style={{ width: `${Math.round(part * 100)}%` }} />
					</span>
					{now.text}
					{now.of ? ` · ${Math.round(part * 100)} %` : now.rows ? ` · ${count(now.rows)} rows` : ""}
					{p && seconds > 0.5 && p.rows ? ` · ${count(Math.round(p.rows / seconds))} rows/s` : ""}
					{left > 0 ? ` · ${left} s left` : ""}
					{own?.stops && part < 1 && (
						<button type="button" className="word" onClick={() => stop(own)}>
							Cancel
						</button>
					)}
				</>
			)}
			{list.length > 0 && (
				<Popover className="relative">
					<PopoverButton className="word" title="What is being done, and what came of it" data-work>
						{running.length > 1 ? `${running.length} at work` : "work"}
					</PopoverButton>
					<PopoverPanel anchor="bottom start" className="z-30 max-h-96 w-[34rem] border border-ink bg-paper px-3 py-2 text-ink">
						{list.map((j) => (
							<div key={j.id} className="grid grid-cols-[1fr_auto] items-baseline gap-x-3 border-b border-hair py-1" data-job>
								<span className="truncate font-semibold">{j.text}</span>
								<span className="code text-dim">{when(j.ended ?? j.began, "clock")}</span>
								<span className={j.wrong ? "text-warn" : "text-dim"}>
									{j.ended ? (
										<>
											{j.wrong ? "! " : "✓ "}
											{j.word}
										</>
									) : j.of > 0 ? (
										`${Math.round((j.done / j.of) * 100)} %, ${count(j.rows)} rows`
									) : (
										"at work"
									)}
								</span>
								<span className="text-dim">
									{j.stops ? (
										<button type="button" className="word" onClick={() => stop(j)}>
											Cancel
										</button>
									) : (
										j.person
									)}
								</span>
							</div>
						))}
					</PopoverPanel>
				</Popover>
			)}
		</span>
	);
}

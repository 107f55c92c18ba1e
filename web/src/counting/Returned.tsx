import { useMutation, useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { api, ask, queries } from "../api/client";
import { key } from "../api/keys";
import { usePerson } from "../frame/Frame";
import { count, Warn, when } from "../frame/figures";

/** The files of counts that were taken in, each with its undo. */
export function Returned({ id, running }: { id: number; running: boolean }) {
	const person = usePerson();
	const [asking, setAsking] = useState(0);
	const q = useQuery({
		queryKey: key.returns(id),
		queryFn: () => ask(api.GET("/api/counts/{count}/returns", { params: { path: { count: id } } })),
	});
	const undo = useMutation({
		mutationFn: (back: number) =>
			ask(api.POST("/api/counts/{count}/returns/{return}/undo", { params: { path: { count: id, return: back } } })),
		onSuccess: () => {
			setAsking(0);
			queries.invalidateQueries({ queryKey: key.count(id) });
		},
	});
	const may = running && (person.role === "controller" || person.role === "counter");
	return (
		<section className="max-h-[45%] shrink-0 overflow-y-auto border-t border-rule px-4 py-2" aria-label="Files that came back">
			<h2>Files that came back</h2>
			{(q.error ?? undo.error) && <Warn>{(q.error ?? undo.error)?.message}</Warn>}
			{q.data?.length === 0 && <p className="text-dim">None yet.</p>}
			{q.data?.map((r) => (
				<div key={r.id} className="border-b border-hair py-1" data-return={r.id}>
					<div className="flex items-baseline justify-between gap-2">
						<a
							className={`truncate ${r.state === "undone" ? "line-through" : "word"}`}
							href={`/api/files/${r.sha}?name=${encodeURIComponent(r.file)}`}
							title="Download the file as it was"
						>
							{r.file}
						</a>
						{may && r.state === "taken in" && asking !== r.id && (
							<button type="button" className="word shrink-0 text-dim" onClick={() => setAsking(r.id)}>
								{r.blocked ? "why it stays" : "Take it back"}
							</button>
						)}
					</div>
					<div className="text-[12px] text-dim">
						{when(r.at)} · {r.person}: {count(r.added)} new
						{r.revised > 0 && `, ${count(r.revised)} revised`}
						{r.withdrawn > 0 && `, ${count(r.withdrawn)} withdrawn`}
						{r.state === "undone" && ` · taken back by ${r.undone_by}, ${when(r.undone_at)}`}
					</div>
					{asking === r.id && (
						<div className="mt-1 border-l-4 border-warn bg-warn-wash px-2 py-1">
							<p>{r.blocked || "Each of its counts gives way to what stood before it. Nothing is deleted."}</p>
							<div className="mt-1 flex gap-2">
								{!r.blocked && (
									<button type="button" className="act" disabled={undo.isPending} onClick={() => undo.mutate(r.id)}>
										Take {count(r.added + r.revised + r.withdrawn)} counts back
									</button>
								)}
								<button type="button" className="act-plain" onClick={() => setAsking(0)}>
									Leave it
								</button>
							</div>
						</div>
					)}
				</div>
			))}
		</section>
	);
}

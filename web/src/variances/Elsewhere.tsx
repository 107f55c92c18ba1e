import { useMutation, useQuery } from "@tanstack/react-query";
import { api, ask, queries } from "../api/client";
import { key } from "../api/keys";
import { count, many, Off, Warn, when } from "../frame/figures";

/** What other counts sent out of these lines since their stock was recorded: one question, as the same difference may go out twice. */
export function SentElsewhere({ id, may }: { id: number; may: boolean }) {
	const q = useQuery({
		queryKey: key.elsewhere(id),
		queryFn: () => ask(api.GET("/api/counts/{count}/elsewhere", { params: { path: { count: id } } })),
	});
	const answer = useMutation({
		mutationFn: (body: { postings: number[]; answer: "had" | "takes" }) =>
			ask(api.POST("/api/counts/{count}/elsewhere", { params: { path: { count: id } }, body })),
		onSettled: () => queries.invalidateQueries({ queryKey: key.count(id) }),
	});
	const all = q.data ?? [];
	const open = all.filter((x) => x.answer === "");
	if (all.length === 0) return null;
	return (
		<section className="border-b border-rule px-4 py-1.5" data-sent-elsewhere={open.length}>
			{open.length > 0 && (
				<div className="flex flex-wrap items-baseline gap-x-3 gap-y-1">
					<span>
						<b className="text-warn">!</b> Another count sent something out of these lines since their stock was recorded. Had the records
						taken that in already?
					</span>
					{may && (
						<>
							<button
								type="button"
								className="act-plain"
								disabled={answer.isPending}
								onClick={() => answer.mutate({ postings: open.map((x) => x.posting), answer: "takes" })}
							>
								No, they still take it in: reckon it in
							</button>
							<button
								type="button"
								className="act-plain"
								disabled={answer.isPending}
								onClick={() => answer.mutate({ postings: open.map((x) => x.posting), answer: "had" })}
							>
								Yes, the recorded stock has it
							</button>
						</>
					)}
					{answer.error && <Warn>{answer.error.message}</Warn>}
				</div>
			)}
			{all.map((x) => (
				<details key={x.posting} className="text-[12.5px]">
					<summary className="cursor-pointer">
						{x.count_name}, posting {x.number} of {when(x.at)}: {many(x.lines, "line", "lines")}
						{x.answer === "had" && <span className="text-dim"> · the recorded stock has it, says {x.by}</span>}
						{x.answer === "takes" && <span className="text-dim"> · reckoned in, says {x.by}</span>}
						{may && x.answer !== "" && (
							<button
								type="button"
								className="word ml-2"
								disabled={answer.isPending}
								onClick={(e) => {
									e.preventDefault();
									answer.mutate({ postings: [x.posting], answer: x.answer === "had" ? "takes" : "had" });
								}}
							>
								{x.answer === "had" ? "reckon it in after all" : "the recorded stock has it after all"}
							</button>
						)}
					</summary>
					<ul className="mt-1 max-h-40 max-w-[40rem] overflow-y-auto">
						{x.some.map((l) => (
							<li key={l.pos} className="flex justify-between gap-3">
								<span className="code truncate" title={l.line}>
									{l.line}
								</span>
								<Off of={l.quantity} />
							</li>
						))}
						{x.lines > x.some.length && <li className="text-dim">and {count(x.lines - x.some.length)} more</li>}
					</ul>
				</details>
			))}
		</section>
	);
}

import { useMutation } from "@tanstack/react-query";
import { useEffect, useRef, useState } from "react";
import { api, ask, queries, type Schemas } from "../api/client";
import { key } from "../api/keys";
import { when } from "./figures";
import { typing } from "./typing";

type Step = Schemas["Step"];

const stepsOf = (id: number) => ask(api.GET("/api/counts/{count}/steps", { params: { path: { count: id } } }));

/** Whether Ctrl Z is meant for something else: what is being typed (a count that is saved as it stands is not), or an open dialog. */
const forOthers = (e: KeyboardEvent) => {
	const field = e.target as HTMLInputElement;
	const saved = field.dataset?.saved !== undefined && field.value.trim() === field.dataset.saved;
	return (typing(e) && !saved) || field.closest?.("[role=dialog]") != null;
};

/** Ctrl Z undoes one's last step in a count, whichever view it was made in; what it was is said, beside a list of one's last steps. */
export function Steps({ id }: { id: number }) {
	const [said, setSaid] = useState("");
	const [list, setList] = useState<Step[] | null>(null);
	const undo = useMutation({
		mutationFn: (s: Step) => ask(api.POST("/api/counts/{count}/steps/{step}/undo", { params: { path: { count: id, step: s.id } } })),
		onSuccess: async (s) => {
			setSaid(`Undone: ${s.words}.`);
			await Promise.all([queries.invalidateQueries({ queryKey: key.count(id) }), list && stepsOf(id).then(setList)]);
		},
		onError: (e) => setSaid(e.message),
	});
	const last = useMutation({
		mutationFn: () => stepsOf(id),
		onSuccess: (steps) => {
			const s = steps.find((x) => !x.undone);
			if (!s) setSaid("There is no step of yours in this count to undo.");
			else if (s.why) setSaid(`Your last step is not undone by Ctrl Z: ${s.words}. ${s.why}`);
			else if (s.old) {
				setSaid("Your last step here is of another day. Choose what is to be undone.");
				setList(steps);
			} else undo.mutate(s);
		},
		onError: (e) => setSaid(e.message),
	});
	const press = useRef(() => {});
	press.current = () => {
		if (!undo.isPending && !last.isPending) last.mutate();
	};
	useEffect(() => {
		const key = (e: KeyboardEvent) => {
			if (!(e.ctrlKey || e.metaKey) || e.shiftKey || e.key.toLowerCase() !== "z" || forOthers(e)) return;
			e.preventDefault();
			if (!e.repeat) press.current(); // a key held down is one press
		};
		window.addEventListener("keydown", key);
		return () => window.removeEventListener("keydown", key);
	}, []);
	return (
		<div role="status" data-steps>
			{said && (
				<div className="flex flex-wrap items-baseline gap-x-4 border-b border-rule bg-sheet px-4 py-1">
					<span>{said}</span>
					<button
						type="button"
						className="word"
						aria-expanded={list !== null}
						onClick={() => (list ? setList(null) : stepsOf(id).then(setList))}
					>
						your last steps
					</button>
					<button
						type="button"
						className="word ml-auto text-dim"
						onClick={() => {
							setSaid("");
							setList(null);
						}}
					>
						close
					</button>
					{list && (
						<ul className="max-h-56 w-full overflow-y-auto border-t border-hair">
							{list.map((s) => (
								<li key={s.id} className="flex flex-wrap items-baseline gap-x-4 border-b border-hair py-0.5">
									<span className="w-28 shrink-0 text-dim">{when(s.at)}</span>
									<span className={s.undone ? "line-through" : ""}>{s.words}</span>
									{s.undone ? (
										<span className="text-dim">undone</span>
									) : s.why ? (
										<span className="text-dim">{s.why}</span>
									) : (
										<button type="button" className="word" disabled={undo.isPending} onClick={() => undo.mutate(s)}>
											undo
										</button>
									)}
								</li>
							))}
						</ul>
					)}
				</div>
			)}
		</div>
	);
}

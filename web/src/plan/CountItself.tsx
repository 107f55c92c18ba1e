import { useMutation } from "@tanstack/react-query";
import { useState } from "react";
import { useNavigate } from "react-router";
import { api, ask, queries, type Schemas } from "../api/client";
import { key } from "../api/keys";
import { many, Warn } from "../frame/figures";

/** What is done to a running count as a whole: it is called something else, or goes away as it was frozen by mistake. */
export function CountItself({ c }: { c: Schemas["Stages"] }) {
	const navigate = useNavigate();
	const [name, setName] = useState<string | null>(null);
	const [sure, setSure] = useState(false);
	const path = { count: c.id };
	const rename = useMutation({
		mutationFn: (to: string) => ask(api.PUT("/api/counts/{count}/name", { params: { path }, body: { name: to } })),
		onSuccess: () => {
			setName(null);
			queries.invalidateQueries({ queryKey: key.count(c.id) });
			queries.invalidateQueries({ queryKey: key.today });
		},
	});
	const discard = useMutation({
		mutationFn: () => ask(api.POST("/api/counts/{count}/discard", { params: { path }, body: { lines: c.lines } })),
		onSuccess: () => {
			queries.invalidateQueries({ queryKey: key.today });
			navigate("/");
		},
	});
	const error = rename.error ?? discard.error;
	return (
		<>
			{name === null ? (
				<button type="button" className="word" onClick={() => setName(c.name)}>
					Rename
				</button>
			) : (
				<form
					className="flex items-center gap-2"
					onSubmit={(e) => {
						e.preventDefault();
						rename.mutate(name);
					}}
				>
					<input
						autoFocus
						className="w-72"
						value={name}
						onChange={(e) => setName(e.target.value)}
						onKeyDown={(e) => {
							if (e.key === "Escape") setName(null);
						}}
						aria-label="Name of the count"
						maxLength={120}
					/>
					<button type="submit" className="act-plain" disabled={rename.isPending || name.trim() === "" || name.trim() === c.name}>
						Rename
					</button>
				</form>
			)}
			{error && <Warn>{error.message}</Warn>}
			{c.counted === 0 && c.posted === 0 && (
				<span className="ml-auto flex flex-wrap items-center gap-x-3 gap-y-1">
					{sure && (
						<span className="text-warn" data-sure>
							! {many(c.lines, "line", "lines")} and {many(c.sheets, "sheet", "sheets")} go
							{c.sheets_out > 0 && `, ${c.sheets_out} of which ${c.sheets_out === 1 ? "is" : "are"} out with people`}; printed ones are
							void, and it is not undone.
						</span>
					)}
					{sure && (
						<button type="button" className="word" onClick={() => setSure(false)}>
							Keep it
						</button>
					)}
					<button
						type="button"
						className="act-plain"
						disabled={discard.isPending}
						onClick={() => (sure ? discard.mutate() : setSure(true))}
					>
						{sure ? "Discard it for good" : "Discard this count"}
					</button>
				</span>
			)}
		</>
	);
}

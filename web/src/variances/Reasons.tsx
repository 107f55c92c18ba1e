import { useMutation } from "@tanstack/react-query";
import { useState } from "react";
import { api, ask, queries, type Schemas } from "../api/client";
import { key } from "../api/keys";
import { Choice } from "../frame/Frame";
import { Warn } from "../frame/figures";

type Reason = Schemas["ReasonView"];

/** A reason of one's own: its code, what it is called, the account that it goes to, and what it explains. */
export function OwnReason({ known, onDone }: { known: Reason[]; onDone: (code: string) => void }) {
	const [r, setR] = useState<Reason>({ code: "", name: "", account: "", sign: "" });
	const keep = useMutation({
		mutationFn: () => ask(api.PUT("/api/reasons", { body: r })),
		onSuccess: async () => {
			await queries.invalidateQueries({ queryKey: key.reasons });
			onDone(r.code.trim().toUpperCase());
		},
	});
	const same = known.find((k) => k.code === r.code.trim().toUpperCase());
	const field = (of: "code" | "name" | "account", label: string, width: string, more: object = {}) => (
		<label className="flex items-center gap-1.5">
			<span className="text-dim">{label}</span>
			<input
				className={width}
				value={r[of]}
				onChange={(e) => setR({ ...r, [of]: e.target.value })}
				aria-label={`Reason: ${label}`}
				{...more}
			/>
		</label>
	);
	return (
		<form
			className="flex flex-wrap items-center gap-x-4 gap-y-1 border-t border-ink bg-sheet px-3 py-2"
			data-own-reason
			onSubmit={(e) => {
				e.preventDefault();
				keep.mutate();
			}}
			onKeyDown={(e) => {
				if (e.key === "Escape") onDone("");
			}}
		>
			{field("code", "code", "code w-28", { autoFocus: true, maxLength: 24 })}
			{field("name", "name", "w-56", { maxLength: 120 })}
			{field("account", "account", "code w-24", { maxLength: 40 })}
			<Choice<Reason["sign"]>
				label="What it explains"
				value={r.sign}
				of={[
					["", "over and short"],
					["short", "what is short"],
					["over", "what is over"],
				]}
				onChange={(sign) => setR({ ...r, sign })}
			/>
			<button type="submit" className="act-plain ml-auto" disabled={r.code.trim() === "" || r.name.trim() === "" || keep.isPending}>
				{same ? `Change ${same.code}` : "Keep this reason"}
			</button>
			{keep.error && <Warn>{keep.error.message}</Warn>}
		</form>
	);
}

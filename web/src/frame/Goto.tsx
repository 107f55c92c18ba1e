import { Combobox, ComboboxInput, ComboboxOption, ComboboxOptions, Dialog, DialogPanel } from "@headlessui/react";
import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { useNavigate } from "react-router";
import { api, ask } from "../api/client";
import { key } from "../api/keys";
import { usePerson } from "./Frame";
import { itemPath } from "./figures";

type Place = { to: string; name: string; about: string };

const stages = ["recorded", "plan", "sheets", "counting", "variances", "adjustments", "report"];

/** Goes anywhere by typing: every word typed has to be in the name. */
export function Goto({ onClose }: { onClose: () => void }) {
	const navigate = useNavigate();
	const [text, setText] = useState("");
	const person = usePerson();
	const hits = useQuery({
		queryKey: key.find(text.trim()),
		enabled: text.trim().length > 1,
		placeholderData: (before) => before,
		queryFn: () => ask(api.GET("/api/find", { params: { query: { text: text.trim() } } })),
	});
	const today = useQuery({ queryKey: key.today, queryFn: () => ask(api.GET("/api/today")) });
	const places: Place[] = [
		{ to: "/", name: "Today", about: "what wants a hand" },
		{ to: "/intake", name: "Intake", about: "take files in" },
		{ to: "/layouts", name: "Layouts", about: "how files are read" },
		{ to: "/reference/items", name: "Items", about: "all of them, changed in place" },
		{ to: "/reference/places", name: "Places", about: "warehouses and bins" },
		{ to: "/reference/movements", name: "Movements", about: "as they were taken in" },
		{ to: "/reference/reasons", name: "Reasons", about: "what variances are put down to" },
		...(person.role === "controller"
			? [
					{ to: "/plan", name: "Plan a new count", about: "" },
					{ to: "/safety", name: "Backups", about: "kept, proved, put back" },
					{ to: "/record", name: "Record", about: "who did what" },
					...(today.data?.warehouses ?? []).flatMap((w) => [
						{ to: `/plan?warehouse=${w.id}`, name: `Plan a count of ${w.code}`, about: "" },
						{ to: `/rotation/${w.id}`, name: `Rotation of ${w.code}`, about: "" },
					]),
				]
			: []),
		...(person.owner ? [{ to: "/people", name: "People", about: "who works here" }] : []),
		{ to: "/me", name: "Your password and sessions", about: person.name },
		...(today.data?.warehouses ?? []).map((w) => ({ to: `/stock/${w.id}`, name: `Stock of ${w.code}`, about: `${w.lines} lines` })),
		...(today.data?.counts ?? []).flatMap((c) =>
			stages.map((s) => ({ to: `/counts/${c.id}/${s}`, name: `${c.name} · ${s[0]?.toUpperCase()}${s.slice(1)}`, about: c.state })),
		),
	];
	const wanted = text.toLowerCase().split(/\s+/).filter(Boolean);
	const found: Place[] = (text.trim().length > 1 ? (hits.data ?? []) : []).map((h) => ({
		to:
			h.kind === "item"
				? itemPath(h.code)
				: h.kind === "bin"
					? `/stock/${h.id}?${new URLSearchParams({ text: h.code })}`
					: h.kind === "person"
						? `/record?${new URLSearchParams({ person: h.code })}`
						: `/counts/${h.id}/counting/${h.sheet}`,
		name: h.code,
		about: h.kind === "bin" ? `bin, ${h.about}` : h.about,
	}));
	const by = places.filter((p) => wanted.every((w) => `${p.name} ${p.about}`.toLowerCase().includes(w)));
	// What has the text as its code goes first, then what begins with it, then places of the program, then what only has it in it.
	const typed = text.trim().toLowerCase();
	const rank = (p: Place) => (p.name.toLowerCase() === typed ? 0 : p.name.toLowerCase().startsWith(typed) ? 1 : 3);
	const shown = [...found.map((p) => ({ p, rank: rank(p) })), ...by.slice(0, found.length > 0 ? 7 : 14).map((p) => ({ p, rank: 2 }))]
		.sort((a, b) => a.rank - b.rank)
		.map(({ p }) => p)
		.slice(0, 16);
	return (
		<Dialog open onClose={onClose} className="relative z-50">
			<div className="fixed inset-0 bg-ink/30" aria-hidden="true" />
			<div className="fixed inset-0 flex justify-center pt-24">
				<DialogPanel className="h-fit w-[560px] max-w-full border border-ink bg-paper">
					<Combobox
						immediate
						onChange={(p: Place | null) => {
							if (!p) return;
							onClose();
							navigate(p.to);
						}}
					>
						<ComboboxInput
							autoFocus
							className="w-full border-0 border-b border-ink bg-sheet px-4 py-2 text-[15px]"
							placeholder="A page, a count, an item, a barcode, a bin, a sheet"
							aria-label="Go to"
							onChange={(e) => setText(e.target.value)}
						/>
						<ComboboxOptions static className="py-1">
							{shown.map((p) => (
								<ComboboxOption
									key={p.to}
									value={p}
									className="flex justify-between gap-4 px-4 py-1 data-focus:bg-ink data-focus:text-on-ink"
								>
									<span className="whitespace-nowrap">{p.name}</span>
									<span className="truncate opacity-70">{p.about}</span>
								</ComboboxOption>
							))}
							{shown.length === 0 && <div className="px-4 py-2 text-dim">Nothing goes by that.</div>}
						</ComboboxOptions>
					</Combobox>
				</DialogPanel>
			</div>
		</Dialog>
	);
}

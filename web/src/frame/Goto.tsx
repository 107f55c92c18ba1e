import { Combobox, ComboboxInput, ComboboxOption, ComboboxOptions, Dialog, DialogPanel } from "@headlessui/react";
import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { useNavigate } from "react-router";
import { api, ask } from "../api/client";
import { key } from "../api/keys";

type Place = { to: string; name: string; about: string };

const stages = ["recorded", "plan", "sheets", "counting", "variances", "adjustments", "report"];

/** Goes anywhere by typing: every word typed has to be in the name. */
export function Goto({ onClose }: { onClose: () => void }) {
	const navigate = useNavigate();
	const [text, setText] = useState("");
	const today = useQuery({ queryKey: key.today, queryFn: () => ask(api.GET("/api/today")) });
	const places: Place[] = [
		{ to: "/", name: "Today", about: "what wants a hand" },
		{ to: "/intake", name: "Intake", about: "take files in" },
		{ to: "/layouts", name: "Layouts", about: "how files are read" },
		{ to: "/plan", name: "Plan a new count", about: "" },
		...(today.data?.warehouses ?? []).map((w) => ({ to: `/stock/${w.id}`, name: `Stock of ${w.code}`, about: `${w.lines} lines` })),
		...(today.data?.counts ?? []).flatMap((c) =>
			stages.map((s) => ({ to: `/counts/${c.id}/${s}`, name: `${c.name} · ${s[0]?.toUpperCase()}${s.slice(1)}`, about: c.state })),
		),
	];
	const wanted = text.toLowerCase().split(/\s+/).filter(Boolean);
	const shown = places.filter((p) => wanted.every((w) => `${p.name} ${p.about}`.toLowerCase().includes(w))).slice(0, 12);
	return (
		<Dialog open onClose={onClose} className="relative z-50">
			<div className="fixed inset-0 bg-ink/30" aria-hidden="true" />
			<div className="fixed inset-0 flex justify-center pt-24">
				<DialogPanel className="h-fit w-[520px] border border-ink bg-paper">
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
							placeholder="Go to…"
							aria-label="Go to"
							onChange={(e) => setText(e.target.value)}
						/>
						<ComboboxOptions static className="py-1">
							{shown.map((p) => (
								<ComboboxOption key={p.to} value={p} className="flex justify-between px-4 py-1 data-focus:bg-ink data-focus:text-on-ink">
									<span>{p.name}</span>
									<span className="opacity-70">{p.about}</span>
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

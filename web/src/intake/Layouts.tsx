import { useMutation, useQuery } from "@tanstack/react-query";
import { useRef, useState } from "react";
import { api, ask, queries, type Schemas } from "../api/client";
import { key } from "../api/keys";
import { Stage } from "../frame/Frame";
import { BeingRead, count, Empty, many, Warn, when } from "../frame/figures";
import { kindWord } from "./settling";

type View = Schemas["LayoutView"];

const again = () => queries.invalidateQueries({ queryKey: key.layouts });

/** Saved layouts: what each reads and how; copied, changed as text, exported and imported. */
export function Layouts() {
	const q = useQuery({ queryKey: key.layouts, queryFn: () => ask(api.GET("/api/layouts")) });
	const [at, setAt] = useState("");
	const [wrong, setWrong] = useState("");
	const input = useRef<HTMLInputElement>(null);
	const list = q.data ?? [];
	const view = list.find((l) => l.name === at) ?? list[0];
	const take = async (file: File) => {
		setWrong("");
		try {
			const layout = JSON.parse(await file.text());
			const name = layout.name || file.name.replace(/\.json$/, "");
			await ask(api.PUT("/api/layouts/{name}", { params: { path: { name } }, body: layout }));
			setAt(name);
			again();
		} catch (e) {
			setWrong(`${file.name}: ${(e as Error).message}`);
		}
	};
	if (!q.data) return <BeingRead what="The list of layouts" of={[q]} />;
	return (
		<Stage
			foot={
				<>
					<span>
						<b>{count(list.length)}</b> {list.length === 1 ? "layout" : "layouts"}
					</span>
					{wrong && <Warn>{wrong}</Warn>}
					<span className="ml-auto flex items-center gap-3">
						<a className="word" href="/api/layout.schema.json" download>
							The schema of layouts
						</a>
						<button type="button" className="act-plain" onClick={() => input.current?.click()}>
							Import a layout…
						</button>
						<input
							ref={input}
							type="file"
							accept=".json,application/json"
							className="hidden"
							aria-label="A layout's file"
							onChange={(e) => {
								const file = e.target.files?.[0];
								e.target.value = "";
								if (file) take(file);
							}}
						/>
					</span>
				</>
			}
			keys={[["Ctrl K", "go anywhere"]]}
		>
			{!view ? (
				<Empty title="No layouts yet">
					A layout is saved on the intake of a file: it keeps which column is which field, in what form, and what was settled about values.
					The next file of the same shape then needs no questions.
				</Empty>
			) : (
				<div className="flex min-h-0 flex-1">
					<div className="w-72 shrink-0 overflow-y-auto border-r border-rule py-2" role="tablist" aria-label="Layouts">
						{list.map((l) => (
							<button
								key={l.name}
								type="button"
								role="tab"
								aria-selected={l.name === view.name}
								onClick={() => setAt(l.name)}
								className={`block w-full border-b border-hair px-4 py-1.5 text-left ${l.name === view.name ? "bg-sheet font-semibold" : ""}`}
							>
								{l.name}
								<span className="block font-normal text-dim">
									{kindWord[l.kind]} · {l.used_at ? `used ${when(l.used_at)}` : `saved ${when(l.at)} by ${l.person}`}
								</span>
							</button>
						))}
					</div>
					<One key={view.name + view.at} view={view} onName={setAt} />
				</div>
			)}
		</Stage>
	);
}

function One({ view, onName }: { view: View; onName: (name: string) => void }) {
	const [text, setText] = useState(() => JSON.stringify(view.layout, null, 2));
	const [name, setName] = useState(view.name);
	const l = view.layout;
	const put = useMutation({
		mutationFn: async (to: string) => {
			let body: Schemas["Layout"];
			try {
				body = JSON.parse(text);
			} catch (e) {
				throw new Error(`It is no JSON: ${(e as Error).message}`);
			}
			await ask(api.PUT("/api/layouts/{name}", { params: { path: { name: to } }, body: { ...body, name: to } }));
			return to;
		},
		onSuccess: (to) => {
			onName(to);
			again();
		},
	});
	const drop = useMutation({
		mutationFn: () => ask(api.DELETE("/api/layouts/{name}", { params: { path: { name: view.name } } })),
		onSuccess: again,
	});
	return (
		<div className="flex min-w-0 flex-1 flex-col px-5 py-3">
			<h1>{view.name}</h1>
			<p className="text-dim">
				Reads {kindWord[view.kind]}
				{l.header === -1 ? ", without a header" : ""}: {many((l.columns ?? []).filter((c) => c.field !== "-").length, "field", "fields")}
				{l.filter ? ", a row filter" : ""}
				{(l.matches?.length ?? 0) > 0 ? `, ${many(l.matches?.length ?? 0, "matched value", "matched values")}` : ""}
				{(l.repairs?.length ?? 0) > 0 ? `, ${many(l.repairs?.length ?? 0, "repair", "repairs")}` : ""}.
			</p>
			<table className="mt-2 w-full">
				<tbody>
					{(l.columns ?? [])
						.filter((c) => c.field !== "-")
						.slice(0, 14)
						.map((c, i) => (
							<tr key={i} className="border-b border-hair">
								<td className="code py-0.5 pr-3">{c.formula ? `= ${c.formula}` : c.fixed ? `“${c.fixed}”` : c.header || c.column}</td>
								<td className="pr-3">{c.field?.replaceAll("_", " ")}</td>
								<td className="text-dim">
									{[
										c.decimal === "," && "decimal comma",
										c.order && { ymd: "year first", dmy: "day first", mdy: "month first" }[c.order],
										c.time && `dates mean ${c.time}`,
										c.fill === "down" && "filled down",
										c.default && `empty is ${c.default}`,
										c.signs?.length && `without ${c.signs.join(", ")}`,
										c.minus && "minus at the end, brackets",
									]
										.filter(Boolean)
										.join(" · ")}
								</td>
							</tr>
						))}
				</tbody>
			</table>
			<label className="mt-3 flex min-h-0 flex-1 flex-col">
				<span className="text-dim">The whole layout as text, to be changed</span>
				<textarea
					className="code min-h-32 flex-1 resize-none p-2"
					spellCheck={false}
					value={text}
					onChange={(e) => setText(e.target.value)}
				/>
			</label>
			{(put.error ?? drop.error) && (
				<div className="mt-2">
					<Warn>{(put.error ?? drop.error)?.message}</Warn>
				</div>
			)}
			<div className="mt-2 flex items-center gap-3">
				<button type="button" className="act" disabled={put.isPending} onClick={() => put.mutate(view.name)}>
					Keep the changes
				</button>
				<input className="w-56" aria-label="Name of the copy" value={name} onChange={(e) => setName(e.target.value)} />
				<button
					type="button"
					className="act-plain"
					disabled={put.isPending || !name.trim() || name === view.name}
					onClick={() => put.mutate(name.trim())}
				>
					Save a copy under this name
				</button>
				<a className="word" href={`/api/layouts/${encodeURIComponent(view.name)}/file`} download>
					Export
				</a>
				<button type="button" className="word ml-auto" onClick={() => drop.mutate()}>
					Forget this layout
				</button>
			</div>
		</div>
	);
}

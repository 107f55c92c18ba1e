import { useMutation, useQuery } from "@tanstack/react-query";
import { Fragment, useMemo, useState } from "react";
import { useNavigate, useSearchParams } from "react-router";
import { api, ask, queries, type Schemas, workKey, zone } from "../api/client";
import { key } from "../api/keys";
import { Elevation, type Look, useElevation } from "../elevation/Elevation";
import { Choice, Stage } from "../frame/Frame";
import { age, BeingRead, count, Empty, hours, many, plain, Warn, when } from "../frame/figures";
import { useWarehouses } from "../recorded/Recorded";
import { Further, together, useFurther } from "./Further";
import { namesIn } from "./names";
import { all, type Draw, Part, sampleOf } from "./Part";
import { isWhole, type Rule, Rules } from "./Rules";

type Limits = { quantity: string; percent: string; value: string };
/** A class with limits of its own does not have those of other items. */
const own = (l?: Limits) => l !== undefined && (l.quantity !== "" || l.percent !== "" || l.value !== "");
/** What items have by themselves that may stand on sheets. */
const ownColumns = ["Barcode", "Further SKU", "Category", "Class", "Packs"].map((c) => `item.${c}`);
const noLimits: Limits = { quantity: "", percent: "", value: "" };

/** A new count: what to count, how, and the tally that follows each choice; then freeze and cut. */
export function NewCount() {
	const [search] = useSearchParams();
	const houses = useWarehouses();
	const [picked, setPicked] = useState(Number(search.get("warehouse")) || 0);
	if (!houses.data) return <BeingRead what="The plan" of={[houses]} />;
	const house = houses.data.find((h) => h.id === picked) ?? houses.data.find((h) => h.lines > 0) ?? houses.data.find((h) => h.bins > 0);
	if (!house)
		return (
			<Empty title="There is nothing to count yet">
				Take a stock export in first; where nothing is recorded yet, the items and the places that are to be counted.
			</Empty>
		);
	return <NewCountIn key={house.id} house={house} houses={houses.data} onHouse={setPicked} />;
}

function NewCountIn({
	house,
	houses,
	onHouse,
}: {
	house: Schemas["WarehouseView"];
	houses: Schemas["WarehouseView"][];
	onHouse: (id: number) => void;
}) {
	const navigate = useNavigate();
	const tiles = useElevation(house.id);
	const [zones, setZones] = useState<Set<string>>(new Set());
	const [bins, setBins] = useState<Set<number>>(new Set());
	const [rows, setRows] = useState("60");
	const [fill, setFill] = useState("5");
	const first = house.lines === 0; // nothing is recorded: sheets have rows to fill in for each bin
	const [blind, setBlind] = useState<"open" | "blind">("blind");
	const [search] = useSearchParams();
	const portion = search.get("portion") === "today" && house.rotation;
	const [named, setName] = useState<string | null>(null);
	const [limits, setLimits] = useState<Record<string, Limits>>({}); // by class; those of the count under ""
	const [passed, setPassed] = useState<"stay" | "decide">("stay");
	const [rules, setRules] = useState<Rule[]>([]);
	const [leave, setLeave] = useState({ zero: false, empty: false });
	const [by, setBy] = useState<"zone" | "size" | "people">("zone");
	const [people, setPeople] = useState(house.crew.join(", "));
	const [crews, setCrews] = useState<Record<number, string>>({}); // of further warehouses, where they are others
	const [walk, setWalk] = useState<"up and down" | "each aisle">(house.walk === "each aisle" ? "each aisle" : "up and down");
	const [order, setOrder] = useState(""); // what rows stand by where nothing says bins
	const [draw, setDraw] = useState<Draw>(() => ({ ...all(), how: portion ? "rotation" : "" }));
	const [further, setFurther] = useState<number[]>([]); // warehouses that are counted at the same time
	const day = new Intl.DateTimeFormat("en-GB", { day: portion ? "numeric" : undefined, month: "long", year: "numeric" }).format(new Date());
	const name = named ?? (further.length > 0 ? day : `${house.code}, ${day}`);
	const [rounds, setRounds] = useState<"1" | "2">("1");
	const [keepAs, setKeepAs] = useState("");
	const [kept, setKept] = useState<Record<string, string>>({}); // attribute to the value that lines must have
	const [columns, setColumns] = useState<Set<string>>(new Set()); // attributes on sheets and in files out
	const [once] = useState(workKey);
	const most = Math.max(1, Math.min(5000, Number.parseInt(rows, 10) || 60));
	const empty = Math.max(1, Math.min(100, Number.parseInt(fill, 10) || 5));
	const scope: Schemas["Scope"] = {
		warehouse: house.id,
		zones: bins.size > 0 ? undefined : [...zones],
		bins: [...bins],
		kept: Object.entries(kept)
			.filter(([, v]) => v)
			.map(([attribute, v]) => ({ attribute, values: [v] })),
		rules: rules.filter(isWhole),
		sample: sampleOf(draw),
		rotation: draw.how === "rotation" || undefined,
		leave_zero: leave.zero || undefined,
		leave_empty: leave.empty || undefined,
	};
	const names = namesIn(people);
	const crewOf = (h: Schemas["WarehouseView"]) => crews[h.id] ?? (h.crew.length > 0 ? h.crew.join(", ") : people);
	const elsewhere = houses.filter((h) => further.includes(h.id));
	const crewed = Object.fromEntries(by === "people" ? elsewhere.map((h) => [h.id, namesIn(crewOf(h))]) : []);
	const cut = {
		rows: most,
		empty,
		walk,
		by: by === "people" && names.length === 0 ? ("zone" as const) : by,
		order: order || undefined,
		for: by === "people" ? names : undefined,
	};
	const tally = useQuery({
		queryKey: key.tally(house.id, JSON.stringify(scope), JSON.stringify(cut)),
		queryFn: () => ask(api.POST("/api/plan/tally", { body: { scope, ...cut } })),
		placeholderData: (before) => before,
	});
	const others = useFurther(further, scope, cut, crewed);
	const sum = together([tally.data, ...others.map((o) => o.data)]);
	const lacking = others.find((o) => o.error || o.data?.lines === 0);
	const freeze = useMutation({
		mutationFn: () =>
			ask(
				api.POST("/api/counts", {
					body: {
						key: once,
						name,
						scope,
						rounds: rounds === "2" ? 2 : undefined,
						further: further.length > 0 ? further : undefined,
						crews: crewed,
						blind: blind === "blind",
						...cut,
						zone: zone(),
						columns: [...columns],
						tolerance_quantity: limits[""]?.quantity || undefined,
						tolerance_percent: limits[""]?.percent || undefined,
						tolerance_value: limits[""]?.value || undefined,
						classes: Object.fromEntries(
							Object.entries(limits)
								.filter(([c, l]) => c && own(l))
								.map(([c, l]) => [c, { quantity: l.quantity || undefined, percent: l.percent || undefined, value: l.value || undefined }]),
						),
						post_tolerated: passed === "decide",
					},
				}),
			),
		onSuccess: (made) => {
			queries.invalidateQueries();
			navigate(further.length > 0 ? `/together/${made.id}` : `/counts/${made.id}/sheets`);
		},
	});
	const within = useMemo(() => {
		const t = tally.data;
		return t && t.bin_ids.length === t.bins ? new Set(t.bin_ids) : undefined;
	}, [tally.data]);
	const narrowed = draw.how !== "" || rules.some(isWhole) || Object.values(kept).some(Boolean) || leave.empty || leave.zero;
	const inScope = (t: { id: number; zone: string }) =>
		narrowed && within ? within.has(t.id) : bins.size > 0 ? bins.has(t.id) : zones.size === 0 || zones.has(t.zone);
	const look = (t: { id: number; zone: string }): Look => ({
		fill: inScope(t) ? "ink" : "none",
		words: inScope(t) ? "in scope" : "not in scope",
	});
	const t = tally.data;
	const whole = useQuery({
		queryKey: key.tally(house.id, "kept"),
		queryFn: () => ask(api.POST("/api/plan/tally", { body: { scope: { warehouse: house.id }, rows: 5000 } })),
	});
	const scopes = useQuery({ queryKey: key.scopes, queryFn: () => ask(api.GET("/api/scopes")) });
	const keep = useMutation({
		mutationFn: () => ask(api.POST("/api/scopes", { body: { name: keepAs, scope } })),
		onSuccess: () => {
			setKeepAs("");
			queries.invalidateQueries({ queryKey: key.scopes });
		},
	});
	/** Takes the choices of a kept scope; those that this warehouse has not are let go. */
	const use = (sc: Schemas["Scope"]) => {
		setZones(new Set((sc.zones ?? []).filter((z) => house.zones.includes(z))));
		setBins(new Set(sc.warehouse === house.id ? (sc.bins ?? []) : []));
		setKept(Object.fromEntries((sc.kept ?? []).map((k) => [k.attribute, k.values[0] ?? ""])));
		setRules(sc.rules ?? []);
		setLeave({ zero: Boolean(sc.leave_zero), empty: Boolean(sc.leave_empty) });
		setDraw({ ...draw, how: sc.sample?.by ?? (sc.rotation && house.rotation ? "rotation" : "") });
	};
	const classes = useQuery({ queryKey: key.classes, queryFn: () => ask(api.GET("/api/classes")) });
	const attributes = whole.data?.kept ?? [];
	const left = t ? t.left_out.services + t.left_out.inactive + t.left_out.parents : 0;
	const limit = (of: string, k: keyof Limits, words: string) => (
		<input
			className="code w-full text-right"
			inputMode="decimal"
			value={limits[of]?.[k] ?? ""}
			placeholder={(of && !own(limits[of]) && limits[""]?.[k]) || "none"}
			onChange={(e) => setLimits({ ...limits, [of]: { ...noLimits, ...limits[of], [k]: e.target.value } })}
			aria-label={`Tolerance${of && ` of class ${of}`}: ${words}`}
		/>
	);
	return (
		<Stage
			side={
				<div className="flex min-h-0 flex-1 flex-col px-3 py-2">
					<h2 className="mb-1">Pick bins on the racks, or zones at the left</h2>
					{tiles.data && (
						<Elevation
							tiles={tiles.data}
							look={look}
							chosen={bins}
							onChoose={(b) => {
								setFurther([]); // bins are those of one warehouse
								setBins(new Set(b));
							}}
							legend={[
								["ink", undefined, "in scope"],
								["none", undefined, "not in scope"],
							]}
						/>
					)}
				</div>
			}
			foot={
				<>
					{first ? (
						<span data-tally>
							<b>{count(t?.empty ?? 0)}</b> bins with rows to fill in; what is counted in them is found
						</span>
					) : further.length > 0 ? (
						<span data-tally>
							<b>{count(sum.lines)}</b> lines in <b>{count(sum.bins)}</b> bins of {count(further.length + 1)} warehouses
							{sum.seconds > 0 && (
								<span data-hours>
									{" "}
									· about <b>{hours(sum.seconds * Number(rounds))}</b> of work
								</span>
							)}
						</span>
					) : (
						<span data-tally>
							<b>{count(t?.lines ?? 0)}</b> lines in <b>{count(t?.bins ?? 0)}</b> {t?.bins === 1 ? "bin" : "bins"},{" "}
							{many(t?.items ?? 0, "item", "items")}, worth <b className="code">{plain(t?.value)}</b>
							{t && t.unvalued > 0 && <span className="text-dim"> · {count(t.unvalued)} without a cost</span>}
							{t && t.seconds > 0 && (
								<span
									data-hours
									title={t.paced ? "By the pace of earlier counts here" : "By a usual pace: no earlier count here has shown another"}
								>
									{" "}
									· about <b>{hours(t.seconds * Number(rounds))}</b> of work
								</span>
							)}
						</span>
					)}
					{freeze.error && <Warn>{freeze.error.message}</Warn>}
					{!freeze.error && lacking && (
						<Warn>
							{lacking.error?.message ??
								`There is nothing to count in ${houses.find((h) => h.id === further[others.indexOf(lacking)])?.code}.`}
						</Warn>
					)}
					<button
						type="button"
						className="act ml-auto"
						disabled={!t || t.lines + t.empty === 0 || !sum.known || Boolean(lacking) || freeze.isPending || tally.isPlaceholderData}
						onClick={() => freeze.mutate()}
					>
						{first ? "Begin a first count" : `Freeze ${many(sum.lines, "line", "lines")}`} and cut{" "}
						{many(sum.sheets * (rounds === "2" ? 2 : 1), "sheet", "sheets")}
					</button>
				</>
			}
			keys={[
				["E", "elevation"],
				["Tab", "from choice to choice"],
				["?", "all keys"],
			]}
		>
			<div className="min-h-0 flex-1 overflow-y-auto px-6 py-4">
				<h1>Plan a new count</h1>
				<div className="mt-3 grid max-w-4xl grid-cols-[9rem_1fr] gap-x-6 gap-y-4 border-t border-ink pt-3">
					<h2>Name</h2>
					<input className="w-96" value={name} onChange={(e) => setName(e.target.value)} aria-label="Name of the count" maxLength={120} />
					<h2>What</h2>
					<div>
						<Choice
							label="Warehouse"
							value={String(house.id)}
							of={houses.filter((h) => h.lines > 0 || h.bins > 0).map((h) => [String(h.id), h.code])}
							onChange={(v) => onHouse(Number(v))}
						/>
						{!first && (
							<Further
								houses={houses.filter((h) => h.id !== house.id && h.lines > 0)}
								chosen={further}
								onChange={(list) => {
									setFurther(list);
									if (list.length > 0) {
										setZones(new Set());
										setBins(new Set());
									}
								}}
							/>
						)}
						<div className="mt-2 flex flex-wrap gap-x-5 gap-y-1">
							{house.zones.map((z) => (
								<label key={z} className="flex items-center gap-1.5">
									<input
										type="checkbox"
										checked={bins.size === 0 && (zones.size === 0 || zones.has(z))}
										disabled={bins.size > 0 || further.length > 0}
										onChange={() => {
											const next = new Set(zones.size === 0 ? house.zones : zones);
											if (!next.delete(z)) next.add(z);
											setZones(next.size === house.zones.length ? new Set() : next);
										}}
									/>
									{z}
								</label>
							))}
						</div>
						{bins.size > 0 && (
							<p className="mt-1 text-dim">
								{many(bins.size, "bin", "bins")} picked on the racks.{" "}
								<button type="button" className="word" onClick={() => setBins(new Set())}>
									Let them go
								</button>
							</p>
						)}
						{attributes.length > 0 && (
							<div className="mt-2 flex flex-wrap gap-x-5 gap-y-1" data-kept>
								{attributes.map((a) => (
									<label key={a.attribute} className="flex items-center gap-1.5">
										{a.attribute.replace(/^(item|line)\./, "")}
										<select value={kept[a.attribute] ?? ""} onChange={(e) => setKept({ ...kept, [a.attribute]: e.target.value })}>
											<option value="">any</option>
											{a.values.map((v) => (
												<option key={v.zone} value={v.zone}>
													{v.zone} ({v.lines})
												</option>
											))}
										</select>
									</label>
								))}
							</div>
						)}
						{!first && <Rules rules={rules} onChange={setRules} unknown={t?.unknown ?? []} unknownN={t?.unknown_n ?? 0} />}
						{!first && (
							<div className="mt-2 flex flex-wrap gap-x-5 gap-y-1" data-nothing>
								<label className="flex items-center gap-1.5">
									<input type="checkbox" checked={!leave.zero} onChange={() => setLeave({ ...leave, zero: !leave.zero })} />
									lines that are recorded at zero
								</label>
								{rules.length === 0 && !draw.how && (
									<label className="flex items-center gap-1.5">
										<input type="checkbox" checked={!leave.empty} onChange={() => setLeave({ ...leave, empty: !leave.empty })} />
										bins that are recorded as empty{t && t.empty > 0 ? ` (${count(t.empty)})` : ""}: somebody must look
									</label>
								)}
							</div>
						)}
						{!first && <Part draw={draw} house={house} tally={t} error={tally.error} onChange={setDraw} />}
						{!first && (
							<div className="mt-2 flex flex-wrap items-center gap-x-3 gap-y-1" data-scopes>
								{(scopes.data ?? []).length > 0 && (
									<select
										value=""
										aria-label="Use a kept scope"
										onChange={(e) => {
											const one = scopes.data?.find((x) => String(x.id) === e.target.value);
											if (one) use(one.scope);
										}}
									>
										<option value="">Use a kept scope…</option>
										{scopes.data?.map((x) => (
											<option key={x.id} value={x.id}>
												{x.name}
											</option>
										))}
									</select>
								)}
								<form
									className="flex items-center gap-2"
									onSubmit={(e) => {
										e.preventDefault();
										keep.mutate();
									}}
								>
									<input
										className="w-44"
										value={keepAs}
										onChange={(e) => setKeepAs(e.target.value)}
										placeholder="a name"
										aria-label="Name to keep this scope by"
										maxLength={120}
									/>
									<button type="submit" className="act-plain" disabled={keepAs.trim() === "" || keep.isPending}>
										Keep this scope
									</button>
								</form>
								{keep.error && <Warn>{keep.error.message}</Warn>}
							</div>
						)}
						{t && t.elsewhere > 0 && (
							<p className="mt-2" data-elsewhere>
								<b className="text-warn">!</b> {many(t.elsewhere, "of these lines is", "of these lines are")} on sheets of a count that
								runs, and not counted there yet.
							</p>
						)}
						{t && t.sent_out > 0 && (
							<p className="mt-2" data-sent-out>
								<b className="text-warn">!</b> Of {many(t.sent_out, "of these lines", "of these lines")} a count sent something out since
								this stock was recorded. Take in a newer export first, or say at the variances whether the records had it.
							</p>
						)}
						{t && left > 0 && (
							<p className="mt-2" data-left-out>
								Left out, as nothing can be counted there: {many(t.left_out.services, "service", "services")},{" "}
								{many(t.left_out.parents, "grouping parent", "grouping parents")},{" "}
								{many(t.left_out.inactive, "inactive item without stock", "inactive items without stock")}.
							</p>
						)}
					</div>
					<h2>How</h2>
					<div className="flex flex-col gap-2">
						{!first && (
							<Choice
								label="Recorded quantity"
								value={blind}
								of={[
									["blind", "blind: sheets do not show what is recorded"],
									["open", "open: they do"],
								]}
								onChange={setBlind}
							/>
						)}
						{!first && (
							<Choice
								label="Rounds"
								value={rounds}
								of={[
									["1", "each line is counted once"],
									["2", "twice, by different people who must agree"],
								]}
								onChange={setRounds}
							/>
						)}
						<Choice
							label="Sheets"
							value={by}
							of={[
								["zone", "each zone by itself"],
								["size", "by rows alone"],
								["people", "a stretch for each person"],
							]}
							onChange={setBy}
						/>
						{by === "people" && (
							<label className="flex items-center gap-2">
								Who counts{" "}
								<input
									className="w-96"
									value={people}
									onChange={(e) => setPeople(e.target.value)}
									placeholder="names, apart by commas"
									aria-label="Who counts"
								/>
							</label>
						)}
						{by === "people" &&
							elsewhere.map((h) => (
								<label key={h.id} className="flex items-center gap-2">
									in <span className="code">{h.code}</span>{" "}
									<input
										className="w-96"
										value={crewOf(h)}
										onChange={(e) => setCrews({ ...crews, [h.id]: e.target.value })}
										placeholder="names, apart by commas"
										aria-label={`Who counts in ${h.code}`}
									/>
								</label>
							))}
						{house.bins === 1 && (
							<label className="flex items-center gap-2">
								Rows stand by
								<select value={order} onChange={(e) => setOrder(e.target.value)} aria-label="What rows stand by">
									<option value="">SKU</option>
									<option value="category">category</option>
									{attributes.map((a) => (
										<option key={a.attribute} value={a.attribute}>
											{a.attribute.replace(/^(line|item)\./, "")}
										</option>
									))}
								</select>
							</label>
						)}
						<label className="flex items-center gap-2">
							At most{" "}
							<input
								className="code w-16 text-right"
								inputMode="numeric"
								value={rows}
								onChange={(e) => setRows(e.target.value)}
								aria-label="Rows on a sheet"
							/>{" "}
							rows on a sheet; a bin is never parted
						</label>
						<Choice
							label="Walk"
							value={walk}
							of={[
								["up and down", "up one aisle, down the next"],
								["each aisle", "each aisle from its first bay"],
							]}
							onChange={setWalk}
						/>
						{first && (
							<label className="flex items-center gap-2">
								<input
									className="code w-16 text-right"
									inputMode="numeric"
									value={fill}
									onChange={(e) => setFill(e.target.value)}
									aria-label="Rows to fill in for each bin"
								/>{" "}
								rows to fill in for each bin
							</label>
						)}
						<div className="flex flex-wrap items-center gap-x-4" data-columns>
							<span>On the sheets and in files out, too, in this order:</span>
							{[...attributes.map((a) => a.attribute), ...ownColumns.filter((c) => !attributes.some((a) => a.attribute === c))].map((c) => (
								<label key={c} className="flex items-center gap-1.5">
									<input
										type="checkbox"
										checked={columns.has(c)}
										onChange={() => {
											const next = new Set(columns);
											if (!next.delete(c)) next.add(c);
											setColumns(next);
										}}
									/>
									{c.replace(/^(item|line)\./, "")}
									{columns.has(c) && <b className="code">{[...columns].indexOf(c) + 1}</b>}
								</label>
							))}
						</div>
					</div>
					{!first && (
						<>
							<h2>Let pass</h2>
							<div>
								<div className="mb-2 grid w-max grid-cols-[repeat(4,auto)] items-center gap-x-4 gap-y-1" data-limits>
									<span />
									<span className="text-right text-dim">units</span>
									<span className="text-right text-dim">% of what is expected</span>
									<span className="text-right text-dim">of value at most</span>
									{["", ...(classes.data ?? [])].map((c) => (
										<Fragment key={c}>
											<span>{c ? `class ${c}` : (classes.data ?? []).length > 0 ? "other items" : "any item"}</span>
											{limit(c, "quantity", "units")}
											{limit(c, "percent", "% of what is expected")}
											{limit(c, "value", "of value at most")}
										</Fragment>
									))}
								</div>
								<Choice
									label="What is let pass"
									value={passed}
									of={[
										["stay", "what is let pass stays as recorded"],
										["decide", "it wants a decision and goes out, too"],
									]}
									onChange={setPassed}
								/>
							</div>
						</>
					)}
					<h2>{first ? "First count" : "Freeze"}</h2>
					{first ? (
						<p>
							Nothing is recorded in <span className="code">{house.code}</span>, so this is its first count: sheets list the bins, people
							write in what they find, and all of it goes out as found, at what its items cost.
						</p>
					) : (
						<p>
							The recorded stock is frozen as at <b>{when(house.recorded_at, "long")}</b> ({age(house.recorded_at)}). What moved later is
							known from movements and rolled forward.
						</p>
					)}
					<h2>Sheets</h2>
					<table className="w-full max-w-xl">
						<tbody>
							{t?.sheets.slice(0, 40).map((s, i) => (
								<tr key={`${s.zone}${s.from}${i}`} className="border-b border-hair">
									<td className="code w-8 text-right text-dim">{i + 1}</td>
									<td className="px-3">{s.zone || "no zone"}</td>
									<td className="code">
										{s.from} – {s.to}
									</td>
									{by === "people" && <td className="px-3">{s.for}</td>}
									<td className="code text-right">{many(s.bins, "bin", "bins")}</td>
									<td className="code text-right">{many(s.lines, "row", "rows")}</td>
									<td className="code text-right">{Math.ceil(Number(s.minutes))} min</td>
								</tr>
							))}
						</tbody>
					</table>
					{t && t.sheets_n > Math.min(40, t.sheets.length) && (
						<p className="col-start-2 text-dim">and {count(t.sheets_n - Math.min(40, t.sheets.length))} more</p>
					)}
				</div>
			</div>
		</Stage>
	);
}

import { Listbox, ListboxButton, ListboxOption, ListboxOptions } from "@headlessui/react";
import { useMutation, useQuery } from "@tanstack/react-query";
import { useEffect, useMemo, useRef, useState } from "react";
import { Link, useSearchParams } from "react-router";
import { api, ask, queries, type Schemas } from "../api/client";
import { key } from "../api/keys";
import { Elevation, type Look, useElevation } from "../elevation/Elevation";
import { Choice, FilterField, Stage, useCount, usePerson } from "../frame/Frame";
import { apart, count, Empty, Failed, isZero, many, mostPlaces, Off, plain, Quantity, statusWord, Warn } from "../frame/figures";
import { useHand } from "../lines/hand";
import { useKept } from "../lines/kept";
import { type Column, Lines } from "../lines/Lines";
import { usePages } from "../lines/paging";
import { useCountBins } from "../sheets/Sheets";
import { CauseFilter, CauseMark, causeWord, SettleStrong, useAccept, useRecount } from "./Causes";
import { SentElsewhere } from "./Elsewhere";
import { type By, GroupedBy, GroupFilter } from "./Groups";
import { LineInHand, useHistory } from "./LineInHand";
import { OwnReason } from "./Reasons";
import { Rules } from "./Rules";
import { SpreadOf } from "./Spread";

type Line = Schemas["VarianceLine"];
type Show = "open" | "held" | "accepted" | "all";

/** The controller's main place: a queue ranked by what is at stake, decided line by line or many at once. */
export function Variances() {
	const person = usePerson();
	const { id, data: c } = useCount();
	// A figure of a report leads to the lines that it sums.
	const [asked] = useSearchParams();
	const [show, setShow] = useState<Show>((asked.get("show") as Show | null) ?? "open");
	const hand = useHand(asked.get("text") ?? "");
	const { text, chosen, marked } = hand;
	const [reason, setReason] = useState("");
	const [keeps, setKeeps] = useState(false); // the reason for further decisions, too
	const [notes, setNotes] = useState<Record<number, string>>({}); // half written ones, by line
	const [own, setOwn] = useState(false);
	const reasonButton = useRef<HTMLButtonElement>(null);
	const tiles = useElevation(c?.warehouse_id);
	const bins = useCountBins(id);
	const reasons = useQuery({ queryKey: key.reasons, queryFn: () => ask(api.GET("/api/reasons")) });
	const rules = useQuery({ queryKey: key.rules, queryFn: () => ask(api.GET("/api/rules")), enabled: person.role !== "counter" });
	const onRules = rules.data?.filter((r) => r.on).length ?? 0;
	const list = [...chosen];
	const [cause, setCause] = useState(asked.get("cause") ?? "");
	const [sign, setSign] = useState<"" | "over" | "short">((asked.get("sign") as "over" | "short" | null) ?? "");
	const [least, setLeast] = useState(0);
	const [by, setBy] = useState<By>((asked.get("by") as By | null) ?? "");
	const [of, setOf] = useState<string | null>(asked.get("of"));
	const [order, setOrder] = useKept<"stake" | "place">("queue.order", "stake");
	const [ruling, setRuling] = useState(false);
	const [status, setStatus] = useState<"" | "over" | "short" | "found">((asked.get("status") as "over" | null) ?? "");
	const broad = { show, text, cause, sign, status, least, bins: list };
	const filter = by !== "" && of !== null ? { ...broad, by, of } : broad;
	const pages = usePages<Line>(key.variances(id, order, JSON.stringify(filter)), c !== undefined, (after) =>
		ask(
			api.GET("/api/counts/{count}/variances", {
				params: { path: { count: id }, query: { ...filter, order, after, limit: 300 } },
			}),
		),
	);
	const causes = useQuery({
		queryKey: key.causes(id),
		queryFn: () => ask(api.GET("/api/counts/{count}/causes", { params: { path: { count: id } } })),
	});
	const accept = useAccept(id, hand.act);
	const recount = useRecount(id);
	// All that the filter holds, not only what is loaded of it, as it was seen when that was asked for.
	const spread = useQuery({
		queryKey: key.spread(id, JSON.stringify(filter)),
		queryFn: () => ask(api.GET("/api/counts/{count}/variances/filtered", { params: { path: { count: id }, query: filter } })),
		placeholderData: (before) => before,
	});
	const [whole, setWhole] = useState<{ of: string; tally: Schemas["FilterTally"] } | null>(null);
	const takeAll = useMutation({
		mutationFn: () => ask(api.GET("/api/counts/{count}/variances/filtered", { params: { path: { count: id }, query: filter } })),
		onSuccess: (tally) => setWhole({ of: JSON.stringify(filter), tally }),
	});
	// What is being decided leaves the list at once, so that the next key is about the next line; it comes back where it is refused.
	const [leaving, setLeaving] = useState<ReadonlySet<number>>(new Set());
	const decide = useMutation({
		mutationFn: (d: Schemas["Decisions"]) => ask(api.POST("/api/counts/{count}/decisions", { params: { path: { count: id } }, body: d })),
		onMutate: (d) => {
			const stays = d.kind === { open: "", held: "hold", accepted: "accept", all: d.kind }[show];
			if (!stays) setLeaving((before) => new Set([...before, ...d.lines]));
			hand.unmark();
			setWhole(null);
		},
		onSettled: async (_, __, d) => {
			await queries.invalidateQueries({ queryKey: key.count(id) }); // what has changed is shown, where it was refused, too
			const done = new Set(d.lines);
			setLeaving((before) => new Set([...before].filter((pos) => !done.has(pos))));
		},
	});
	const byBin = useMemo(() => new Map(bins.data?.map((b) => [b.bin, b])), [bins.data]);
	const rows = useMemo(() => (leaving.size === 0 ? pages.rows : pages.rows.filter((r) => !leaving.has(r.pos))), [pages.rows, leaving]);
	const { at, row, gone, wanted: inHand, onActive } = hand.of(rows, (r) => r.pos, pages.settled);
	const pos = row?.pos ?? gone; // what is shown of the line in hand stays, though it left
	const history = useHistory(id, pos);
	const likely = history.data?.line.pos === row?.pos ? history.data?.cause : undefined;
	const other = likely?.other ? history.data?.others.find((o) => o.pos === likely.other)?.bin_id : undefined;
	const lit = useMemo(() => new Set([row?.bin_id, other].filter((b) => b !== undefined)), [row, other]);
	// The lines have the keys as soon as the stage is open.
	const ready = rows.length > 0;
	useEffect(() => {
		if (ready) document.querySelector<HTMLElement>("[data-lines]")?.focus({ preventScroll: true });
	}, [ready]);
	if (pages.error) return <Failed what="The variances" error={pages.error} />;
	if (!c) return null;
	const may = person.role === "controller" && c.state === "running";
	const wanted = inHand.filter((r) => r.queue !== ""); // what was sent out is not decided again
	const all = marked.size > 0 && marked.size === rows.length && whole?.of === JSON.stringify(filter) ? whole.tally : undefined;
	const settle = (kind: "accept" | "hold" | "") => {
		if (!may || wanted.length === 0) return;
		if (!keeps) setReason(""); // it belongs to one decision
		if (all && show !== "all") {
			hand.act(rows.map((r) => r.pos));
			decide.mutate({
				lines: [],
				kind,
				reason: kind === "" ? "" : reason,
				all: { ...filter, show, lines: all.lines, gross: all.gross },
			});
			return;
		}
		if (marked.size > 0) onActive(rows.findIndex((r) => marked.has(r.pos))); // on with what stands where they were
		hand.act(wanted.map((r) => r.pos));
		decide.mutate({ lines: wanted.map((r) => r.pos), saw: wanted.map((r) => r.rest ?? "0"), kind, reason: kind === "" ? "" : reason });
	};
	const keys = (pressed: string) => {
		const k = pressed.toLowerCase();
		if (pressed === "R") setKeeps(!keeps);
		else if (k === "a") settle("accept");
		else if (k === "h") settle("hold");
		else if (k === "u") settle("");
		else if (k === "n") document.querySelector<HTMLElement>("[data-note]")?.focus();
		else if (k === "c") {
			if (may && row && likely && (row.queue === "open" || row.queue === "held")) {
				if (likely.does && !accept.isPending) accept.mutate({ pos: row.pos, cause: likely });
				else if (likely.remedy === "recount" && row.again === 0 && !recount.isPending) recount.mutate(likely.lines);
			}
		} else if (k === "g") {
			if (may && wanted.length > 0 && !recount.isPending) recount.mutate(wanted.map((r) => r.pos));
		} else if (k === "b") setRuling(true);
		else if (k === "o") {
			setOrder(order === "stake" ? "place" : "stake");
			hand.anew();
		} else if (k === "r") reasonButton.current?.click();
		else return false;
		return true;
	};
	const look = (t: { id: number }): Look => {
		const b = byBin.get(t.id);
		if (!b) return { fill: "none", words: "not in this count" };
		const words =
			[
				b.short > 0 && `${b.short} short`,
				b.over > 0 && `${b.over} over or found`,
				b.counted < b.lines && `${b.lines - b.counted} uncounted`,
			]
				.filter(Boolean)
				.join(", ") || "as recorded";
		if (b.open > 0) {
			if (b.short > 0 && b.over > 0) return { fill: "both", mark: "both", words };
			return b.short > 0 ? { fill: "short", mark: "down", words } : { fill: "over", mark: "up", words };
		}
		if (b.short + b.over > 0) return { fill: "tone", mark: "dot", words: `${words}, decided` };
		if (b.counted === 0) return { fill: "hatch", words };
		return { fill: "tone", words };
	};
	const quantities = mostPlaces(rows.flatMap((r) => [r.recorded, r.expected, r.counted]));
	const offs = mostPlaces(rows.map((r) => r.variance));
	const columns: Column<Line>[] = [
		{ key: "bin", title: "Bin", width: "76px", cell: (r) => <span className="code">{r.bin}</span>, text: (r) => r.bin },
		{ key: "sku", title: "SKU", width: "88px", cell: (r) => <span className="code">{r.sku}</span>, text: (r) => r.sku },
		{
			key: "item",
			title: "Item",
			width: "minmax(110px,1fr)",
			room: 450,
			cell: (r) => (
				<>
					{r.description}
					{apart(r) && <span className="code text-dim"> {apart(r)}</span>}
				</>
			),
			text: (r) => [r.description, apart(r)].filter(Boolean).join(" "),
		},
		{
			key: "rec",
			room: 700,
			title: "Recorded",
			width: "74px",
			right: true,
			cell: (r) => <Quantity of={r.recorded} pad={quantities} />,
			text: (r) => r.recorded ?? "",
		},
		{
			key: "mov",
			room: 880,
			title: "Moved",
			width: "60px",
			right: true,
			cell: (r) => (r.moved === "0" ? null : <Quantity of={r.moved} signed />),
			text: (r) => r.moved,
		},
		{
			key: "exp",
			room: 640,
			title: "Expected",
			width: "74px",
			right: true,
			cell: (r) => <Quantity of={r.expected} pad={quantities} />,
			text: (r) => r.expected,
		},
		{
			key: "cnt",
			title: "Counted",
			width: "74px",
			right: true,
			cell: (r) => <Quantity of={r.counted} pad={quantities} />,
			text: (r) => r.counted ?? "",
		},
		{
			key: "var",
			title: "Variance",
			width: "86px",
			right: true,
			shape: true,
			cell: (r) => <Off of={r.variance} pad={offs} />,
			text: (r) => r.variance ?? "",
		},
		{
			key: "status",
			room: 730,
			title: "Likely",
			width: rows.some((r) => r.cut_off || r.elsewhere) ? "136px" : "92px",
			cell: (r) => (
				<span className={r.cause ? "" : "text-dim"}>
					{r.meanwhile ? (
						<b className="text-warn" title="moved while it was counted">
							!{" "}
						</b>
					) : (
						""
					)}
					{r.disputed && (
						<b className="text-warn" title="counted three times or more, and no other count agrees with the last">
							!{" "}
						</b>
					)}
					{r.again > 0 ? (
						<b title={`being counted again, on sheet ${r.again}`}>again, {r.again}</b>
					) : r.cause ? (
						<CauseMark cause={r.cause} grade={r.grade} />
					) : r.disputed ? (
						<b>disputed</b>
					) : (
						statusWord[r.status]
					)}
					{r.elsewhere && (
						<b className="text-warn" title={`another count sent ${plain(r.elsewhere, true)} of it since this stock was recorded`}>
							{" "}
							! sent {plain(r.elsewhere, true)}
						</b>
					)}
					{r.cut_off && (
						<b className="text-warn" title="the cut-off list names it">
							{" "}
							! cut-off
						</b>
					)}
				</span>
			),
			text: (r) => r.cause || r.status,
		},
		{
			key: "value",
			room: 550,
			title: order === "stake" ? "Value ↓" : "Value",
			width: "104px",
			right: true,
			cell: (r) => {
				const v = r.postings > 0 && r.queue !== "" ? r.rest_value : r.value;
				return v == null ? <span className="text-warn">! no cost</span> : <Off of={v} shape={false} />;
			},
			text: (r) => (r.postings > 0 && r.queue !== "" ? r.rest_value : r.value) ?? "",
		},
	];
	const decided: Column<Line> = {
		key: "dec",
		title: "Decided",
		width: "92px",
		cell: (r) =>
			r.queue === "accepted" ? (
				<span title={r.rule ? `by the rule “${r.rule}”` : r.reason}>
					✓ {r.reason || "accepted"}
					{r.rule && <span className="text-dim"> by rule</span>}
				</span>
			) : r.queue === "held" ? (
				<span className="text-warn" title={r.rule && `by the rule “${r.rule}”`}>
					! held{r.rule && " by rule"}
				</span>
			) : r.queue === "open" ? (
				<span className="text-dim">open</span>
			) : (
				`✓ sent, ${r.posting}`
			),
		text: (r) => [r.queue, r.reason, r.rule && `rule ${r.rule}`].filter(Boolean).join(", "),
	};
	// Where something went out already, what is still open is told beside the variance.
	if (rows.some((r) => r.postings > 0))
		columns.splice(8, 0, {
			key: "rest",
			title: "Still open",
			width: "86px",
			right: true,
			shape: true,
			cell: (r) => (r.postings > 0 ? <Off of={r.rest} pad={offs} /> : null),
			text: (r) => (r.postings > 0 ? (r.rest ?? "") : ""),
		});
	if (show !== "open") columns.push(decided);
	// What is lost explains nothing that is over.
	const signs = new Set(wanted.map((r) => ((r.rest ?? r.variance)?.startsWith("-") ? "short" : "over")));
	const fitting = reasons.data?.filter((r) => !r.sign || (signs.size === 1 && signs.has(r.sign)));
	const words = many(all?.lines ?? wanted.length, "line", "lines");
	const sum = marked.size > 1 ? sumsOf(wanted.map((r) => r.rest_value)) : null;
	return (
		<Stage
			side={
				<>
					<div className="flex min-h-0 flex-1 flex-col px-3 pt-2 pb-1">
						{tiles.data && (
							<Elevation
								tiles={tiles.data}
								look={look}
								chosen={chosen}
								onChoose={hand.choose}
								lit={lit}
								legend={[
									["short", "down", "short"],
									["over", "up", "over"],
									["both", "both", "both"],
									["tone", "dot", "decided"],
									["hatch", undefined, "uncounted"],
								]}
							/>
						)}
					</div>
					{pos !== undefined && (
						<LineInHand
							key={pos}
							id={id}
							pos={pos}
							may={may}
							note={notes[pos] ?? ""}
							onNote={(text) => setNotes({ ...notes, [pos]: text })}
							onAct={() => hand.act([pos])}
							accept={accept}
							recount={recount}
						/>
					)}
				</>
			}
			foot={
				<>
					<span className="truncate" data-open>
						<b>{count(c.open)}</b> undecided, worth <b className="code">{plain(c.open_value)}</b> gross (<Off of={c.open_short} />{" "}
						<Off of={c.open_over} />)
						{c.uncounted - c.zeroed > 0 && (
							<span className="text-dim"> · {count(c.uncounted - c.zeroed)} uncounted are not among them</span>
						)}
					</span>
					{gone !== undefined && (
						<span data-gone>
							<Warn>The line in hand left this list: somebody decided it, or its count changed. Move on with ↑ ↓.</Warn>
						</span>
					)}
					{decide.error && <Warn>{decide.error.message}</Warn>}
					{decide.data && decide.data.again + decide.data.disputed > 0 && (
						<span data-left-out>
							<Warn>
								{count(decide.data.lines)} accepted. Left out, to be accepted one by one:{" "}
								{[
									decide.data.again > 0 && `${many(decide.data.again, "line", "lines")} being counted again`,
									decide.data.disputed > 0 && `${count(decide.data.disputed)} disputed`,
								]
									.filter(Boolean)
									.join(", ")}
								.
							</Warn>
						</span>
					)}
					{recount.error && <Warn>{recount.error.message}</Warn>}
					{recount.data && !recount.isPending && !recount.error && (
						<span data-recount className="whitespace-nowrap">
							again on{" "}
							<Link className="word" to={`/counts/${id}/sheets`}>
								{recount.data.sheets.length === 1 ? `sheet ${recount.data.sheets[0]}` : many(recount.data.sheets.length, "sheet", "sheets")}
							</Link>
						</span>
					)}
					{may && (
						<span className="ml-auto flex flex-wrap items-center gap-x-2 gap-y-1">
							<SettleStrong id={id} tally={causes.data?.find((t) => t.cause === cause)} may={may} />
							{all ? (
								<span data-whole>
									all <b>{count(all.lines)}</b>: <Off of={all.short} /> <Off of={all.over} />
									{all.unvalued > 0 && <span className="text-warn"> ! {count(all.unvalued)} without a cost</span>}
								</span>
							) : (
								sum && (
									<span className="text-dim" data-marked>
										marked: {!isZero(sum.short) && <Off of={sum.short} />} {!isZero(sum.over) && <Off of={sum.over} />}
										{!isZero(sum.short) && !isZero(sum.over) && (
											<>
												, net <Off of={sum.net} shape={false} />
											</>
										)}
									</span>
								)
							)}
							{!all && pages.more && show !== "all" && marked.size > 1 && marked.size === rows.length && (
								<button type="button" className="word" disabled={takeAll.isPending} onClick={() => takeAll.mutate()}>
									take all that the filter holds
								</button>
							)}
							<Listbox
								value={reason}
								onChange={(v) => {
									if (v === "+") {
										setOwn(true);
										return;
									}
									setReason(v);
									requestAnimationFrame(() => document.querySelector<HTMLElement>("[data-lines]")?.focus());
								}}
							>
								<ListboxButton ref={reasonButton} className="act-plain border-rule">
									{reasons.data?.find((r) => r.code === reason)?.name ?? "No reason"}
									{keeps && <b> kept</b>} <span className="text-dim">R</span>
								</ListboxButton>
								<ListboxOptions
									anchor="top end"
									onKeyDown={(e) => {
										// Leaving without a choice gives the keys back to the lines.
										if (e.key === "Escape") setTimeout(() => document.querySelector<HTMLElement>("[data-lines]")?.focus());
									}}
									className="z-30 border border-ink bg-paper py-1"
								>
									<ListboxOption value="" className="px-3 py-1 data-focus:bg-ink data-focus:text-on-ink">
										No reason
									</ListboxOption>
									{fitting?.map((r) => (
										<ListboxOption
											key={r.code}
											value={r.code}
											className="flex justify-between gap-6 px-3 py-1 data-focus:bg-ink data-focus:text-on-ink"
										>
											{r.name} <span className="code">{r.code}</span>
										</ListboxOption>
									))}
									<ListboxOption value="+" className="border-t border-hair px-3 py-1 text-dim data-focus:bg-ink data-focus:text-on-ink">
										a reason of one's own…
									</ListboxOption>
								</ListboxOptions>
							</Listbox>
							<button type="button" className="act" disabled={wanted.length === 0} onClick={() => settle("accept")}>
								Accept {words} <span className="font-normal opacity-70">A</span>
							</button>
							<button type="button" className="act-plain" disabled={wanted.length === 0} onClick={() => settle("hold")}>
								Hold <span className="text-dim">H</span>
							</button>
							<button
								type="button"
								className="act-plain"
								disabled={wanted.length === 0 || recount.isPending}
								onClick={() => recount.mutate(wanted.map((r) => r.pos))}
								title={`Make a sheet of ${many(wanted.length, "line", "lines")}, to be counted again by somebody else`}
							>
								Count again <span className="text-dim">G</span>
							</button>
						</span>
					)}
				</>
			}
			keys={[
				["↑ ↓", "line"],
				["A", "accept"],
				["H", "hold"],
				["G", "count again"],
				["U", "take back"],
				["Ctrl Z", "undo"],
				["N", "note"],
				["C", "as the cause asks"],
				["R", "reason"],
				["Shift R", keeps ? "for one" : "keep it"],
				["O", "order"],
				["B", "rules"],
				["X", "mark"],
				["E", "elevation"],
				["?", "all keys"],
			]}
		>
			<SentElsewhere id={id} may={may} />
			<div className="flex flex-wrap items-center gap-x-6 gap-y-1 border-b border-hair px-2 py-1.5">
				<Choice
					label="Which variances"
					value={show}
					of={[
						["open", `open ${c.open}`],
						["held", `held ${c.held}`],
						["accepted", `accepted ${c.accepted}`],
						["all", `all ${c.variances}`],
					]}
					onChange={(v) => {
						setShow(v);
						hand.anew();
					}}
				/>
				{chosen.size > 0 && (
					<button type="button" className="word text-dim" onClick={() => hand.choose(new Set())}>
						in {many(chosen.size, "bin", "bins")}, let go
					</button>
				)}
				{status !== "" && (
					<button
						type="button"
						className="word text-dim"
						onClick={() => {
							setStatus("");
							hand.anew();
						}}
					>
						only {status}, let go
					</button>
				)}
				{by !== "" && cause !== "" && (
					<button
						type="button"
						className="word text-dim"
						onClick={() => {
							setCause("");
							hand.anew();
						}}
					>
						likely {causeWord[cause]}, let go
					</button>
				)}
				<span className="ml-auto flex flex-wrap items-center gap-x-5 gap-y-1">
					<button
						type="button"
						className="word text-dim"
						onClick={() => {
							setOrder(order === "stake" ? "place" : "stake");
							hand.anew();
						}}
						title="Press for the other order"
						data-order={order}
					>
						{order === "stake" ? "by what is at stake" : "in walking order"}
					</button>
					<button type="button" className="word" onClick={() => setRuling(true)} data-open-rules>
						{onRules > 0 ? many(onRules, "rule on", "rules on") : "rules"}
					</button>
					<FilterField value={text} onChange={hand.filter} />
				</span>
			</div>
			{spread.data && (
				<SpreadOf
					tally={spread.data}
					sign={sign}
					least={least}
					onSign={(to) => {
						setSign(to);
						hand.anew();
					}}
					onLeast={(to) => {
						setLeast(to);
						hand.anew();
					}}
				/>
			)}
			<GroupedBy
				by={by}
				onBy={(to) => {
					setBy(to);
					setOf(null);
					hand.anew();
				}}
			>
				{by === "" ? (
					<CauseFilter
						tallies={causes.data ?? []}
						working={spread.data?.working ?? false}
						value={cause}
						show={(t) => (show === "open" ? t.open : t.lines)}
						onChange={(to) => {
							setCause(to);
							hand.anew();
						}}
					/>
				) : (
					<GroupFilter
						id={id}
						by={by}
						of={of}
						filter={broad}
						onOf={(to) => {
							setOf(to);
							hand.anew();
						}}
					/>
				)}
			</GroupedBy>
			<Lines
				label="Variances"
				columns={columns}
				rows={rows}
				rowKey={(r) => r.pos}
				active={at}
				onActive={onActive}
				idle={gone !== undefined}
				marked={marked}
				onMark={hand.setMarked}
				more={pages.more}
				onMore={pages.onMore}
				onKey={keys}
				ordered
				out={{ list: "variances", query: { count: id, ...filter, show, order } }}
				empty={
					!pages.loading && (
						<Empty title={show === "open" && c.open === 0 && text === "" ? "Nothing is left to decide" : "No variance fits"}>
							{show === "open" && c.open === 0
								? c.counted === 0
									? "Nothing is counted yet."
									: "Every variance that was counted is accepted or held."
								: "Take the filter out, or let go of the bins."}
						</Empty>
					)
				}
			/>
			{ruling && <Rules id={id} stands={c.stands} may={person.role === "controller"} onClose={() => setRuling(false)} />}
			{own && (
				<OwnReason
					known={reasons.data ?? []}
					onDone={(code) => {
						setOwn(false);
						if (code) setReason(code);
						requestAnimationFrame(() => document.querySelector<HTMLElement>("[data-lines]")?.focus());
					}}
				/>
			)}
		</Stage>
	);
}

/** Adds decimal strings of two places exactly: those below zero, those above it, and all. */
function sumsOf(values: (string | null)[]) {
	let [short, over] = [0n, 0n];
	for (const v of values) {
		const cents = v ? BigInt(v.replace(".", "")) : 0n;
		if (cents < 0n) short += cents;
		else over += cents;
	}
	const decimal = (cents: bigint) => {
		const s = (cents < 0n ? -cents : cents).toString().padStart(3, "0");
		return `${cents < 0n ? "-" : ""}${s.slice(0, -2)}.${s.slice(-2)}`;
	};
	return { short: decimal(short), over: decimal(over), net: decimal(short + over) };
}

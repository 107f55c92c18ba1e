import { useMutation } from "@tanstack/react-query";
import { useState } from "react";
import { useParams } from "react-router";
import { api, ask, queries, type Schemas, zone } from "../api/client";
import { Choice, Stage, usePerson } from "../frame/Frame";
import { BeingRead, count, Empty, hours, many, plain, Warn } from "../frame/figures";
import { useWarehouses } from "../recorded/Recorded";
import { Portion, useRotation } from "./Portion";

type View = Schemas["RotationView"];
type Settings = Schemas["Rotation"];

const week = ["Monday", "Tuesday", "Wednesday", "Thursday", "Friday", "Saturday", "Sunday"];
const monthName = new Intl.DateTimeFormat("en-GB", { month: "long", timeZone: "UTC" });

/** How often the lines of a warehouse are counted a year, today's portion, and the year as it was and will be. */
export function Rotation() {
	const house = Number(useParams().house);
	const houses = useWarehouses();
	const q = useRotation(house);
	const h = houses.data?.find((x) => x.id === house);
	if (!q.data || !houses.data) return <BeingRead what="The rotation" of={[q, houses]} />;
	if (!h) return <Empty title="There is no such warehouse" />;
	return <RotationOf key={JSON.stringify(q.data.rotation)} house={h} v={q.data} />;
}

function RotationOf({ house, v }: { house: Schemas["WarehouseView"]; v: View }) {
	const person = usePerson();
	const may = person.role === "controller";
	const was = v.rotation;
	const [by, setBy] = useState<Settings["by"]>(was?.by ?? "value");
	const [times, setTimes] = useState<Record<string, string>>(
		Object.fromEntries(
			[
				...v.usual,
				...(was?.by === "zone" ? v.usual.slice(3).map((g) => ({ ...g, times: 0 })) : []), // a zone of which nothing was said is not counted
				...(was?.groups ?? []),
			].map((g) => [g.name, String(g.times)]),
		),
	);
	const [limits, setLimits] = useState({ a: String(was?.a || 80), b: String(was?.b || 95) });
	const [days, setDays] = useState<boolean[]>(was?.days ?? [false, true, true, true, true, true, false]);
	const [minutes, setMinutes] = useState(was?.minutes ? String(was.minutes / 60) : "");
	const names = by === "zone" ? v.usual.slice(3).map((g) => g.name) : ["A", "B", "C"];
	const done = { onSuccess: () => queries.invalidateQueries({ queryKey: ["stock"] }) };
	const path = { params: { path: { warehouse: house.id } } };
	const keep = useMutation({
		mutationFn: () =>
			ask(
				api.POST("/api/rotation/{warehouse}", {
					...path,
					body: {
						by,
						groups: names.map((n) => ({ name: n, times: Number.parseInt(times[n] ?? "", 10) || 0 })),
						a: by === "zone" ? undefined : Number.parseInt(limits.a, 10) || undefined,
						b: by === "zone" ? undefined : Number.parseInt(limits.b, 10) || undefined,
						days,
						minutes: Math.round(Number(minutes) * 60) || undefined,
						zone: zone(),
					},
				}),
			),
		...done,
	});
	const end = useMutation({ mutationFn: () => ask(api.POST("/api/rotation/{warehouse}/end", path)), ...done });
	const field = (label: string, value: string, onChange: (v: string) => void) => (
		<input
			className="code w-14 text-right"
			inputMode="numeric"
			aria-label={label}
			value={value}
			onChange={(e) => onChange(e.target.value)}
			disabled={!may}
		/>
	);
	return (
		<Stage
			keys={[
				["Tab", "from choice to choice"],
				["?", "all keys"],
			]}
			foot={
				may && (
					<>
						{(keep.error || end.error) && <Warn>{(keep.error ?? end.error)?.message}</Warn>}
						{was && (
							<button type="button" className="act-plain ml-auto" disabled={end.isPending} onClick={() => end.mutate()}>
								Count no more in rotation
							</button>
						)}
						<button type="button" className={`act ${was ? "" : "ml-auto"}`} disabled={keep.isPending} onClick={() => keep.mutate()}>
							{was ? "Count by this from now on" : `Count ${house.code} in rotation`}
						</button>
					</>
				)
			}
		>
			<div className="min-h-0 flex-1 overflow-y-auto px-6 py-4">
				<h1>
					<span className="code">{house.code}</span> in rotation
				</h1>
				{!was && (
					<p className="mt-1 max-w-2xl text-dim">
						Each line is counted so often a year, a portion of about the same size on every working day, what was counted longest ago first.
						The portion of the day stands on Today.
					</p>
				)}
				<div className="mt-3 grid max-w-6xl grid-cols-[minmax(0,1fr)_minmax(0,1.1fr)] gap-x-12 border-t border-ink pt-3">
					<div className="grid h-max grid-cols-[7rem_1fr] gap-x-6 gap-y-4">
						<h2>How often</h2>
						<div>
							<Choice
								label="What is counted equally often"
								value={by}
								of={[
									["value", "classes by value"],
									["movement", "classes by movement"],
									...(v.usual.length > 3 ? ([["zone", "zones"]] as [Settings["by"], string][]) : []),
								]}
								onChange={setBy}
							/>
							{by !== "zone" && (
								<p className="mt-2 text-dim">
									A makes up the first {field("Per cent of A", limits.a, (a) => setLimits({ ...limits, a }))} %, B goes up to{" "}
									{field("Per cent of A and B", limits.b, (b) => setLimits({ ...limits, b }))} %
								</p>
							)}
							<table className="mt-2">
								<tbody>
									{names.map((n) => {
										const has = by === was?.by ? v.groups.find((g) => g.name === n) : undefined;
										return (
											<tr key={n} className="border-b border-hair">
												<td className="code py-0.5 pr-3">{n || "no zone"}</td>
												<td className="pr-3 whitespace-nowrap">
													{field(`Times a year: ${n}`, times[n] ?? "", (x) => setTimes({ ...times, [n]: x }))} times a year
												</td>
												{has && (
													<td className="text-right whitespace-nowrap text-dim">
														{count(has.counted)} of {many(has.lines, "line", "lines")} counted in a year
													</td>
												)}
											</tr>
										);
									})}
								</tbody>
							</table>
						</div>
						<h2>When</h2>
						<div className="flex flex-col gap-2">
							<div className="flex flex-wrap gap-x-4 gap-y-1">
								{week.map((name, i) => {
									const day = (i + 1) % 7; // a week of Go begins on Sunday
									return (
										<label key={name} className="flex items-center gap-1.5">
											<input
												type="checkbox"
												checked={days[day]}
												disabled={!may}
												onChange={() => setDays(days.map((on, d) => (d === day ? !on : on)))}
											/>
											{name}
										</label>
									);
								})}
							</div>
							<p>{field("Hours a day", minutes, setMinutes)} hours a day have all people together for it</p>
						</div>
						{was && (
							<>
								<h2>Today</h2>
								<div>
									<Portion house={house} />
									{was.minutes ? (
										<p className="mt-1 text-dim" data-room>
											{v.portion.seconds > was.minutes * 60
												? `That is more than the ${hours(was.minutes * 60)} of a day.`
												: `A day has ${hours(was.minutes * 60)}.`}
											{v.portion.lines > 0 && ` Worth ${plain(v.portion.value)}.`}
										</p>
									) : null}
								</div>
							</>
						)}
					</div>
					{was && <Year v={v} minutes={was.minutes ?? 0} />}
				</div>
			</div>
		</Stage>
	);
}

/** The months: what the rotation has in each, and what was counted. */
function Year({ v, minutes }: { v: View; minutes: number }) {
	const most = Math.max(1, ...v.months.map((m) => Math.max(m.lines, m.counted)));
	const now = new Date().getMonth() + 1;
	const bar = (n: number, shade: string) => n > 0 && <span className={`block h-2 ${shade}`} style={{ width: `${(n / most) * 100}%` }} />;
	return (
		<div>
			<h2>The year</h2>
			<table className="mt-1 w-full" data-year>
				<thead>
					<tr className="text-left text-dim">
						<th className="font-normal">Month</th>
						<th className="w-[34%] font-normal">
							<span className="mr-1 inline-block h-2 w-3 border border-dim" /> to be counted{" "}
							<span className="mx-1 inline-block h-2 w-3 bg-ink" /> counted
						</th>
						<th className="text-right font-normal">days</th>
						<th className="text-right font-normal">lines</th>
						<th className="text-right font-normal">counted</th>
						<th className="text-right font-normal">work</th>
					</tr>
				</thead>
				<tbody>
					{v.months.map((m) => (
						<tr key={m.month} className={`border-b border-hair ${m.month === now ? "bg-sheet font-semibold" : ""}`}>
							<td className="py-1">{monthName.format(new Date(Date.UTC(2024, m.month - 1, 1)))}</td>
							<td>
								{bar(m.lines, "border border-dim")}
								{bar(m.counted, "bg-ink")}
							</td>
							<td className="code text-right">{m.days}</td>
							<td className="code text-right">{m.lines > 0 ? count(m.lines) : "–"}</td>
							<td className="code text-right">{m.counted > 0 || (m.lines > 0 && m.month <= now) ? count(m.counted) : ""}</td>
							<td className="code text-right">
								{m.seconds > 0 ? hours(m.seconds) : ""}
								{minutes > 0 && m.seconds > m.days * minutes * 60 && <span title="More than the days of the month have"> !</span>}
							</td>
						</tr>
					))}
				</tbody>
			</table>
		</div>
	);
}

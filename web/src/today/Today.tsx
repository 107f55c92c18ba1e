import { useQuery } from "@tanstack/react-query";
import { Fragment } from "react";
import { Link } from "react-router";
import { api, ask, type Schemas } from "../api/client";
import { key } from "../api/keys";
import { Stage, usePerson } from "../frame/Frame";
import { age, BeingRead, count, Empty, many, plain, when } from "../frame/figures";
import { DropField } from "../intake/DropField";
import { useWaiting } from "../intake/waiting";
import { Portion } from "../plan/Portion";

/** What wants a hand now, over all counts and warehouses; each line leads to the very place. */
export function Today() {
	const person = usePerson();
	const q = useQuery({ queryKey: key.today, queryFn: () => ask(api.GET("/api/today")) });
	if (!q.data) return <BeingRead what="Today" of={[q]} />;
	const { counts, warehouses, demo_files, exports } = q.data;
	const running = counts.filter((c) => c.state === "running");
	const finished = counts.filter((c) => c.state === "finished");
	if (warehouses.length === 0) {
		return (
			<Empty title="Nothing is recorded yet">
				<p>
					Begin with the export of your record system: a file with warehouse, bin, item and quantity. You see what it was taken for before
					anything is stored.
				</p>
				<div className="mt-6">
					<DropField />
				</div>
			</Empty>
		);
	}
	return (
		<Stage
			keys={[
				["Ctrl K", "go anywhere"],
				["?", "all keys"],
			]}
		>
			<div className="min-h-0 flex-1 overflow-y-auto px-4 py-4 min-[700px]:px-6">
				<div className="mx-auto grid max-w-6xl gap-x-10 gap-y-6 min-[900px]:grid-cols-[1fr_320px]">
					<section>
						<Own sheets={q.data.sheets} asked={q.data.asked} />
						{person.role === "viewer" && <Reports counts={counts} />}
						<div className="mb-2 flex items-baseline justify-between border-b border-ink pb-1">
							<h1>Counts</h1>
							{person.role === "controller" && (
								<Link to="/plan" className="act">
									Plan a new count
								</Link>
							)}
						</div>
						{warehouses.map((w) => (
							<Portion key={w.id} house={w} />
						))}
						{running.map((c, i) => (
							<Fragment key={c.id}>
								{c.together && c.together !== running[i - 1]?.together && (
									<h2 className="mt-3 border-b border-rule pb-1">
										<Link to={`/together/${c.id}`} className="hover:underline">
											{c.together}
										</Link>
										<span className="font-normal text-dim">
											, {many(running.filter((x) => x.together === c.together).length, "warehouse", "warehouses")} together:{" "}
											{count(running.reduce((n, x) => (x.together === c.together ? n + x.counted : n), 0))} of{" "}
											{count(running.reduce((n, x) => (x.together === c.together ? n + x.lines : n), 0))} lines
										</span>
									</h2>
								)}
								<CountCard c={c} />
							</Fragment>
						))}
						{running.length === 0 && <p className="py-4 text-dim">No count is running.</p>}
						{finished.length > 0 && <h2 className="mt-6 mb-1 border-b border-rule pb-1">Finished</h2>}
						{finished.map((c) => (
							<Link
								key={c.id}
								to={`/counts/${c.id}/report`}
								className="grid grid-cols-2 gap-x-3 border-b border-hair min-[700px]:grid-cols-[1fr_8rem_11rem_10rem] py-1.5 hover:bg-sheet"
							>
								<span className="font-semibold">{c.name}</span>
								<span className="code text-dim">{c.warehouse}</span>
								<span className="text-dim">frozen {when(c.frozen_at)}</span>
								<span className="text-right">
									{c.posted} sent · IRA {c.accuracy ?? "–"} %
								</span>
							</Link>
						))}
					</section>
					<section>
						<h1 className="mb-2 border-b border-ink pb-1">Recorded stock</h1>
						{warehouses.map((w) => (
							<Link key={w.id} to={`/stock/${w.id}`} className="block border-b border-hair py-1.5 hover:bg-sheet">
								<span className="flex justify-between">
									<b className="code">{w.code}</b>
									<span className="code">{plain(w.value)}</span>
								</span>
								<span className="flex justify-between text-dim">
									<span>
										{many(w.lines, "line", "lines")} in {many(w.bins, "bin", "bins")}
									</span>
									<span>{age(w.recorded_at)}</span>
								</span>
							</Link>
						))}
						<div className="mt-6">
							<DropField />
						</div>
						<Dropped />
						<Offered title="Files to try with" files={demo_files}>
							Download them, then drop them anywhere.
						</Offered>
						<Offered title="From the record system beside" files={exports}>
							A simulated one, of the warehouse DOCK: it sells all the time, takes in what is sent out by its layouts, and then exports
							anew.
						</Offered>
					</section>
				</div>
			</div>
		</Stage>
	);
}

/** What is one's own to do: sheets to count, and what waits for one's word. */
function Own({ sheets, asked }: { sheets: Schemas["OwnSheet"][]; asked: Schemas["Asked"][] }) {
	return (
		<>
			{asked.length > 0 && (
				<div className="mb-6" data-asked>
					<h1 className="mb-1 border-b border-ink pb-1">Waiting for you to agree</h1>
					{asked.map((a) => (
						<Link
							key={`${a.count} ${a.by}`}
							to={`/counts/${a.count}/adjustments`}
							className="flex justify-between border-b border-hair py-1.5 hover:bg-sheet"
						>
							<span>
								<b className="font-semibold">{a.name}</b>{" "}
								<span className="text-dim">
									{many(a.lines, "line", "lines")} to go out, by {a.by}
								</span>
							</span>
							<span className="code">{plain(a.gross)}</span>
						</Link>
					))}
				</div>
			)}
			{sheets.length > 0 && (
				<div className="mb-6" data-own-sheets>
					<h1 className="mb-1 border-b border-ink pb-1">Your sheets</h1>
					{sheets.map((s) => (
						<Link
							key={`${s.count} ${s.number}`}
							to={`/counts/${s.count}/counting/${s.number}`}
							className="grid grid-cols-[4.5rem_1fr_auto] gap-x-3 border-b border-hair py-1.5 hover:bg-sheet"
						>
							<b className="font-semibold">Sheet {s.number}</b>
							<span>
								<span className="code">
									{s.first_bin} – {s.last_bin}
								</span>{" "}
								<span className="text-dim">
									of {s.name}
									{!s.out && ", planned"}
								</span>
							</span>
							<span>
								{s.due && <span className="pr-3 text-dim">back by {when(s.due)}</span>}
								<span className="code">{s.lines === 0 ? "to fill in" : `${count(s.counted)} of ${count(s.lines)} rows`}</span>
							</span>
						</Link>
					))}
				</div>
			)}
		</>
	);
}

/** The reports of all counts, for who reads them. */
function Reports({ counts }: { counts: Schemas["TodayCount"][] }) {
	if (counts.length === 0) return null;
	return (
		<div className="mb-6" data-reports>
			<h1 className="mb-1 border-b border-ink pb-1">Reports</h1>
			{counts.map((c) => (
				<Link key={c.id} to={`/counts/${c.id}/report`} className="flex justify-between border-b border-hair py-1.5 hover:bg-sheet">
					<b className="font-semibold">{c.name}</b>
					<span className="text-dim">{c.state === "running" ? "as it stands now" : `finished, frozen ${when(c.frozen_at)}`}</span>
				</Link>
			))}
		</div>
	);
}

/** What one dropped and did not take in yet: it waits with all that was settled. */
function Dropped() {
	const q = useWaiting();
	const list = q.data ?? [];
	if (list.length === 0) return null;
	return (
		<div className="mt-6" data-waiting>
			<h2>Dropped, and not taken in yet</h2>
			{list.slice(0, 6).map((w) => (
				<Link key={w.id} to={`/intake?draft=${w.id}`} className="block border-b border-hair py-1 hover:bg-sheet">
					<b className="font-semibold">{w.name}</b> <span className="text-dim">{w.word}</span>
				</Link>
			))}
			{list.length > 6 && (
				<Link className="word" to="/intake">
					and {many(list.length - 6, "file", "files")} more
				</Link>
			)}
		</div>
	);
}

/** Files that the demo offers to be dropped. */
function Offered({ title, files, children }: { title: string; files: string[]; children: string }) {
	if (files.length === 0) return null;
	return (
		<div className="mt-6">
			<h2>{title}</h2>
			<p className="text-dim">{children}</p>
			<ul className="mt-1">
				{files.map((f) => (
					<li key={f}>
						<a className="word" href={`/api/try/${encodeURIComponent(f)}`} download={f}>
							{f}
						</a>
					</li>
				))}
			</ul>
		</div>
	);
}

function CountCard({ c }: { c: Schemas["TodayCount"] }) {
	const part = c.lines === 0 ? 0 : (c.counted / c.lines) * 100;
	return (
		<article className="border-b border-rule py-3">
			<div className="flex items-baseline justify-between">
				<h2>
					<Link to={`/counts/${c.id}/counting`} className="hover:underline">
						{c.name}
					</Link>
				</h2>
				<span className="text-dim">
					<span className="code">{c.warehouse}</span> · frozen {when(c.frozen_at)} by {c.person}
				</span>
			</div>
			<div className="mt-1.5 flex items-center gap-3">
				<span className="h-2 flex-1 border border-dim">
					<span className="block h-full bg-dim" style={{ width: `${part}%` }} />
				</span>
				<span className="code" data-counted>
					{c.lines === 0 ? "nothing found yet" : `${count(c.counted)} of ${count(c.lines)} lines`}
				</span>
			</div>
			<ul className="mt-2">
				{c.waits.map((w) => (
					<li key={w.text}>
						<Link to={`/counts/${c.id}/${w.stage}`} className="flex justify-between py-0.5 hover:bg-sheet">
							<span>
								<span className="mr-2 text-dim" aria-hidden="true">
									·
								</span>
								<span className="word">{w.text}</span>
							</span>
							<span className="code text-dim">{/^[-\d.]+$/.test(w.worth) ? plain(w.worth) : w.worth}</span>
						</Link>
					</li>
				))}
			</ul>
		</article>
	);
}

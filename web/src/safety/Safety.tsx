import { useMutation, useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { api, ask, queries, type Schemas } from "../api/client";
import { key } from "../api/keys";
import { Stage, usePerson } from "../frame/Frame";
import { BeingRead, count, Empty, many, Warn, when } from "../frame/figures";
import { Proof } from "./Proof";

const why: Record<string, string> = {
	"by-hand": "made by hand",
	"before-intake": "before an intake",
	"before-undo": "before an undo",
	"before-restore": "before a backup was put back",
	"before-migration": "before a newer program",
};

/** Backups of the records, the proof of the record of who did what, and putting a backup back. */
export function Safety() {
	const backups = useQuery({ queryKey: key.backups, queryFn: () => ask(api.GET("/api/backups")) });
	const person = usePerson();
	const [asked, setAsked] = useState("");
	const make = useMutation({
		mutationFn: () => ask(api.POST("/api/backups")),
		onSuccess: () => queries.invalidateQueries({ queryKey: key.backups }),
	});
	const verify = useMutation({ mutationFn: () => ask(api.POST("/api/record/verify")) });
	if (!backups.data) return <BeingRead what="The list of backups" of={[backups]} />;
	return (
		<Stage
			foot={
				<>
					<span className="text-dim">
						The last twenty are kept; those from before a restore or a newer program are counted apart. Sign-ins are in none of them.
					</span>
					{make.error && <Warn>{make.error.message}</Warn>}
					<button type="button" className="act ml-auto" disabled={make.isPending} onClick={() => make.mutate()}>
						{make.isPending ? "Making a backup…" : "Make a backup now"}
					</button>
				</>
			}
			keys={[
				["Ctrl K", "go anywhere"],
				["?", "all keys"],
			]}
		>
			<div className="min-h-0 flex-1 overflow-y-auto px-8 py-4" tabIndex={0} role="region" aria-label="Backups">
				<div className="mx-auto max-w-4xl">
					<h1>Backups and proof</h1>
					<section className="mt-3 flex items-baseline gap-4 border-b border-rule pb-3">
						<p className="flex-1">
							Every change is a link of a chain: who did what, when, and the entries, decisions and postings that go with it. Proving goes
							over all of it from the first link, over every page of the database, every kept file and every backup.
						</p>
						<button type="button" className="act-plain" disabled={verify.isPending} onClick={() => verify.mutate()}>
							{verify.isPending ? "Proving…" : "Prove the record"}
						</button>
					</section>
					<div role="status" className="py-2" data-proof>
						{verify.error && <Warn>{verify.error.message}</Warn>}
						{verify.data && <Proof of={verify.data} />}
					</div>
					<h2 className="mt-2 border-b border-ink pb-1">Backups</h2>
					{backups.data.length === 0 && <p className="py-2 text-dim">There is none yet. One is made before every intake.</p>}
					{backups.data.map((b) => (
						<div key={b.name} className="border-b border-hair py-1.5" data-backup={b.name}>
							<div className="grid grid-cols-[11rem_1fr_7rem_9rem] items-baseline gap-3">
								<span className="code">{when(b.at, "long")}</span>
								<span>{why[b.why] ?? b.why}</span>
								<span className="code text-right text-dim">{count(Math.ceil(b.size / 1024))} kB</span>
								{person.owner ? (
									<button type="button" className="word text-right" onClick={() => setAsked(asked === b.name ? "" : b.name)}>
										{asked === b.name ? "leave it" : "put it back…"}
									</button>
								) : (
									<span className="text-right text-dim">an owner puts it back</span>
								)}
							</div>
							{asked === b.name && <PutBack name={b.name} onDone={() => setAsked("")} />}
						</div>
					))}
				</div>
			</div>
		</Stage>
	);
}

/** What putting a backup back takes away, and the button that does it. */
function PutBack({ name, onDone }: { name: string; onDone: () => void }) {
	const seen = useQuery({
		queryKey: [...key.backups, name],
		staleTime: 0,
		queryFn: () => ask(api.GET("/api/backups/{name}", { params: { path: { name } } })),
	});
	const put = useMutation({
		mutationFn: (agreed: number) => ask(api.POST("/api/backups/{name}/restore", { params: { path: { name } }, body: { agreed } })),
		onSuccess: () => {
			queries.invalidateQueries();
			onDone();
		},
	});
	if (seen.error && !seen.data) return <Warn>{seen.error.message}</Warn>;
	const t: Schemas["TakesBack"] | undefined = seen.data;
	if (!t) return <Empty title="Proving it…" />;
	const all = t.words.length + t.more;
	return (
		<div className="my-2 border-l-4 border-warn bg-warn-wash px-4 py-2">
			<p>
				It holds everything up to {when(t.at, "long")}.{" "}
				{all === 0 ? "Nothing was done since." : `Putting it back takes away ${many(all, "thing", "things")} done since:`}
			</p>
			<p className="text-dim">{t.by.map((b) => `${count(b.n)} × ${b.what}`).join(", ")}</p>
			<ul className="my-1 max-h-40 overflow-y-auto text-[12.5px]">
				{t.words.map((w, i) => (
					<li key={`${w.at}${i}`} className="grid grid-cols-[9rem_10rem_1fr] gap-2">
						<span className="code">{when(w.at)}</span>
						<span>{w.person}</span>
						<span>{w.what}</span>
					</li>
				))}
				{t.more > 0 && <li className="text-dim">and {count(t.more)} more</li>}
			</ul>
			{put.error && <Warn>{put.error.message}</Warn>}
			<button type="button" className="act" disabled={put.isPending} onClick={() => put.mutate(all)}>
				{put.isPending
					? "Putting it back…"
					: all === 0
						? "Put this backup back"
						: `Put it back and take away ${many(all, "thing", "things")}`}
			</button>
			<p className="mt-1 text-dim">
				What is there now is backed up first, so this can be turned round. People, their roles and passwords, who is signed in, files that
				wait, and when somebody else agrees stay as they are.
			</p>
		</div>
	);
}

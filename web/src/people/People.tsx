import { useMutation, useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { api, ask, queries, type Schemas } from "../api/client";
import { key } from "../api/keys";
import { Choice, Stage, usePerson } from "../frame/Frame";
import { BeingRead, many, Warn, when } from "../frame/figures";

type Role = Schemas["PersonView"]["role"];
const roles: [Role, string][] = [
	["controller", "controller"],
	["counter", "counter"],
	["approver", "approver"],
	["viewer", "viewer"],
];
const about: Record<Role, string> = {
	controller: "takes files in, plans, decides, sends out",
	counter: "counts and types, and sees no recorded quantity of a blind count",
	approver: "sees counts, and agrees to what goes out",
	viewer: "sees, and changes nothing",
};

/** Who works here: invited by a link for one use, with a role, suspended, signed out everywhere. */
export function People() {
	const me = usePerson();
	const staff = useQuery({ queryKey: key.people, queryFn: () => ask(api.GET("/api/people")) });
	const [name, setName] = useState("");
	const [role, setRole] = useState<Role>("counter");
	const [roleOf, setRoleOf] = useState<Record<number, Role>>({}); // chosen, and not given yet
	const [made, setMade] = useState<{ name: string; invited: Schemas["Invited"] } | null>(null);
	const changed = () => queries.invalidateQueries({ queryKey: key.people });
	const invite = useMutation({
		mutationFn: () => ask(api.POST("/api/people/invitations", { body: { name, role } })),
		onSuccess: (invited) => {
			setMade({ name, invited });
			setName("");
		},
		onSettled: changed,
	});
	const uninvite = useMutation({
		mutationFn: (invitation: number) => ask(api.DELETE("/api/people/invitations/{invitation}", { params: { path: { invitation } } })),
		onSettled: changed,
	});
	const change = useMutation({
		mutationFn: ({ id, body }: { id: number; body: Schemas["Changed"] }) =>
			ask(api.POST("/api/people/{person}", { params: { path: { person: id } }, body })),
		onSettled: () => queries.invalidateQueries(),
	});
	const reset = useMutation({
		mutationFn: (p: Schemas["PersonView"]) => ask(api.POST("/api/people/{person}/reset", { params: { path: { person: p.id } } })),
		onSuccess: (invited, p) => setMade({ name: p.name, invited }),
		onSettled: changed,
	});
	if (!staff.data) return <BeingRead what="The list of people" of={[staff]} />;
	const wrong = invite.error ?? uninvite.error ?? change.error ?? reset.error;
	return (
		<Stage
			foot={<span className="text-dim">What is changed here holds from the next thing that somebody does, and stands in the record.</span>}
			keys={[
				["Ctrl K", "go anywhere"],
				["?", "all keys"],
			]}
		>
			<div className="min-h-0 flex-1 overflow-y-auto px-8 py-4" tabIndex={0} role="region" aria-label="People">
				<div className="mx-auto max-w-5xl">
					<h1>People</h1>
					<form
						className="mt-3 flex flex-wrap items-baseline gap-x-4 gap-y-2 border-b border-rule pb-3"
						onSubmit={(e) => {
							e.preventDefault();
							invite.mutate();
						}}
					>
						<label className="flex items-baseline gap-2">
							<span className="text-dim">invite</span>
							<input
								className="w-56"
								value={name}
								onChange={(e) => setName(e.target.value)}
								maxLength={120}
								placeholder="a name"
								aria-label="Name of who is invited"
							/>
						</label>
						<Choice label="Role" value={role} of={roles} onChange={setRole} />
						<button type="submit" className="act-plain ml-auto" disabled={name.trim() === "" || invite.isPending}>
							Make an invitation
						</button>
						<span className="w-full text-dim">
							{role === "approver" ? "An" : "A"} {role} {about[role]}.
						</span>
					</form>
					{wrong && <Warn>{wrong.message}</Warn>}
					{made && (
						<div className="border-b border-ink bg-sheet px-3 py-2" data-invitation>
							<p>
								Give this to <b>{made.name}</b>. It is shown once, works once, and ends {when(made.invited.until, "long")}.
							</p>
							<input
								className="code w-full"
								readOnly
								value={`${location.origin}/join#${made.invited.code}`}
								onFocus={(e) => e.target.select()}
								aria-label="The invitation"
							/>
							<button type="button" className="word text-dim" onClick={() => setMade(null)}>
								done
							</button>
						</div>
					)}
					<ul className="mt-2">
						{staff.data.people.map((p) => (
							<li
								key={p.id}
								className="grid grid-cols-[1fr_7rem_19rem_24rem] items-baseline gap-4 border-b border-hair py-1.5"
								data-person={p.sign_in}
							>
								<span className={p.suspended ? "text-dim line-through" : ""}>
									<b>{p.name}</b> {p.owner && <span className="text-dim">owner</span>}
								</span>
								<span className="code text-dim">{p.sign_in}</span>
								{p.suspended ? (
									<span className="text-warn">! suspended</span>
								) : (
									<span className="flex flex-wrap items-baseline gap-x-3">
										<Choice
											label={`Role of ${p.name}`}
											value={roleOf[p.id] ?? p.role}
											of={roles}
											onChange={(to) => setRoleOf({ ...roleOf, [p.id]: to })}
										/>
										{(roleOf[p.id] ?? p.role) !== p.role && (
											<button
												type="button"
												className="act-plain"
												disabled={change.isPending}
												onClick={() => change.mutate({ id: p.id, body: { role: roleOf[p.id] } })}
											>
												Make {p.name} {roleOf[p.id] === "approver" ? "an" : "a"} {roleOf[p.id]}
											</button>
										)}
									</span>
								)}
								<span className="flex justify-end gap-3 text-[13px] whitespace-nowrap">
									{p.role === "controller" && !p.suspended && (
										<button type="button" className="word text-dim" onClick={() => change.mutate({ id: p.id, body: { owner: !p.owner } })}>
											{p.owner ? "no owner" : "make owner"}
										</button>
									)}
									{p.sessions > 0 && (
										<button type="button" className="word text-dim" onClick={() => change.mutate({ id: p.id, body: { end: true } })}>
											end {many(p.sessions, "session", "sessions")}
										</button>
									)}
									<button type="button" className="word text-dim" onClick={() => reset.mutate(p)}>
										new password
									</button>
									{p.id !== me.id && (
										<button
											type="button"
											className="word text-dim"
											onClick={() => change.mutate({ id: p.id, body: { suspended: !p.suspended } })}
										>
											{p.suspended ? "let in again" : "suspend"}
										</button>
									)}
								</span>
							</li>
						))}
					</ul>
					{staff.data.invited.length > 0 && (
						<>
							<h2 className="mt-5 border-b border-rule pb-1">Invited</h2>
							{staff.data.invited.map((i) => (
								<div key={i.id} className="grid grid-cols-[1fr_10rem_22rem_6rem] gap-4 border-b border-hair py-1" data-invited={i.name}>
									<span>{i.name}</span>
									<span className="text-dim">{i.again ? "a new password" : i.role}</span>
									<span className={i.ended ? "text-warn" : "text-dim"}>
										{i.ended ? "! has ended" : `until ${when(i.until, "long")}`}, by {i.by}
									</span>
									<button type="button" className="word text-dim" onClick={() => uninvite.mutate(i.id)}>
										take back
									</button>
								</div>
							))}
						</>
					)}
				</div>
			</div>
		</Stage>
	);
}

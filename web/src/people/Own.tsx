import { useMutation, useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { api, ask, queries } from "../api/client";
import { key } from "../api/keys";
import { Stage, usePerson } from "../frame/Frame";
import { Failed, Warn, when } from "../frame/figures";
import { useMe } from "../frame/SignIn";

/** What browser it is, in a word or two. */
function browser(agent: string): string {
	const name = /Edg|Firefox|Chrome|Safari/.exec(agent)?.[0] ?? "a browser";
	const on = /Android|iPhone|iPad|Windows|Mac OS|Linux/.exec(agent)?.[0];
	return on ? `${name === "Edg" ? "Edge" : name} on ${on}` : name;
}

/** One's own password, and where one is signed in. */
export function Own() {
	const me = usePerson();
	const welcome = useMe();
	const sessions = useQuery({ queryKey: key.sessions, queryFn: () => ask(api.GET("/api/me/sessions")) });
	const [old, setOld] = useState("");
	const [password, setPassword] = useState("");
	const change = useMutation({
		mutationFn: () => ask(api.POST("/api/me/password", { body: { old, new: password } })),
		onSuccess: () => {
			setOld("");
			setPassword("");
			return queries.invalidateQueries({ queryKey: key.sessions });
		},
	});
	const end = useMutation({
		mutationFn: (session: string) => ask(api.DELETE("/api/me/sessions/{session}", { params: { path: { session } } })),
		onSettled: () => queries.invalidateQueries(),
	});
	if (sessions.error && !sessions.data) return <Failed what="Your sessions" error={sessions.error} />;
	return (
		<Stage
			keys={[
				["Ctrl K", "go anywhere"],
				["?", "all keys"],
			]}
		>
			<div className="min-h-0 flex-1 overflow-y-auto px-8 py-4" tabIndex={0} role="region" aria-label="You">
				<div className="mx-auto max-w-3xl">
					<h1>
						{me.name} <span className="font-normal text-dim">{me.owner ? "controller, owner" : me.role}</span>
					</h1>
					<form
						className="mt-3 grid max-w-sm gap-2 border-b border-rule pb-4"
						onSubmit={(e) => {
							e.preventDefault();
							change.mutate();
						}}
					>
						<h2>A new password</h2>
						<p className="text-dim">{welcome.data?.rule}</p>
						<label>
							<span className="block text-dim">Password so far</span>
							<input
								className="w-full"
								type="password"
								name="old"
								autoComplete="current-password"
								value={old}
								onChange={(e) => setOld(e.target.value)}
							/>
						</label>
						<label>
							<span className="block text-dim">New password</span>
							<input
								className="w-full"
								type="password"
								name="new"
								autoComplete="new-password"
								value={password}
								onChange={(e) => setPassword(e.target.value)}
							/>
						</label>
						<button type="submit" className="act-plain w-fit" disabled={old === "" || password === "" || change.isPending}>
							Change the password
						</button>
						{change.error && <Warn>{change.error.message}</Warn>}
						{change.isSuccess && old === "" && <p data-changed>✓ It is changed; you are signed out everywhere else.</p>}
					</form>
					<h2 className="mt-4">Where you are signed in</h2>
					<ul>
						{sessions.data?.map((s) => (
							<li key={s.id} className="flex items-baseline justify-between gap-4 border-b border-hair py-1" data-session>
								<span title={s.agent}>
									{browser(s.agent)}{" "}
									<span className="text-dim">
										since {when(s.began, "long")}, up to {when(s.until, "long")}
									</span>
								</span>
								{s.own ? (
									<span className="text-dim">here</span>
								) : (
									<button type="button" className="word" disabled={end.isPending} onClick={() => end.mutate(s.id)}>
										sign out there
									</button>
								)}
							</li>
						))}
					</ul>
					{end.error && <Warn>{end.error.message}</Warn>}
				</div>
			</div>
		</Stage>
	);
}

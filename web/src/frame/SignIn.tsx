import { useMutation, useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { api, ask, queries, type Schemas } from "../api/client";
import { key } from "../api/keys";
import { Warn } from "./figures";

export function useMe() {
	return useQuery({ queryKey: key.me, staleTime: Number.POSITIVE_INFINITY, queryFn: () => ask(api.GET("/api/me")) });
}

/** The way in: a name and a password, or the one-time code on a first start. */
export function SignIn({ me, error }: { me?: Schemas["Me"]; error: Error | null }) {
	const [code, setCode] = useState("");
	const [name, setName] = useState("");
	const [signIn, setSignIn] = useState(me?.demo[0] ?? "");
	const [password, setPassword] = useState(me && me.demo.length > 0 ? "demo" : "");
	const enter = useMutation({
		mutationFn: () =>
			me?.first_start
				? ask(api.POST("/api/owner", { body: { code, name, sign_in: signIn, password } }))
				: ask(api.POST("/api/session", { body: { sign_in: signIn, password } })),
		onSuccess: (got) => {
			queries.removeQueries({ predicate: (q) => q.queryKey[0] !== "me" });
			queries.setQueryData(key.me, got);
		},
	});
	const field = (label: string, value: string, set: (v: string) => void, more: React.InputHTMLAttributes<HTMLInputElement> = {}) => (
		<label className="mt-3 block">
			<span className="mb-0.5 block text-dim">{label}</span>
			<input className="w-full" value={value} onChange={(e) => set(e.target.value)} required {...more} />
		</label>
	);
	return (
		<main className="mx-auto flex h-full max-w-3xl items-center gap-14 px-6">
			<Rack />
			<form
				className="w-80 border-l border-ink pl-10"
				onSubmit={(e) => {
					e.preventDefault();
					enter.mutate();
				}}
			>
				<h1 className="text-[26px]">Wobin</h1>
				<p className="mt-1 text-dim">
					{me?.first_start
						? "Nobody has signed up yet. The console shows a one-time code: with it you become the owner."
						: "What is on the shelves, held against what the records say."}
				</p>
				{me?.first_start && field("One-time code", code, setCode, { className: "code w-full", autoComplete: "off", name: "code" })}
				{me?.first_start && field("Your name", name, setName, { name: "name", autoComplete: "name" })}
				{field("Sign-in name", signIn, setSignIn, { name: "sign_in", autoComplete: "username", autoCapitalize: "none" })}
				{field(me?.first_start ? `Password: ${me.rule}` : "Password", password, setPassword, {
					name: "password",
					type: "password",
					autoComplete: me?.first_start ? "new-password" : "current-password",
				})}
				<button type="submit" className="act mt-5" disabled={enter.isPending}>
					{me?.first_start ? "Sign up as owner" : "Sign in"}
				</button>
				<div className="mt-4">
					{(enter.error ?? error) && <Warn>{(enter.error ?? error)?.message}</Warn>}
					{me && me.demo.length > 0 && (
						<p className="text-dim">
							This is demo data. Its people are{" "}
							{me.demo.map((d, i) => (
								<span key={d}>
									{i > 0 && ", "}
									<button type="button" className="word code" onClick={() => setSignIn(d)}>
										{d}
									</button>
								</span>
							))}
							; the password of each is <span className="code">demo</span>.
						</p>
					)}
				</div>
			</form>
		</main>
	);
}

/** A rack with one tile short and one over: what the program is about. */
function Rack() {
	return (
		<svg viewBox="0 0 220 260" className="w-64" role="img" aria-label="A rack drawn from the front">
			{[0, 1, 2, 3, 4].map((y) =>
				[0, 1, 2, 3].map((x) => {
					const kind = y === 1 && x === 2 ? "short" : y === 3 && x === 0 ? "over" : (x + y * 3) % 7 === 4 ? "paper" : "tone";
					return (
						<g key={`${x}.${y}`}>
							<rect
								x={10 + x * 50}
								y={10 + y * 46}
								width={50}
								height={46}
								stroke="var(--ink)"
								fill={kind === "paper" ? "var(--sheet)" : `var(--${kind})`}
							/>
							{kind === "short" && <path d={`M${26 + x * 50} ${28 + y * 46}h18l-9 12z`} fill="var(--paper)" />}
							{kind === "over" && <path d={`M${26 + x * 50} ${40 + y * 46}h18l-9 -12z`} fill="var(--paper)" />}
						</g>
					);
				}),
			)}
			<path d="M10 4V252M210 4V252" stroke="var(--ink)" strokeWidth={4} />
		</svg>
	);
}

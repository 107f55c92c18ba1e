import { useMutation, useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { useNavigate } from "react-router";
import { api, ask, queries } from "../api/client";
import { key } from "../api/keys";
import { Empty, Warn, when } from "../frame/figures";

/** The way in for somebody who was invited, once. */
export function Join() {
	const navigate = useNavigate();
	const [code] = useState(() => location.hash.slice(1)); // behind the #, so that no server on the way sees it
	const [signIn, setSignIn] = useState("");
	const [password, setPassword] = useState("");
	const is = useQuery({
		queryKey: ["invitation", code],
		retry: false,
		queryFn: () => ask(api.POST("/api/invitation", { body: { code } })),
	});
	const join = useMutation({
		mutationFn: () => ask(api.POST("/api/join", { body: { code, sign_in: is.data?.sign_in || signIn, password } })),
		onSuccess: (got) => {
			queries.removeQueries({ predicate: (q) => q.queryKey[0] !== "me" });
			queries.setQueryData(key.me, got);
			navigate("/", { replace: true });
		},
	});
	if (is.error) return <Empty title="This invitation opens nothing">{is.error.message}</Empty>;
	if (!is.data) return null;
	return (
		<main className="mx-auto flex h-full max-w-md items-center px-6">
			<form
				className="grid w-full gap-3"
				onSubmit={(e) => {
					e.preventDefault();
					join.mutate();
				}}
			>
				<h1 className="text-[26px]">Wobin</h1>
				<p>
					{is.data.sign_in ? (
						<>
							A new password for <b>{is.data.name}</b>, <span className="code">{is.data.sign_in}</span>.
						</>
					) : (
						<>
							Welcome, <b>{is.data.name}</b>. You are to be a <b>{is.data.role}</b>.
						</>
					)}{" "}
					<span className="text-dim">This works once, until {when(is.data.until, "long")}.</span>
				</p>
				{!is.data.sign_in && (
					<label>
						<span className="block text-dim">Sign-in name</span>
						<input
							className="w-full"
							name="sign_in"
							autoComplete="username"
							autoCapitalize="none"
							value={signIn}
							onChange={(e) => setSignIn(e.target.value)}
							required
							maxLength={60}
						/>
					</label>
				)}
				<label>
					<span className="block text-dim">Password: {is.data.rule}</span>
					<input
						className="w-full"
						name="password"
						type="password"
						autoComplete="new-password"
						value={password}
						onChange={(e) => setPassword(e.target.value)}
						required
						maxLength={200}
					/>
				</label>
				<button type="submit" className="act w-fit" disabled={join.isPending}>
					{is.data.sign_in ? "Take this password" : "Sign up"}
				</button>
				{join.error && <Warn>{join.error.message}</Warn>}
			</form>
		</main>
	);
}

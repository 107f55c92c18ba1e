import { QueryClient } from "@tanstack/react-query";
import createClient from "openapi-fetch";
import { useSyncExternalStore } from "react";
import type { components, paths } from "./schema";

export type Schemas = components["schemas"];

/** Calls the server's operations, typed from its own description. */
export const api = createClient<paths>({ baseUrl: "/" });

/**
 * Keeps what the server said. A reading that the server did not answer is tried again until it does: what was read before it stays on
 * the screen with all that is being typed into it, and the frame says so. The browser's own word on whether there is a network is not
 * asked: the server may be this machine.
 */
export const queries = new QueryClient({
	defaultOptions: {
		queries: {
			staleTime: 5_000,
			retry: (_, error) => error instanceof Problem && error.unanswered,
			retryDelay: (failures) => Math.min(1_000 * (failures + 1), 5_000),
			refetchOnWindowFocus: false,
			networkMode: "always",
		},
		mutations: { networkMode: "always" },
	},
});

/** Why a reading of what is in sight failed that has been answered before, so that what is shown may be old; null where none did. */
export function useStale(): Error | null {
	const cache = queries.getQueryCache();
	return useSyncExternalStore(
		(changed) => cache.subscribe(changed),
		() => cache.getAll().find((q) => q.getObserversCount() > 0 && stale(q.state))?.state.fetchFailureReason ?? null,
	);
}

/** A first reading that the server refused says so in its own place. */
const stale = (s: { data: unknown; status: string; fetchFailureReason: Error | null }) =>
	s.fetchFailureReason !== null && (s.data !== undefined || s.status === "pending");

/** What the server says is wrong, as a sentence for people; kind and field tell what sort of refusal it is, and of what. */
export class Problem extends Error {
	kind = "";
	field = "";
	unanswered = false; // whether it was done is not known
}

type Answer<T> = { data?: T; error?: unknown; response: Response };

/** Gives the answer's data, or throws what the server said in words. */
export async function ask<T>(answer: Promise<Answer<T>>): Promise<T> {
	let got: Answer<T>;
	try {
		got = await answer;
	} catch {
		const p = new Problem("The server does not answer. Is it running?");
		p.unanswered = true;
		throw p;
	}
	if (got.error !== undefined || !got.response.ok) {
		const p = new Problem(words(got.error) ?? `The server answered ${got.response.status}.`);
		const e = got.error as { kind?: string; field?: string } | undefined;
		p.kind = e?.kind ?? "";
		p.field = e?.field ?? "";
		throw p;
	}
	return got.data as T;
}

function words(error: unknown): string | undefined {
	const e = error as { detail?: string; title?: string; errors?: { message?: string; location?: string }[] } | undefined;
	const first = e?.errors?.[0];
	if (first?.message)
		return first.location && first.location !== "body" ? `${first.location.replace("body.", "")}: ${first.message}` : first.message;
	return e?.detail ?? e?.title;
}

/** Sends a file's bytes and gives what was made of it. Nothing is stored by that. */
export async function upload(file: File, choices: Schemas["Choices"] = {}, into = ""): Promise<Schemas["Draft"]> {
	const q = new URLSearchParams({ name: file.name, zone: zone(), choices: JSON.stringify(choices), into });
	return ask(
		fetch(`/api/uploads?${q}`, { method: "POST", body: file, headers: { "Content-Type": "application/octet-stream" } }).then(
			async (response) => {
				const body = await response.json().catch(() => undefined);
				return response.ok ? { data: body as Schemas["Draft"], response } : { error: body ?? {}, response };
			},
		),
	);
}

/** The browser's time zone, in which people write times. */
export const zone = () => Intl.DateTimeFormat().resolvedOptions().timeZone || "UTC";

/** A key of the client's making: a repeat of the same work is answered with the first result. */
export const workKey = () =>
	crypto.randomUUID?.() ?? Array.from(crypto.getRandomValues(new Uint32Array(4)), (n) => n.toString(16)).join("-");

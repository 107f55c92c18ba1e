import { useEffect, useState } from "react";

/** Counts that are typed and not saved, by their rows. */
export type Unsent = Record<string, string>;

const stored = (name: string) => `wobin.unsent.${name}`;

/**
 * Counts that are typed and not saved yet. They are kept in this browser until they are saved, so that a reload, an outage or a session that
 * ended loses none; the name says whose they are and of which sheet, and nobody else is shown them.
 */
export function useUnsent(name: string) {
	const [typed, setTyped] = useState<Unsent>(() => {
		try {
			return JSON.parse(localStorage.getItem(stored(name)) ?? "{}") as Unsent;
		} catch {
			return {};
		}
	});
	useEffect(() => {
		try {
			if (Object.keys(typed).length > 0) localStorage.setItem(stored(name), JSON.stringify(typed));
			else localStorage.removeItem(stored(name));
		} catch {
			// a browser that keeps nothing: what is typed lasts as long as the page
		}
	}, [name, typed]);
	return [typed, setTyped] as const;
}

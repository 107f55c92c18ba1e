import { useEffect, useRef, useState } from "react";

/** Counts that are typed and not saved, by their rows. */
export type Unsent = Record<string, string>;

const stored = (name: string) => `wobin.unsent.${name}`;

function read(name: string): { typed?: Unsent; shown?: Record<string, number> } {
	try {
		return JSON.parse(localStorage.getItem(stored(name)) ?? "{}");
	} catch {
		return {};
	}
}

/**
 * Counts that are typed and not saved yet, and the entry that was shown in each row when typing in it began: what somebody else typed since
 * is never written over unseen. They are kept in this browser until they are saved, so that a reload, an outage or a session that ended loses
 * none; the name says whose they are and of which sheet, and nobody else is shown them.
 */
export function useUnsent(name: string) {
	const [kept] = useState(() => read(name));
	const [typed, setTyped] = useState<Unsent>(kept.typed ?? {});
	const shown = useRef(new Map(Object.entries(kept.shown ?? {})));
	useEffect(() => {
		try {
			if (Object.keys(typed).length > 0)
				localStorage.setItem(stored(name), JSON.stringify({ typed, shown: Object.fromEntries(shown.current) }));
			else localStorage.removeItem(stored(name));
		} catch {
			// a browser that keeps nothing: what is typed lasts as long as the page
		}
	}, [name, typed]);
	return [typed, setTyped, shown] as const;
}

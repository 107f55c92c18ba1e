import { useState } from "react";

/** A choice that is kept in this browser, under a name; what cannot be read is as if nothing had been chosen. */
export function useKept<T>(name: string, first: T): [T, (v: T) => void] {
	const [value, set] = useState<T>(() => {
		try {
			const kept = localStorage.getItem(`wobin.${name}`);
			return kept === null ? first : (JSON.parse(kept) as T);
		} catch {
			return first;
		}
	});
	return [
		value,
		(v) => {
			set(v);
			try {
				localStorage.setItem(`wobin.${name}`, JSON.stringify(v));
			} catch {
				// where nothing can be kept it holds until the page is left
			}
		},
	];
}

import { useSyncExternalStore } from "react";
import { Problem, type Schemas, upload } from "../api/client";

/** A dropped file on its way: being read, looked at, or taken in. */
export type Drop = { id: number; file: File; draft?: Schemas["Draft"]; error?: string; done?: Schemas["TakenIn"]; busy: boolean };

let drops: Drop[] = [];
let next = 1;
const watchers = new Set<() => void>();

const tell = () => {
	for (const w of watchers) w();
};

export function useDrops(): Drop[] {
	return useSyncExternalStore(
		(w) => {
			watchers.add(w);
			return () => watchers.delete(w);
		},
		() => drops,
	);
}

export function changeDrop(id: number, to: Partial<Drop>) {
	drops = drops.map((d) => (d.id === id ? { ...d, ...to } : d));
	tell();
}

export function forgetDrop(id: number) {
	drops = drops.filter((d) => d.id !== id);
	tell();
}

/** Has a look at dropped files, one after the other; nothing is stored by that. Files dealt with before go. */
export async function dropFiles(files: File[], choices: Schemas["Choices"] = {}) {
	const fresh = files.map((file) => ({ id: next++, file, busy: true }));
	drops = [...drops.filter((d) => !d.done), ...fresh];
	tell();
	for (const d of fresh) {
		try {
			changeDrop(d.id, { draft: await upload(d.file, choices), busy: false });
		} catch (e) {
			changeDrop(d.id, { error: e instanceof Problem ? e.message : String(e), busy: false });
		}
	}
}

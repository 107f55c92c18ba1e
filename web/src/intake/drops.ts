import { useSyncExternalStore } from "react";
import { api, ask, Problem, type Schemas, upload } from "../api/client";

/** A dropped file on its way: being read, looked at, or taken in. seen goes up each time it is looked at anew. */
export type Drop = {
	id: number;
	file: File;
	draft?: Schemas["Draft"];
	seen: number;
	error?: string;
	done?: Schemas["TakenIn"];
	busy: boolean;
	waits?: string; // the draft that it was taken up from
};

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
	drops = drops.map((d) => (d.id === id ? { ...d, ...to, seen: to.draft ? d.seen + 1 : d.seen } : d));
	tell();
}

export function forgetDrop(id: number) {
	drops = drops.filter((d) => d.id !== id);
	tell();
}

/** Takes up a file that waits since before this page was opened: it is looked at when it is shown. */
export function takeUp(waiting: Schemas["Waiting"]): number {
	const there = drops.find((d) => d.draft?.id === waiting.id || d.waits === waiting.id);
	if (there) return there.id;
	const drop: Drop = { id: next++, file: new File([], waiting.name), busy: true, seen: 0, waits: waiting.id };
	drops = [...drops.filter((d) => !d.done), drop];
	tell();
	ask(api.GET("/api/uploads/{draft}", { params: { path: { draft: waiting.id } } })).then(
		(draft) => changeDrop(drop.id, { draft, busy: false }),
		(e) => changeDrop(drop.id, { error: e instanceof Problem ? e.message : String(e), busy: false }),
	);
	return drop.id;
}

/** A mended file: the same name as one that is being looked at, or the file of its refused rows. */
function mendedOf(file: File): Drop | undefined {
	const stem = (name: string) => name.replace(/\.[^.]*$/, "").replace(/ - refused rows.*$/, "");
	return drops.find(
		(d) =>
			d.draft && !d.done && (d.file.name === file.name || (file.name.includes("refused rows") && stem(d.file.name) === stem(file.name))),
	);
}

/** Puts a mended file in the place of the one that is being looked at; all that was settled stays. */
export async function redrop(drop: Drop, file: File) {
	if (!drop.draft) return;
	changeDrop(drop.id, { busy: true, error: undefined });
	try {
		changeDrop(drop.id, { draft: await upload(file, {}, drop.draft.id), busy: false });
	} catch (e) {
		changeDrop(drop.id, { error: e instanceof Problem ? e.message : String(e), busy: false });
	}
}

/** So many files are looked at at a time. */
const atOnce = 4;

/** Has a look at dropped files; nothing is stored by that. Files dealt with before go. */
export async function dropFiles(files: File[], choices: Schemas["Choices"] = {}) {
	const work: [Drop, File | undefined][] = files.map((file) => {
		const again = mendedOf(file);
		return again ? [again, file] : [{ id: next++, file, busy: true, seen: 0 }, undefined];
	});
	drops = [...drops.filter((d) => !d.done), ...work.filter(([, again]) => !again).map(([d]) => d)];
	tell();
	const look = async (d: Drop, again?: File) => {
		if (again) return redrop(d, again);
		try {
			changeDrop(d.id, { draft: await upload(d.file, choices), busy: false });
		} catch (e) {
			changeDrop(d.id, { error: e instanceof Problem ? e.message : String(e), busy: false });
		}
	};
	const left = [...work];
	const worker = async () => {
		for (let w = left.shift(); w; w = left.shift()) await look(...w);
	};
	await Promise.all(Array.from({ length: Math.min(atOnce, work.length) }, worker));
}

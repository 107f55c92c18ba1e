import { useEffect, useSyncExternalStore } from "react";
import { queries } from "./client";

export type ServerEvent = {
	what: string;
	count?: number;
	draft?: string;
	job?: number;
	text?: string;
	done?: number;
	of?: number;
	rows?: number;
	since?: number;
};

let progress: ServerEvent | null = null;
const watchers = new Set<() => void>();

function setProgress(e: ServerEvent | null) {
	progress = e;
	for (const w of watchers) w();
}

/** The work that is running on the server, for the one place that shows it. */
export function useProgress() {
	return useSyncExternalStore(
		(w) => {
			watchers.add(w);
			return () => watchers.delete(w);
		},
		() => progress,
	);
}

/** Listens to what changes and fetches anew what it touches, in every open window. */
export function useEvents() {
	useEffect(() => {
		const waiting = new Set<string>();
		let timer: ReturnType<typeof setTimeout> | undefined;
		let fade: ReturnType<typeof setTimeout> | undefined;
		const flush = () => {
			timer = undefined;
			for (const key of waiting) queries.invalidateQueries({ queryKey: key.includes(":") ? key.split(":") : [key] });
			waiting.clear();
		};
		const end = listen((e) => {
			if (e.what === "again") {
				queries.invalidateQueries(); // after a break nothing is known to be current
				return;
			}
			if (e.what === "progress") {
				setProgress(e);
				clearTimeout(fade);
				fade = setTimeout(() => setProgress(null), 3000);
				return;
			}
			if (e.what === "job") {
				waiting.add("work");
				timer ??= setTimeout(flush, 150);
				return;
			}
			waiting.add("today");
			waiting.add(e.what === "count" ? `count:${e.count}` : "stock");
			timer ??= setTimeout(flush, 150);
		});
		return () => {
			end();
			clearTimeout(timer);
			clearTimeout(fade);
		};
	}, []);
}

/**
 * Opens the event stream once for all windows of this browser, which allows only six connections to one place: the
 * window that holds the lock listens and passes on; when it closes, another takes over. "again" comes after a break.
 */
function listen(hear: (e: ServerEvent) => void): () => void {
	let source: EventSource | undefined;
	let release: (() => void) | undefined;
	const others = new BroadcastChannel("wobin-events");
	others.onmessage = (m) => hear(m.data);
	const open = () => {
		let opened = false;
		source = new EventSource("/api/events");
		source.onmessage = (m) => {
			hear(JSON.parse(m.data));
			others.postMessage(JSON.parse(m.data));
		};
		source.onopen = () => {
			if (opened) {
				hear({ what: "again" });
				others.postMessage({ what: "again" });
			}
			opened = true;
		};
	};
	const ended = new AbortController();
	if (navigator.locks) {
		navigator.locks
			.request("wobin-events", { signal: ended.signal }, () => {
				open();
				return new Promise<void>((done) => {
					release = done;
				});
			})
			.catch(() => {}); // the window closed before its turn came
	} else {
		open();
	}
	const end = () => {
		source?.close();
		release?.();
		ended.abort();
		others.close();
	};
	window.addEventListener("pagehide", end, { once: true });
	return () => {
		window.removeEventListener("pagehide", end);
		end();
	};
}

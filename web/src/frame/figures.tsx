import type { ReactNode } from "react";
import { queries } from "../api/client";

/** A decimal string for reading: a true minus, thousands apart. No number is ever made of it. */
export function plain(decimal: string | null | undefined, signed = false): string {
	if (decimal == null || decimal === "") return "";
	const negative = decimal.startsWith("-");
	const [whole = "", part] = decimal.replace("-", "").split(".");
	const grouped = whole.replace(/\B(?=(\d{3})+$)/g, ",");
	const zero = !/[1-9]/.test(decimal);
	const sign = zero ? "" : negative ? "−" : signed ? "+" : "";
	return `${sign}${grouped}${part === undefined ? "" : `.${part}`}`;
}

/** What tells lines of one item in one bin apart. */
export const apart = (l: { lot: string; serial: string; holding: string }) => [l.lot, l.serial, l.holding].filter(Boolean).join(" ");

/** Where an item is looked up. */
export const itemPath = (sku: string) => `/item?${new URLSearchParams({ sku })}`;

export const isZero = (decimal: string | null | undefined) => decimal == null || !/[1-9]/.test(decimal);
export const isNegative = (decimal: string) => decimal.startsWith("-") && !isZero(decimal);

const places = (decimal: string | null | undefined) => {
	const at = decimal?.indexOf(".") ?? -1;
	return at < 0 || decimal == null ? 0 : decimal.length - at - 1;
};

/** The most places that a column shows, so that its points stand under each other. */
export const mostPlaces = (column: (string | null | undefined)[]) => column.reduce((most, d) => Math.max(most, places(d)), 0);

/** A quantity, padded to the column's places with figure spaces. */
export function Quantity({ of, pad = 0, signed }: { of: string | null | undefined; pad?: number; signed?: boolean }) {
	if (of == null) return null;
	const missing = pad - places(of) + (places(of) === 0 && pad > 0 ? 1 : 0);
	return (
		<span className="code">
			{plain(of, signed)}
			{missing > 0 ? " ".repeat(missing) : ""}
		</span>
	);
}

/** A variance or its value: sign, shape and colour say the same. */
export function Off({ of, pad = 0, shape = true }: { of: string | null | undefined; pad?: number; shape?: boolean }) {
	if (of == null) return null;
	if (isZero(of)) return <Quantity of={of} pad={pad} />;
	const short = isNegative(of);
	return (
		<span className={`code ${short ? "text-short" : "text-over"}`}>
			{shape ? (short ? "▼ " : "▲ ") : ""}
			<Quantity of={of} pad={pad} signed />
		</span>
	);
}

export const count = (n: number) => n.toLocaleString("en-US");
export const many = (n: number, one: string, more: string) => `${count(n)} ${n === 1 ? one : more}`;

/** Work in hours and minutes, as people say it. */
export function hours(seconds: number) {
	const minutes = Math.ceil(seconds / 60);
	const rest = minutes % 60 > 0 || minutes === 0 ? `${minutes % 60} min` : "";
	return minutes < 60 ? rest : `${count(Math.floor(minutes / 60))} h ${rest}`.trim();
}

const dayTime = new Intl.DateTimeFormat("en-GB", { day: "numeric", month: "short", hour: "2-digit", minute: "2-digit" });
const yearDayTime = new Intl.DateTimeFormat("en-GB", {
	day: "numeric",
	month: "short",
	year: "numeric",
	hour: "2-digit",
	minute: "2-digit",
});
const clock = new Intl.DateTimeFormat("en-GB", { hour: "2-digit", minute: "2-digit" });

export function when(time: string | null | undefined, form: "short" | "long" | "clock" = "short"): string {
	if (!time) return "";
	const t = new Date(time);
	return (form === "clock" ? clock : form === "long" || t.getFullYear() !== new Date().getFullYear() ? yearDayTime : dayTime).format(t);
}

/** How long ago, in the largest unit that says enough. */
export function age(time: string | null | undefined, now = Date.now()): string {
	if (!time) return "";
	const minutes = Math.max(0, Math.round((now - new Date(time).getTime()) / 60_000));
	if (minutes < 90) return `${minutes} min old`;
	if (minutes < 48 * 60) return `${Math.round(minutes / 60)} h old`;
	return `${Math.round(minutes / 60 / 24)} days old`;
}

/** A problem: what is wrong and what to do, marked with a sign and not by colour alone. */
export function Warn({ children }: { children: ReactNode }) {
	return (
		<p className="border-l-4 border-warn bg-warn-wash px-3 py-1.5 text-ink" role="alert">
			<b className="text-warn">! </b>
			{children}
		</p>
	);
}

export function Empty({ title, children }: { title: string; children?: ReactNode }) {
	return (
		<div className="mx-auto w-full max-w-xl px-6 py-16 text-center low:py-6">
			<h2>{title}</h2>
			<div className="mt-2 text-dim">{children}</div>
		</div>
	);
}

/** A view that cannot be shown: what, and why, with what to do. */
export function Failed({ what, error }: { what: string; error: Error }) {
	return (
		<Empty title={`${what} cannot be shown`}>
			<Warn>{error.message}</Warn>
			<button type="button" className="act-plain mt-4" onClick={() => queries.invalidateQueries()}>
				Try again
			</button>
		</Empty>
	);
}

/** In the place of a view that is not read yet: why it cannot be, or, after a moment, that it is being read. */
export function BeingRead({ what, of }: { what: string; of: { error: Error | null }[] }) {
	const error = of.find((q) => q.error)?.error;
	if (error) return <Failed what={what} error={error} />;
	return (
		<p className="appears-late px-6 py-16 text-center text-dim" role="status">
			{what} is being read…
		</p>
	);
}

export const statusWord: Record<string, string> = {
	uncounted: "uncounted",
	match: "match",
	tolerated: "tolerated",
	found: "found",
	over: "over",
	short: "short",
	"": "",
};

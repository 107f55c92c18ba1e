import { useMutation } from "@tanstack/react-query";
import { api, ask, type Schemas } from "../api/client";
import { changeDrop, type Drop } from "./drops";

export type Draft = Schemas["Draft"];
export type Sheet = Schemas["SheetOfFile"];
export type Layout = Schemas["Layout"];
export type Choice = Schemas["Choice"];
export type Answer = Schemas["Answer"];

/** Settles one thing about a dropped file, on the server, which looks at it anew. */
export type Settle = (answer: Answer) => void;

export function useSettle(drop: Drop) {
	return useMutation({
		mutationFn: (answer: Answer) =>
			ask(api.POST("/api/uploads/{draft}/settle", { params: { path: { draft: drop.draft?.id ?? "" } }, body: answer })),
		onSuccess: (draft) => changeDrop(drop.id, { draft, error: undefined }),
	});
}

/** What is said about a column: by its letter and, where there is one, its header. */
export const about = (sheet: Sheet, letter: string, more: Omit<Choice, "column" | "header">): Layout => {
	const header = sheet.header_row > 0 ? sheet.columns.find((c) => c.letter === letter)?.header.trim() : undefined;
	return { columns: [{ column: letter, ...(header ? { header } : {}), ...more }] };
};

/** What stands for a column in a layout, if anything was settled about it. */
export const settledOf = (sheet: Sheet, letter: string): Choice | undefined =>
	[...(sheet.given.columns ?? [])].reverse().find((c) => c.column === letter && !c.formula && !c.fixed);

export const kindWord: Record<string, string> = {
	places: "places",
	items: "items",
	stock: "recorded stock",
	movements: "movements",
	counts: "counts",
};

export const fieldTitle = (sheet: Sheet, field: string): string => {
	const own = field.match(/^(item|line)\.(.+)$/);
	if (own) return `${own[2]} (of the ${own[1]})`;
	return sheet.fields.find((f) => f.field === field)?.title ?? field.replaceAll("_", " ");
};

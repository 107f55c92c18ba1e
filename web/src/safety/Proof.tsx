import type { Schemas } from "../api/client";
import { count, many, Warn } from "../frame/figures";

/** What proving the record, the kept files and the backups came to. */
export function Proof({ of }: { of: Schemas["Proof"] }) {
	if (of.wrong.length) return of.wrong.map((w) => <Warn key={w}>{w}</Warn>);
	return (
		<b>
			✓ all {many(of.links, "link", "links")} hold; {many(of.files, "kept file", "kept files")} and {many(of.backups, "backup", "backups")}{" "}
			are what they were
			{of.unsigned > 0 && `; ${count(of.unsigned)} older ones have no hash beside them`}
		</b>
	);
}

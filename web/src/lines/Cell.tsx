import { useState } from "react";

/** A cell that is being changed: Enter keeps it and goes down, Tab keeps it and goes on, Escape leaves it as it was. */
export function Cell({
	label,
	text,
	right,
	onKeep,
	onClose,
}: {
	label: string;
	text: string;
	right?: boolean;
	onKeep: (value: string, saw: string) => Promise<unknown>;
	onClose: (step: "down" | "on" | "") => void;
}) {
	const [value, setValue] = useState(text);
	const [saw] = useState(text); // what stood there when it was opened
	const [wrong, setWrong] = useState("");
	const [busy, setBusy] = useState(false);
	const keep = async (step: "down" | "on" | "") => {
		if (value.trim() === saw) return onClose(step);
		setBusy(true);
		try {
			await onKeep(value.trim(), saw);
			onClose(step);
		} catch (e) {
			setWrong(e instanceof Error ? e.message : String(e));
			setBusy(false);
		}
	};
	return (
		<div className="relative">
			<input
				className={`code w-full px-1.5 ${right ? "text-right" : ""}`}
				value={value}
				autoFocus
				readOnly={busy}
				aria-label={`Change ${label}`}
				aria-invalid={wrong !== ""}
				onFocus={(e) => e.target.select()}
				onChange={(e) => setValue(e.target.value)}
				onKeyDown={(e) => {
					e.stopPropagation();
					if (e.key === "Escape") onClose("");
					else if (e.key === "Enter") keep("down");
					else if (e.key === "Tab") {
						e.preventDefault();
						keep("on");
					}
				}}
			/>
			{wrong && (
				<p
					className="absolute top-full left-0 z-20 w-80 border border-warn bg-warn-wash px-2 py-1 text-left whitespace-normal text-warn"
					role="alert"
				>
					! {wrong}
				</p>
			)}
		</div>
	);
}

import { useRef } from "react";
import { useNavigate } from "react-router";
import { dropFiles } from "./drops";

/** The place that says that files can be dropped anywhere, and lets them be picked by hand. */
export function DropField() {
	const input = useRef<HTMLInputElement>(null);
	const navigate = useNavigate();
	return (
		<div className="border border-dashed border-dim px-4 py-3 text-center">
			<p>Drop files anywhere on any screen, or</p>
			<button type="button" className="act-plain mt-2" onClick={() => input.current?.click()}>
				Choose files…
			</button>
			<input
				ref={input}
				type="file"
				multiple
				className="hidden"
				aria-label="Files to take in"
				onChange={(e) => {
					const files = [...(e.target.files ?? [])];
					e.target.value = "";
					if (files.length === 0) return;
					dropFiles(files);
					navigate("/intake");
				}}
			/>
		</div>
	);
}

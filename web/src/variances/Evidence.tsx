import { useMutation } from "@tanstack/react-query";
import { useRef, useState } from "react";
import { queries, type Schemas } from "../api/client";
import { key } from "../api/keys";
import { Warn, when } from "../frame/figures";

type File_ = Schemas["EvidenceView"];

/** Photos and files that belong to a line: shown, kept, dropped here or pasted. */
export function Evidence({ id, pos, files, may }: { id: number; pos: number; files: File_[]; may: boolean }) {
	const pick = useRef<HTMLInputElement>(null);
	const [over, setOver] = useState(false);
	const attach = useMutation({
		mutationFn: async (list: File[]) => {
			for (const f of list) {
				const res = await fetch(`/api/counts/${id}/lines/${pos}/evidence?name=${encodeURIComponent(f.name)}`, { method: "POST", body: f });
				if (!res.ok) {
					const said = (await res.json().catch(() => null)) as { detail?: string } | null;
					throw new Error(said?.detail ?? "It was not kept.");
				}
			}
		},
		onSettled: () => queries.invalidateQueries({ queryKey: key.history(id, pos) }),
	});
	if (!may && files.length === 0) return null;
	const address = (f: File_) => `/api/counts/${id}/evidence/${f.id}`;
	return (
		<div
			className={`mt-1.5 ${over ? "outline-2 outline-ink outline-dashed" : ""}`}
			data-evidence={files.length}
			data-own-drop={may || undefined}
			onDragOver={(e) => {
				if (!may) return;
				e.preventDefault();
				setOver(true);
			}}
			onDragLeave={() => setOver(false)}
			onDrop={(e) => {
				setOver(false);
				if (!may || e.dataTransfer.files.length === 0) return;
				e.preventDefault();
				e.stopPropagation(); // it belongs to this line, and is no file to take in
				attach.mutate([...e.dataTransfer.files]);
			}}
			onPaste={(e) => {
				const pasted = [...e.clipboardData.files];
				if (!may || pasted.length === 0) return;
				e.preventDefault();
				attach.mutate(pasted);
			}}
		>
			{files.length > 0 && (
				<ul className="flex flex-wrap items-end gap-2 text-[12.5px]">
					{files.map((f) => (
						<li key={f.id} title={`${f.name}, ${f.person}, ${when(f.at)}`}>
							<a href={address(f)} target="_blank" rel="noreferrer" className="word block max-w-36 truncate">
								{f.sort === "picture" && !/\.heic$/i.test(f.name) ? (
									<img src={address(f)} alt={f.name} className="h-16 max-w-36 border border-hair object-cover" />
								) : (
									f.name
								)}
							</a>
						</li>
					))}
				</ul>
			)}
			{may && (
				<>
					<button type="button" className="word text-[12.5px] text-dim" disabled={attach.isPending} onClick={() => pick.current?.click()}>
						{attach.isPending ? "being kept…" : "attach a photo or file"}
					</button>
					<input
						ref={pick}
						type="file"
						multiple
						hidden
						aria-label="Photo or file of this line"
						data-attach
						onChange={(e) => {
							const list = [...(e.target.files ?? [])];
							e.target.value = "";
							if (list.length > 0) attach.mutate(list);
						}}
					/>
				</>
			)}
			{attach.error && <Warn>{attach.error.message}</Warn>}
		</div>
	);
}

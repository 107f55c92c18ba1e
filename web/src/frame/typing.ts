/** Whether a key goes to a field that is being typed into. */
export const typing = (e: Event | React.SyntheticEvent) =>
	(e.target as HTMLElement)?.closest?.("input, textarea, select, [contenteditable], [role=listbox]") != null;

/** Names as they are typed, apart by commas. */
export const namesIn = (text: string) =>
	text
		.split(/[,;\n]+/)
		.map((n) => n.trim())
		.filter(Boolean);

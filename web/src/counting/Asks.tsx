/** How a question about a count is answered: a second entry adds up or replaces the first, or a quantity that looks wrong is meant. */
export type Answer = { again: "add" | "replace" } | { sure: true };

/** The words that answer what the server asked about a count it did not put down; nothing when it asked nothing. */
export function Asks({ asks, onAnswer }: { asks?: string; onAnswer: (answer: Answer) => void }) {
	if (asks === "again")
		return (
			<span className="ml-2 inline-flex gap-2">
				<button type="button" className="word" onClick={() => onAnswer({ again: "add" })}>
					both add up
				</button>
				<button type="button" className="word" onClick={() => onAnswer({ again: "replace" })}>
					the new one stands alone
				</button>
			</span>
		);
	if (asks === "sure")
		return (
			<button type="button" className="word ml-2" onClick={() => onAnswer({ sure: true })}>
				it is meant
			</button>
		);
	return null;
}

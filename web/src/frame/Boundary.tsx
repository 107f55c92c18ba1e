import { Component, type ReactNode } from "react";
import { Empty } from "./figures";

/** Catches what breaks in a view, so that the rest of the program stays usable and it is said what happened. */
export class Boundary extends Component<{ at: string; children: ReactNode }, { error: Error | null; at: string }> {
	state = { error: null as Error | null, at: this.props.at };

	static getDerivedStateFromError(error: Error) {
		return { error };
	}

	/** Another place is another try. */
	static getDerivedStateFromProps(props: { at: string }, state: { error: Error | null; at: string }) {
		return props.at === state.at ? null : { error: null, at: props.at };
	}

	render() {
		if (!this.state.error) return this.props.children;
		return (
			<Empty title="This view broke">
				<p>What is recorded is not touched by that. The fault is ours: {this.state.error.message}</p>
				<button type="button" className="act-plain mt-4" onClick={() => this.setState({ error: null })}>
					Show it again
				</button>
			</Empty>
		);
	}
}

import { QueryClientProvider } from "@tanstack/react-query";
import { createRoot } from "react-dom/client";
import { BrowserRouter } from "react-router";
import { queries } from "./api/client";
import { App } from "./app";
import "./styles.css";

const root = document.getElementById("root");
if (root) {
	createRoot(root).render(
		<QueryClientProvider client={queries}>
			<BrowserRouter>
				<App />
			</BrowserRouter>
		</QueryClientProvider>,
	);
}

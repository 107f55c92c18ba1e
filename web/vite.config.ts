import tailwindcss from "@tailwindcss/vite";
import react from "@vitejs/plugin-react";
import { defineConfig } from "vite";

export default defineConfig({
	plugins: [react(), tailwindcss()],
	// One script of 190 kB gzipped; the first view may have 250 kB (docs/architecture.md).
	build: { outDir: "dist", emptyOutDir: true, assetsInlineLimit: 0, chunkSizeWarningLimit: 800 },
	server: { proxy: { "/api": "http://127.0.0.1:8080" } },
});

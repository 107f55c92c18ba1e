import { readdirSync, readFileSync, writeFileSync } from "node:fs";
import { join } from "node:path";
import { brotliCompressSync, constants, gzipSync } from "node:zlib";
import tailwindcss from "@tailwindcss/vite";
import react from "@vitejs/plugin-react";
import { defineConfig } from "vite";

/** Leaves each text file of the build beside itself as .gz and .br, so that the server never compresses it. */
const compressed = {
	name: "compressed",
	apply: "build",
	closeBundle() {
		const assets = join(import.meta.dirname, "dist", "assets");
		for (const name of readdirSync(assets)) {
			if (!/\.(js|css|svg)$/.test(name)) continue;
			const bytes = readFileSync(join(assets, name));
			writeFileSync(join(assets, `${name}.gz`), gzipSync(bytes, { level: 9 }));
			writeFileSync(join(assets, `${name}.br`), brotliCompressSync(bytes, { params: { [constants.BROTLI_PARAM_QUALITY]: 11 } }));
		}
	},
};

export default defineConfig({
	plugins: [react(), tailwindcss(), compressed],
	build: { outDir: "dist", emptyOutDir: true, assetsInlineLimit: 0, chunkSizeWarningLimit: 800 },
	server: { proxy: { "/api": "http://127.0.0.1:8080" } },
});

import { PostgreSQL } from "@codemirror/lang-sql";
import react from "@vitejs/plugin-react";
import { defineConfig, type Plugin } from "vite";
import { compression } from "vite-plugin-compression2";

// The fonts that every page has: they begin to load with the page, and not when its styles have come.
const preloaded = /source-serif-4-latin-(400|600)-normal.*\.woff2$/;

function preloadFonts(): Plugin {
  return {
    name: "preload-fonts",
    transformIndexHtml: {
      order: "post",
      handler: (_, { bundle }) =>
        Object.keys(bundle ?? {})
          .filter((name) => preloaded.test(name))
          .map((name) => ({
            tag: "link",
            attrs: { rel: "preload", href: `/${name}`, as: "font", type: "font/woff2", crossorigin: "" },
            injectTo: "head",
          })),
    },
  };
}

/** The words of the editor's SQL, without the editor. */
function sqlWords(): Plugin {
  const id = "virtual:sql-words";
  return {
    name: "sql-words",
    resolveId: (source) => (source === id ? "\0" + id : undefined),
    load(source) {
      if (source !== "\0" + id) return;
      const { keywords, types } = PostgreSQL.spec;
      return `export const keywords = ${JSON.stringify(keywords)};\nexport const types = ${JSON.stringify(types)};`;
    },
  };
}

export default defineConfig({
  plugins: [
    react(),
    sqlWords(),
    preloadFonts(),
    compression({ include: /\.(html|js|css|svg)$/, algorithms: ["gzip", "brotliCompress"] }),
  ],
  build: {
    outDir: "../internal/web/dist",
    emptyOutDir: false, // .keep stays; make build clears the rest
  },
  server: { proxy: { "/api": "http://127.0.0.1:8080" } },
});

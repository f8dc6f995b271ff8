import { readFileSync } from "node:fs";
import type { Plugin } from "vite";
import { meanings } from "./src/controls/meanings";

const NAME = "virtual:meanings";
const SOURCE = new URL("../docs/methods.md", import.meta.url);

/** Gives the page what a figure means, out of the one place where that is written. */
export function meaningsPlugin(): Plugin {
  return {
    name: "meanings",
    resolveId: (id) => (id === NAME ? `\0${NAME}` : null),
    load(id) {
      if (id !== `\0${NAME}`) return null;
      const file = SOURCE.pathname;
      this.addWatchFile(file);
      return `export default ${JSON.stringify(meanings(readFileSync(file, "utf8")))};`;
    },
  };
}

/** The guide's pages, from docs/guide: Markdown becomes HTML when the page is built, its pictures files of their own. */
import { marked } from "marked";
import type { Plugin } from "vite";

const PICTURE = /<img src="([^"]+)"/g;

export function guide(): Plugin {
  return {
    name: "guide",
    transform(text, id) {
      if (!id.endsWith(".md")) return null;
      const pictures: string[] = [];
      const html = marked.parse(text, { async: false }).replace(PICTURE, (_, path: string) => {
        pictures.push(path);
        return `<img loading="lazy" src="@picture${pictures.length - 1}@"`;
      });
      const imports = pictures.map(
        (path, row) => `import picture${row} from ${JSON.stringify(`${path}?url`)};`,
      );
      const named = pictures.map((_, row) => `.replace("@picture${row}@", picture${row})`).join("");
      return { code: `${imports.join("\n")}\nexport default ${JSON.stringify(html)}${named};`, map: null };
    },
  };
}

/** The pages of the guide: what they are called, and what stands on them. */

export interface GuidePage {
  slug: string;
  title: string;
  html: string;
}

const found = import.meta.glob<string>("../../../docs/guide/*.md", { import: "default", eager: true });

/** In their order. */
export const PAGES: readonly GuidePage[] = Object.entries(found)
  .map(([path, html]) => {
    const name = path.slice(path.lastIndexOf("/") + 1, -".md".length);
    const [number, ...words] = name.split("-");
    const title = /<h1>(.*?)<\/h1>/.exec(html)?.[1] ?? name;
    return { number: Number(number), slug: words.join("-"), title: title.replaceAll("&#39;", "’"), html };
  })
  .sort((one, other) => one.number - other.number);

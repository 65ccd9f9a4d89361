/** A small drawing of what a gesture does to a row of notes. */
export const SIGNS = {
  hairpin: "M2 10 L22 3",
  swell: "M2 10 L12 2 L22 10",
  fadeIn: "M2 11 L10 2 L22 2",
  fadeOut: "M2 2 L14 2 L22 11",
  level: "M2 6.5 L22 6.5 M2 2v1 M8 10v1 M15 3v1 M21 9v1",
  depth: "M3 6.5 L21 1.5 M3 6.5 L21 11.5 M3 6.5 L21 6.5",
  knee: "M2 11 C9 4 10 4 22 3.5",
  vary: "M2 7 L6 3 L9 9 L13 4 L17 10 L22 5",
  accent: "M3 11V2 M8 11V8 M13 11V5 M18 11V8",
  copy: "M2 2h9v6h-9z M13 5h9v6h-9z",
  trim: "M2 11 L22 11 M2 5 L22 5 M12 5v6",
} as const;

export type Sign = keyof typeof SIGNS;

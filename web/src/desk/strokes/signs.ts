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
  scoop: "M2 11 C5 11 7 4 11 4 L22 4",
  fall: "M2 3 L13 3 C17 3 19 10 22 11",
  dip: "M2 3 L7 3 C9 3 10 10 12 10 C14 10 15 3 17 3 L22 3",
  glide: "M2 10 L9 10 C13 10 13 3 16 3 L22 3",
  shake: "M2 6.5 L6 6.5 C8 1 9 1 10.5 6.5 C12 12 13 12 14.5 6.5 C16 1 17 1 18.5 6.5 C20 12 21 12 22 6.5",
  home: "M2 3 L8 3 L8 9 L22 9",
  instrument: "M3 2h18v9h-18z M7 5v3 M12 5v3 M17 5v3",
  stream: "M2 10h3v-2h3v-2h4v-2h4v-2h6",
  range: "M3 2 L21 2 M3 11 L21 11 M12 2 L12 11 M9.5 4.5 L12 2 L14.5 4.5 M9.5 8.5 L12 11 L14.5 8.5",
} as const;

export type Sign = keyof typeof SIGNS;

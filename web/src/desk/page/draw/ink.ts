/** Colours and small strokes that all staves share. */

export interface Ink {
  paper: string;
  sheet: string;
  rule: string;
  ruleStrong: string;
  ink: string;
  faded: string;
  ghost: string;
  accent: string;
  accentWash: string;
  dye: (name: string) => string;
}

export const FORCED_COLOURS = "(forced-colors: active)";

/** Read the colours from the style sheet, so that they are named in one place; or the system's, where it sets them. */
export function mixInk(): Ink {
  if (window.matchMedia(FORCED_COLOURS).matches) return systemInk();
  const style = getComputedStyle(document.documentElement);
  const colour = (name: string) => style.getPropertyValue(`--color-${name}`).trim();
  const dyes = new Map<string, string>();
  return {
    paper: colour("paper"),
    sheet: colour("sheet"),
    rule: colour("rule"),
    ruleStrong: colour("rule-strong"),
    ink: colour("ink"),
    faded: colour("faded"),
    ghost: colour("ghost"),
    accent: colour("accent"),
    accentWash: colour("accent-wash"),
    dye(name) {
      if (!dyes.has(name)) dyes.set(name, colour(name) || colour("oakgall"));
      return dyes.get(name) as string;
    },
  };
}

/** The system's own colours: what is said by a dye is said by the part's seal then. */
function systemInk(): Ink {
  const [paper, ink, marked] = [hexOf("Canvas"), hexOf("CanvasText"), hexOf("Highlight")];
  return {
    paper,
    sheet: paper,
    rule: blend(paper, ink, 0.25),
    ruleStrong: ink,
    ink,
    faded: ink,
    ghost: hexOf("GrayText"),
    accent: marked,
    accentWash: blend(paper, marked, 0.3),
    dye: () => ink,
  };
}

/** What a colour of the system comes to, as #rrggbb. */
function hexOf(name: string): string {
  const probe = document.createElement("i");
  probe.style.color = name;
  document.body.append(probe);
  const shares = getComputedStyle(probe).color.match(/[\d.]+/g) ?? ["0", "0", "0"];
  probe.remove();
  return toHex(shares.slice(0, 3).map(Number));
}

/** Red, green and blue (0 to 255) of a colour as #rrggbb. */
export const sharesOf = (colour: string): number[] =>
  [1, 3, 5].map((at) => Number.parseInt(colour.slice(at, at + 2), 16));

const toHex = (shares: readonly number[]): string =>
  `#${shares.map((share) => Math.round(share).toString(16).padStart(2, "0")).join("")}`;

/** So much of one colour over another. */
function blend(ground: string, over: string, share: number): string {
  const top = sharesOf(over);
  return toHex(sharesOf(ground).map((under, at) => under + (top[at]! - under) * share));
}

export const SANS = '"Source Sans 3 Variable", sans-serif';
export const MARK = '"Crimson Pro", Georgia, serif';

/** Paper, until there is something to be drawn: a canvas that is not seen through begins black. */
export function blank(pen: CanvasRenderingContext2D, { sheet }: Ink): void {
  pen.fillStyle = sheet;
  pen.fillRect(0, 0, pen.canvas.width, pen.canvas.height);
}

/** A crisp line of one pixel. */
export function hair(pen: CanvasRenderingContext2D, x0: number, y0: number, x1: number, y1: number): void {
  pen.moveTo(Math.round(x0) + 0.5, Math.round(y0) + 0.5);
  pen.lineTo(Math.round(x1) + 0.5, Math.round(y1) + 0.5);
}

/** A line through points, in one stroke. */
export function polyline(
  pen: CanvasRenderingContext2D,
  points: readonly (readonly [number, number])[],
): void {
  pen.beginPath();
  points.forEach(([x, y], index) => {
    if (index) pen.lineTo(x, y);
    else pen.moveTo(x, y);
  });
  pen.stroke();
}

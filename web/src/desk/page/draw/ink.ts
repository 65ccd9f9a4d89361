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

/** Read the colours from the style sheet, so that they are named in one place. */
export function mixInk(): Ink {
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

import { sharesOf } from "./ink";

/**
 * Thousands of small rectangles at once, as pixels. A canvas records every rectangle as a drawing order of its own; with
 * many thousands of them that, not the painting, is what a frame is spent on.
 */
export class Raster {
  private readonly canvas = document.createElement("canvas");
  private readonly pen = this.canvas.getContext("2d") as CanvasRenderingContext2D;
  private image = new ImageData(1, 1);
  private pixels = new Uint32Array(this.image.data.buffer);
  private density = 1;

  /** Begin empty, for a stave of this size. */
  begin(width: number, height: number): void {
    this.density = window.devicePixelRatio || 1;
    const [wide, tall] = [Math.ceil(width * this.density), Math.ceil(height * this.density)];
    if (this.image.width !== wide || this.image.height !== tall) {
      this.canvas.width = wide;
      this.canvas.height = Math.max(tall, 1);
      this.image = new ImageData(wide, Math.max(tall, 1));
      this.pixels = new Uint32Array(this.image.data.buffer);
    } else this.pixels.fill(0);
  }

  rect(x: number, y: number, width: number, height: number, colour: number): void {
    const { density, pixels } = this;
    const wide = this.image.width;
    const left = Math.max(Math.round(x * density), 0);
    const right = Math.min(Math.max(Math.round((x + width) * density), left + 1), wide);
    const top = Math.max(Math.round(y * density), 0);
    const bottom = Math.min(Math.max(Math.round((y + height) * density), top + 1), this.image.height);
    for (let row = top; row < bottom; row++) pixels.fill(colour, row * wide + left, row * wide + right);
  }

  /** Lay it over what the pen has drawn. */
  paint(pen: CanvasRenderingContext2D): void {
    this.pen.putImageData(this.image, 0, 0);
    pen.drawImage(this.canvas, 0, 0, this.image.width / this.density, this.image.height / this.density);
  }
}

/** A colour of the style sheet (#rrggbb) with an opacity, as a pixel. */
export function pixelOf(colour: string, opacity: number): number {
  const [red = 0, green = 0, blue = 0] = sharesOf(colour);
  // Pixels are bytes in the order red, green, blue, opacity; machines that run browsers read them from the last.
  return ((Math.round(opacity * 255) << 24) | (blue << 16) | (green << 8) | red) >>> 0;
}

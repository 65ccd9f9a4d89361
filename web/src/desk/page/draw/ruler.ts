/** The ruler: bar numbers, beats, the span. */
import { GUTTER, xOf } from "../camera";
import { visibleBars } from "./grid";
import { hair, MARK, SANS } from "./ink";
import type { Scene } from "./scene";

export const RULER_HEIGHT = 30;
const LABEL_PIXELS = 44;

export function drawRuler(scene: Scene): void {
  const { pen, ink, camera, score, span } = scene;
  pen.fillStyle = ink.sheet;
  pen.fillRect(0, 0, camera.width, RULER_HEIGHT);
  if (span) {
    const left = Math.max(xOf(camera, span[0]), GUTTER);
    const right = xOf(camera, span[1]);
    if (right > left) {
      pen.fillStyle = ink.accentWash;
      pen.fillRect(left, 0, right - left, RULER_HEIGHT);
      pen.fillStyle = ink.accent;
      pen.fillRect(left, RULER_HEIGHT - 3, right - left, 3);
    }
  }
  const [from, to] = visibleBars(scene);
  pen.textBaseline = "middle";
  pen.textAlign = "left";
  pen.strokeStyle = ink.ruleStrong;
  pen.lineWidth = 1;
  pen.beginPath();
  const every = labelStep(scene, from);
  let room = -1e9;
  let meter = "";
  for (let bar = from; bar < to; bar++) {
    const x = xOf(camera, score.bars.start[bar]!);
    const now = `${score.bars.beats[bar]}/${(score.resolution * 4) / score.bars.beat_ticks[bar]!}`;
    if (x >= GUTTER && bar % every === 0 && x - room >= LABEL_PIXELS) {
      hair(pen, x, 10, x, RULER_HEIGHT);
      pen.fillStyle = ink.ink;
      pen.font = `600 13px ${SANS}`;
      pen.fillText(String(bar + 1), x + 5, 15);
      room = x;
      if (now !== meter && bar > 0) {
        const width = pen.measureText(String(bar + 1)).width;
        pen.fillStyle = ink.faded;
        pen.font = `italic 600 14px ${MARK}`;
        pen.fillText(now, x + 10 + width, 15);
        room += 16;
      }
    }
    meter = now;
    const beat = score.bars.beat_ticks[bar]! * camera.perTick;
    if (beat < 14) continue;
    for (let at = 1; at < score.bars.beats[bar]!; at++) {
      const line = x + at * beat;
      if (line >= GUTTER) hair(pen, line, RULER_HEIGHT - 8, line, RULER_HEIGHT);
    }
  }
  hair(pen, 0, RULER_HEIGHT - 1, camera.width, RULER_HEIGHT - 1);
  pen.stroke();
  pen.fillStyle = ink.sheet;
  pen.fillRect(0, 0, GUTTER, RULER_HEIGHT - 1);
  pen.fillStyle = ink.faded;
  pen.font = `italic 400 15px ${MARK}`;
  pen.textAlign = "right";
  pen.fillText("bar", GUTTER - 10, 15);
}

/** Every bar is numbered, or every second, fourth, eighth ...: as many as there is room for. */
function labelStep({ camera, score }: Scene, bar: number): number {
  const width = score.bars.beats[bar]! * score.bars.beat_ticks[bar]! * camera.perTick;
  return 2 ** Math.max(Math.ceil(Math.log2(LABEL_PIXELS / width)), 0);
}

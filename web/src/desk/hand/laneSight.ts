/** Looking at a lane closely or from afar: by the wheel of the pointer, and by keys. */
import { GUTTER, scrolled, zoomed } from "../page/camera";
import { nearer } from "../page/scale";
import type { LaneStave } from "../stage/laneStage";
import { desk, keptLane, laneExtent, laneLevels, look, set } from "../take/state";
import { closerBy, turned } from "./wheel";

const KEY_FACTOR = 1.6;

/** Closer by a factor about a value; a lane that has ends of its own is always seen whole. */
function closer({ kind }: LaneStave, about: number, factor: number): void {
  if (!kind.least) return;
  set({ windows: { ...desk().windows, [kind.key]: nearer(laneExtent(kind), about, factor, kind) } });
}

/** All that is there, and as far as the range goes. */
function whole({ kind }: LaneStave): void {
  const { [kind.key]: _, ...others } = desk().windows;
  set({ windows: others });
}

/** + and − about the node that is open, or about the middle; 0 shows all. False where the key is none of these. */
export function sightKey(stave: LaneStave, key: string): boolean {
  if (!stave.kind.least || !["+", "=", "-", "0"].includes(key)) return false;
  if (key === "0") whole(stave);
  else {
    const stroke = desk().shaping?.stroke;
    const about =
      stroke?.kind === "lane.nodes" && stroke.nodes.length === 1 ? stroke.nodes[0]!.value : middle(stave);
    closer(stave, about, key === "-" ? 1 / KEY_FACTOR : KEY_FACTOR);
  }
  return true;
}

function middle({ kind }: LaneStave): number {
  const [low, high] = laneExtent(kind);
  return keptLane(kind.key) ? (low + high) / 2 : kind.middle;
}

/** With Alt the wheel looks closer at the values, with Ctrl at the time; with Shift it goes along. */
export function attachLaneWheel(canvas: HTMLCanvasElement, stave: () => LaneStave): () => void {
  const wheel = (event: WheelEvent) => {
    const turn = turned(event);
    const along = turn.along || turn.across;
    const factor = closerBy(along);
    const box = canvas.getBoundingClientRect();
    const now = stave();
    if (event.altKey && now.open && now.kind.least) {
      event.preventDefault();
      closer(now, laneLevels(now.kind, now.height).valueAt(event.clientY - box.top), factor);
    } else if (event.ctrlKey || event.metaKey) {
      event.preventDefault();
      look((camera, score) => zoomed(camera, score, Math.max(event.clientX - box.left, GUTTER), factor));
    } else if (event.shiftKey || Math.abs(turn.across) > Math.abs(turn.along)) {
      event.preventDefault();
      look((camera, score) => scrolled(camera, score, along));
    }
  };
  canvas.addEventListener("wheel", wheel, { passive: false });
  return () => canvas.removeEventListener("wheel", wheel);
}

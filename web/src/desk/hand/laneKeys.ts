/** A way through a lane by keys: from node to node, up and down, and a node where the playhead stands. */
import { type LaneNodes, slides, taken, textOf, wordOf } from "../../score/lanes";
import { firstAbove, placeText, tickAt } from "../../score/score";
import { player } from "../../sound/player";
import { between, rounded } from "../../ui/numbers";
import { rightTick } from "../page/camera";
import type { LaneStave } from "../stage/laneStage";
import { keep, preview } from "../take/shaping";
import { desk, keptLane, look, set } from "../take/state";
import { addNode, openNode } from "./laneGestures";
import { sightKey } from "./laneSight";

export const LANE_KEYS =
  "Left and right go from node to node (Home, End: the first, the last), up and down move it (Shift: further), Enter puts a node where the playhead stands, Delete takes it away. Of a lane without ends of its own, + and − show it closer or from afar, 0 all of it.";

/** Of what has two decimals a key moves so much. */
const FINE_STEP = 0.1;

let holds = false;

/** Handle a key on a lane that has the focus; false where it is none of its. */
export function laneKey(stave: LaneStave, key: string, far: boolean): boolean {
  const { score } = desk();
  if (!score) return false;
  const nodes = keptLane(stave.kind.key);
  set({ activeLane: stave.kind.key });
  if (sightKey(stave, key)) return true;
  const at = player.position();
  // What is only tried is kept first.
  const { shaping } = desk();
  if (key === "Enter" && shaping?.number === null && !shaping.found?.idle) return false;
  if (key === "Enter") {
    const tick = Math.round(tickAt(score, at));
    const value = stave.kind.default;
    addNode(stave, [tick, taken(stave.form, stave.kind, valueThere(nodes, tick) ?? value)]);
    set({ span: [tick, tick + 1] });
    void keep();
    return true;
  }
  // A node that has just been put down is moved though its lane has not been read again; without one there is nothing
  // that these keys could move: not the notes.
  const vertical = { ArrowUp: 1, ArrowDown: -1 }[key];
  if (vertical) {
    nudgeNode(stave, vertical * (far ? 10 : 1));
    return true;
  }
  if (!nodes?.tick.length) return false;
  const from = chosenNode(nodes) ?? firstAbove(nodes.tick, tickAt(score, at)) - 1;
  const last = nodes.tick.length - 1;
  const to = { ArrowLeft: from - (far ? 10 : 1), ArrowRight: from + (far ? 10 : 1), Home: 0, End: last }[key];
  if (to === undefined) return false;
  goTo(nodes, between(to, 0, last));
  openNode(stave, between(to, 0, last));
  return true;
}

/** What was moved by a key that was held is one stroke. */
export function endLaneKey(): void {
  if (!holds) return;
  holds = false;
  void keep();
}

function valueThere(nodes: LaneNodes | undefined, tick: number): number | null {
  const before = nodes ? firstAbove(nodes.tick, tick) - 1 : -1;
  return nodes && before >= 0 ? rounded(nodes.value[before]!, 3) : null;
}

/** The node that is chosen: a span of one tick lies on it. */
function chosenNode(nodes: LaneNodes): number | null {
  const { span } = desk();
  if (!span || span[1] - span[0] !== 1) return null;
  const node = firstAbove(nodes.tick, span[0]) - 1;
  return node >= 0 && nodes.tick[node] === span[0] ? node : null;
}

function goTo(nodes: LaneNodes, node: number): void {
  const tick = nodes.tick[node]!;
  look((camera) => {
    const seen = tick >= camera.left && tick < rightTick(camera);
    return seen ? camera : { ...camera, left: Math.max(tick - (rightTick(camera) - camera.left) / 4, 0) };
  });
}

function nudgeNode(stave: LaneStave, by: number): void {
  const open = desk().shaping?.stroke;
  if (open?.kind !== "lane.nodes" || open.lane !== stave.kind.key || open.nodes.length !== 1) return;
  const node = open.nodes[0]!;
  const { kind, form } = stave;
  const step = kind.decimals ? FINE_STEP : 1;
  const moved = rounded(between(node.value + by * step, kind.low, kind.high), 3);
  const value = slides(form) ? moved : by > 0 ? kind.high : kind.low;
  preview({ ...open, nodes: [{ ...node, value }] });
  holds = true;
}

/** The node that is open, in words. */
export function nodeInWords(stave: LaneStave): string {
  const { shaping, score } = desk();
  const stroke = shaping?.stroke;
  if (!score || stroke?.kind !== "lane.nodes" || stroke.lane !== stave.kind.key || stroke.nodes.length !== 1)
    return "";
  const { tick, value } = stroke.nodes[0]!;
  const said = slides(stave.form) ? textOf(stave.kind, value) : wordOf(stave.kind, value);
  return `Node at ${placeText(score, tick)}: ${said}`;
}

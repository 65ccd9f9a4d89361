import { type PartScore, sounding } from "../../score/score";
import { count } from "../../ui/words";
import { GUTTER, rightTick, yOfPitch } from "../page/camera";
import { rowName } from "../take/arranging";
import { leadPart, look, useDesk } from "../take/state";

interface Side {
  notes: number;
  /** The nearest pitch beyond the edge. */
  nearest: number;
}

/** Notes above and below what is in sight: how many and where; a click goes to them. */
export function Beyond() {
  const camera = useDesk((state) => state.camera);
  const score = useDesk((state) => state.score);
  const fronts = useDesk((state) => state.fronts);
  if (!score) return null;
  const above: Side = { notes: 0, nearest: 128 };
  const below: Side = { notes: 0, nearest: -1 };
  for (const part of fronts.map((one) => score.parts[one]) as PartScore[]) {
    const [from, to] = sounding(part, camera.left, rightTick(camera));
    for (let note = from; note < to; note++) {
      if (part.end[note]! < camera.left) continue;
      const pitch = part.pitch[note]!;
      const y = yOfPitch(camera, pitch);
      if (y < -1e5) continue;
      if (y + camera.row / 2 < 0) {
        above.notes++;
        above.nearest = Math.min(above.nearest, pitch);
      } else if (y + camera.row / 2 > camera.notesHeight) {
        below.notes++;
        below.nearest = Math.max(below.nearest, pitch);
      }
    }
  }
  const goTo = (pitch: number) =>
    look((now) => ({ ...now, top: now.rowOf[pitch]! + now.notesHeight / now.row / 2 }));
  return (
    <>
      {above.notes > 0 && <Edge side="above" {...above} onGo={() => goTo(above.nearest)} />}
      {below.notes > 0 && <Edge side="below" {...below} onGo={() => goTo(below.nearest)} />}
    </>
  );
}

function Edge({ side, notes, nearest, onGo }: Side & { side: "above" | "below"; onGo: () => void }) {
  return (
    <button
      type="button"
      onClick={onGo}
      style={{ left: GUTTER + 8 }}
      className={`absolute z-10 flex h-6 items-center gap-1.5 rounded-full border border-rule-strong bg-sheet px-2.5 text-[13px] hover:border-ink ${
        side === "above" ? "top-1.5" : "bottom-1.5"
      }`}
    >
      <svg viewBox="0 0 10 10" className={`h-2.5 w-2.5 ${side === "below" ? "rotate-180" : ""}`} aria-hidden>
        <path d="M1.5 6.5L5 3l3.5 3.5" fill="none" stroke="currentColor" strokeWidth="1.5" />
      </svg>
      {count(notes, "note")} {side}, {side === "above" ? "from" : "down from"} {rowName(leadPart(), nearest)}
    </button>
  );
}

import { useState } from "react";
import { api, type Schemas } from "../../api/client";
import { lanesOf } from "../../api/strokes";
import { placeText } from "../../score/score";
import { Check } from "../../ui/Entries";
import { Seal } from "../../ui/Seal";
import { count } from "../../ui/words";
import { showing } from "../page/camera";
import { begin } from "../strokes/opening";
import { partDye, partName, toFront } from "../take/arranging";
import { useCheckUp, useRead } from "../take/reading";
import { look, set, takePath, useDesk } from "../take/state";
import { Load } from "./Load";
import { Pane } from "./Pane";
import { Range } from "./Range";

type Found = Schemas["SpotView"];

/** What is broken and what sounds programmed, part by part: each is gone to, and mended by a stroke that is tried first. */
export function CheckUp() {
  const { data: found, isNew } = useCheckUp();
  const [everywhere, setEverywhere] = useState(false);
  const broken = found?.filter(({ kind }) => kind === "broken").length ?? 0;
  const said = found
    ? found.length
      ? `${count(broken, "thing")} broken, ${count(found.length - broken, "stiff spot")}`
      : "Nothing is broken, and nothing sounds programmed."
    : "Listening …";
  return (
    <Pane
      name="Check-up"
      high="h-56"
      beside={
        <>
          <span role="status" className="text-faded">
            {isNew || !found ? said : "Listening …"}
          </span>
          <Check words="Mend it everywhere in the part" on={everywhere} onChange={setEverywhere} />
        </>
      }
      onClose={() => set({ checkOpen: false })}
    >
      <div className="grid min-h-0 flex-1 grid-cols-[minmax(0,1fr)_26rem] divide-x divide-rule folded:grid-cols-1 folded:divide-x-0">
        <ul className="min-h-0 overflow-y-auto" aria-label="What was found">
          {found?.map((one) => (
            <Row
              key={`${one.part} ${one.lane} ${one.reason} ${one.spans[0]?.[0]}`}
              found={one}
              everywhere={everywhere}
            />
          ))}
        </ul>
        <div className="flex min-h-0 flex-col">
          <Range />
          <Cable />
        </div>
      </div>
    </Pane>
  );
}

/** What the cable has to carry of all parts as they are sent. */
function Cable() {
  const load = useRead<Schemas["Wire"]>(["wire", ""], () =>
    api.GET("/api/takes/{take_id}/wire", { params: { path: takePath(), query: {} } }),
  );
  return (
    <section aria-label="The cable" className="px-3 pb-1.5 text-[13px]">
      {load && <Load load={load} />}
    </section>
  );
}

/** So much is seen around a place that is gone to, in quarters. */
const AROUND = 4;

function Row({ found, everywhere }: { found: Found; everywhere: boolean }) {
  const score = useDesk((state) => state.score);
  const part = score?.parts[found.part];
  if (!score || !part) return null;
  const [span] = found.spans;
  const go = () => {
    toFront(part.id);
    if (!span) return;
    const air = AROUND * score.resolution;
    const [from, to] = [span[0], Math.min(span[1], span[0] + 16 * air)];
    look((camera, whole) => showing(camera, whole, Math.max(from - air, 0), to + air));
    set({ span: [span[0], span[1]], ...(found.lane ? { activeLane: found.lane } : {}) });
  };
  const mend = (stroke: Found["mends"][number]["stroke"]) => {
    go();
    const [lane] = lanesOf(stroke);
    if (lane) set({ activeLane: lane });
    begin(everywhere ? { ...stroke, where: { parts: stroke.where?.parts } } : stroke);
  };
  return (
    <li className="flex min-h-8 items-center gap-2 border-b border-rule px-3 py-0.5 text-[13px]">
      <Seal seal={part.seal} dye={partDye(part)} />
      <span className={`w-14 shrink-0 ${found.kind === "broken" ? "text-accent-deep" : "text-faded"}`}>
        {found.kind}
      </span>
      <button
        type="button"
        className="min-h-6 min-w-0 flex-1 text-left hover:text-accent-deep"
        title={`${partName(part)}: go there`}
        onClick={go}
      >
        {found.says}
      </button>
      {span && <span className="shrink-0 text-faded">{placeText(score, span[0])}</span>}
      {found.mends.map(({ words, stroke }) => (
        <button
          key={words}
          type="button"
          className="key h-6 shrink-0 px-2 text-[13px]"
          onClick={() => mend(stroke)}
        >
          {words}
        </button>
      ))}
    </li>
  );
}

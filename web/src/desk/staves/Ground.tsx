import { DropdownMenu } from "radix-ui";
import { gesturesOn } from "../../api/strokes";
import { bpmAt } from "../../score/score";
import { MENU_ITEM, Menu } from "../../ui/Menu";
import { rounded } from "../../ui/numbers";
import { GUTTER } from "../page/camera";
import { beginGesture } from "../strokes/begin";
import { metre } from "../strokes/numbers";
import { set, useDesk } from "../take/state";

/** Tempo and metre at the left of the ruler, as they are where the span begins or at the start; pressed, they are changed. */
export function Ground() {
  const score = useDesk((state) => state.score);
  const tick = useDesk((state) => state.span?.[0] ?? 0);
  const lane = useDesk((state) => state.activeLane);
  if (!score) return null;
  const { beats, unit } = metre(tick);
  const tempo = rounded(bpmAt(score, tick), 1);
  return (
    <div className="absolute top-[38px] left-0 h-[29px]" style={{ width: GUTTER - 34 }}>
      <Menu
        label={`Tempo and metre: ${Math.round(tempo)}, ${beats}/${unit}`}
        align="start"
        className="h-full w-full rounded px-2 text-[12px] whitespace-nowrap"
        sign={
          <span>
            <span aria-hidden className="font-mark italic">
              ♩{" "}
            </span>
            {`${Math.round(tempo)}, ${beats}/${unit}`}
          </span>
        }
      >
        {gesturesOn("ground").map((gesture) => (
          <DropdownMenu.Item
            key={gesture.name}
            className={MENU_ITEM}
            title={gesture.title}
            onSelect={() => {
              set({ panelOpen: true });
              beginGesture(gesture, lane);
            }}
          >
            {gesture.name} …
          </DropdownMenu.Item>
        ))}
      </Menu>
    </div>
  );
}

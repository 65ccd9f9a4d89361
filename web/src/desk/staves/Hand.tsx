import { Choice } from "../../ui/Choice";
import { Turns } from "../../ui/Entries";
import { NumberEntry } from "../../ui/NumberEntry";
import { between } from "../../ui/numbers";
import { limit } from "../strokes/begin";
import { type Limit, set, useDesk } from "../take/state";

/**
 * The switches of the hand, one quiet row over the lanes that they rule: whether the pointer draws, which way hairpins go,
 * what a group does at the end of the range, and whether lanes go with their notes.
 */
export function Hand() {
  const drawing = useDesk((state) => state.drawing);
  const thereAndBack = useDesk((state) => state.thereAndBack);
  const accents = useDesk((state) => state.accents);
  const travels = useDesk((state) => state.travels);
  return (
    <div className="hand flex w-fit max-w-full min-w-0 items-center gap-3 overflow-x-auto overflow-y-hidden text-[12px] [scrollbar-width:none]">
      <Choice
        label="Pointer"
        value={drawing ? "draw" : "choose"}
        options={[
          ["choose", "chooses"],
          ["draw", "draws"],
        ]}
        hotkey="d"
        onChange={(how) => set({ drawing: how === "draw" })}
      />
      {drawing ? (
        <NumberEntry
          label="Accents kept"
          step={0.05}
          value={accents}
          problem={accents < 0 || accents > 1}
          onTry={(kept) => set({ accents: kept })}
          onKeep={(kept) => set({ accents: between(kept, 0, 1) })}
        />
      ) : (
        <Turns
          label="A drag goes"
          turns={thereAndBack}
          hotkey="t"
          onChange={(wanted) => set({ thereAndBack: wanted })}
        />
      )}
      <AtTheEnd />
      <Choice
        label="Under the notes"
        value={travels ? "travels" : "stays"}
        options={[
          ["travels", "travels along"],
          ["stays", "stays"],
        ]}
        onChange={(how) => set({ travels: how === "travels" })}
      />
    </div>
  );
}

function AtTheEnd() {
  // An open stroke has a limit of its own: the switch shows that one, and changes both.
  const now =
    useDesk(({ limit, shaping }) => (shaping && "limit" in shaping.stroke ? shaping.stroke.limit : limit)) ??
    "pin";
  return (
    <Choice
      label="At the end"
      value={now}
      options={[
        ["stop", "stop"],
        ["pin", "pin"],
        ["squeeze", "squeeze"],
      ]}
      hotkey="l"
      onChange={(wanted: Limit) => limit(wanted)}
    />
  );
}

import { Choice } from "../../ui/Choice";
import { Turns } from "../../ui/Entries";
import { NumberEntry } from "../../ui/NumberEntry";
import { between } from "../../ui/numbers";
import { accent, depth, fade, hairpin, knee, levelOut, limit, trim, vary } from "../strokes/begin";
import { copyNotes } from "../strokes/copying";
import { type Limit, leadPart, set, useDesk } from "../take/state";
import { GestureKey } from "./GestureKey";

/** All gestures on velocity; each opens with its numbers before it is kept. */
export function Gestures({ hasSelection }: { hasSelection: boolean }) {
  const part = useDesk((state) => leadPart(state));
  return (
    <div className="space-y-2 border-t border-rule pt-3">
      {!hasSelection && (
        <p className="text-[13px] text-faded">
          Nothing is chosen: these act on all notes of the parts in front.
        </p>
      )}
      <div className="grid grid-cols-2 gap-1.5">
        {hasSelection && (
          <>
            <GestureKey
              sign="hairpin"
              name="Hairpin"
              run={() => hairpin()}
              title="A ramp from the softest to the loudest (h)"
            />
            <GestureKey
              sign="swell"
              name="There and back"
              run={() => hairpin(true)}
              title="A swell or a dip with a peak that can be moved"
            />
          </>
        )}
        <GestureKey
          sign="fadeIn"
          name="Fade in"
          run={() => fade("in")}
          title="At the start of the span or the part: as touch, expression or volume"
        />
        <GestureKey
          sign="fadeOut"
          name="Fade out"
          run={() => fade("out")}
          title="At the end of the span or the part: as touch, expression or volume"
        />
        <GestureKey
          sign="level"
          name="Level out"
          run={levelOut}
          title="All to their mean, at once; the number can be changed then"
        />
        <GestureKey sign="depth" name="Depth" run={depth} title="Widen or narrow the differences" />
        <GestureKey
          sign="knee"
          name="Soft knee"
          run={knee}
          title="Lower the loud only, or raise the quiet only"
        />
        <GestureKey sign="vary" name="Vary" run={vary} title="Small deviations by chance" />
        <GestureKey
          sign="accent"
          name="Accents"
          run={accent}
          title="A pattern of accents that goes round with the bars"
        />
        {hasSelection && (
          <GestureKey
            sign="copy"
            name="Copy notes"
            run={copyNotes}
            title="The chosen notes again, at another time or in another part, with what lies under them"
          />
        )}
        {part && (
          <GestureKey
            sign="trim"
            name="Trim part"
            run={() => trim(part)}
            title="A standing scale and offset for the whole part"
          />
        )}
      </div>
    </div>
  );
}

/** The switches of the hand: what a group does at the end of the range, whether the pointer draws, which way hairpins go. */
export function Hand({ onVelocity }: { onVelocity: boolean }) {
  // An open stroke has a limit of its own: the switch shows that one, and changes both.
  const now =
    useDesk(({ limit, shaping }) => (shaping && "limit" in shaping.stroke ? shaping.stroke.limit : limit)) ??
    "pin";
  const drawing = useDesk((state) => state.drawing);
  const turns = useDesk((state) => state.turns);
  const accents = useDesk((state) => state.accents);
  return (
    <div className="space-y-1.5 pt-2 pb-3">
      <Choice
        label="Pointer"
        value={drawing ? "draw" : "choose"}
        options={[
          ["choose", "chooses"],
          ["draw", "draws"],
        ]}
        onChange={(how) => set({ drawing: how === "draw" })}
      />
      {!onVelocity ? null : drawing ? (
        <NumberEntry
          label="Accents kept"
          step={0.05}
          value={accents}
          problem={accents < 0 || accents > 1}
          onTry={(kept) => set({ accents: kept })}
          onKeep={(kept) => set({ accents: between(kept, 0, 1) })}
        />
      ) : (
        <Turns label="A drag goes" turns={turns} onChange={(wanted) => set({ turns: wanted })} />
      )}
      <Choice
        label="At the end"
        value={now}
        options={[
          ["stop", "stop"],
          ["pin", "pin"],
          ["squeeze", "squeeze"],
        ]}
        onChange={(wanted: Limit) => limit(wanted)}
      />
    </div>
  );
}

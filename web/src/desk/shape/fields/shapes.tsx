/** Fields of whole shapes: the pattern of a bar, and what a fade is written as. */
import type { Of } from "../../../api/strokes";
import { EXPRESSION, VELOCITY, VOLUME } from "../../../score/lanes";
import { Choice } from "../../../ui/Choice";
import { List } from "../../../ui/Entries";
import { PatternEntry } from "../../../ui/PatternEntry";
import { type Fade, rewritten, type Writing } from "../../strokes/begin";
import { firstOnset, stepsOfBar } from "../../strokes/places";
import { changeLane } from "../../take/arranging";
import { keep, preview } from "../../take/shaping";
import { useDesk } from "../../take/state";
import type { FieldProps } from "./form";
import { gridWords } from "./plain";

const WRITINGS = [
  [VELOCITY, "touch"],
  [EXPRESSION, "expression"],
  [VOLUME, "volume"],
] as const;

const MEANS: Record<Writing, string> = {
  [VELOCITY]: "Touch: the notes are struck softer, so their tone changes as well.",
  [EXPRESSION]: "Expression (CC 11): only the level changes; the tone stays as it was struck.",
  [VOLUME]: "Volume (CC 7): only the level changes; the tone stays as it was struck.",
};

/** What a fade is written as, and what that does to the sound. */
export function WritingField({ stroke }: FieldProps) {
  const fade = stroke as Fade;
  const number = useDesk((state) => state.shaping?.number ?? null);
  const writing: Writing = "lane" in fade ? (fade.lane === VOLUME ? VOLUME : EXPRESSION) : VELOCITY;
  const turns = "peak" in fade && fade.peak != null;
  return (
    <div className="col-span-2">
      {!turns && (
        <Choice
          label="As"
          value={writing}
          options={WRITINGS}
          onChange={(as) => {
            if (as !== VELOCITY) changeLane(as, { open: true });
            preview(rewritten(fade, as));
            if (number !== null) void keep();
          }}
        />
      )}
      <p className="pt-1 text-[13px] text-faded">{MEANS[writing]}</p>
    </div>
  );
}

const GRIDS = [1, 2, 4, 6, 8, 12, 16, 24, 32] as const;

/** A pattern of the bar, in so many steps. */
export function PatternField({ ask, stroke, change, keep }: FieldProps) {
  const { grid, pattern } = stroke as Of<"velocity.accent">;
  const score = useDesk((state) => state.score);
  return (
    <>
      <List
        label={ask.label}
        className="col-span-2"
        value={grid}
        onChange={(value) => {
          const wanted = Number(value);
          const steps = score ? stepsOfBar(score, firstOnset(stroke.where ?? {}), wanted) : pattern.length;
          const made = Array.from({ length: steps }, (_, step) => {
            const old = (step * pattern.length) / steps;
            return Number.isInteger(old) ? pattern[old] : 0;
          });
          keep({ grid: wanted, pattern: made });
        }}
      >
        {GRIDS.map((one) => (
          <option key={one} value={one}>
            {gridWords(one)}
          </option>
        ))}
      </List>
      <PatternEntry
        pattern={pattern}
        onTry={(pattern) => change({ pattern })}
        onKeep={(pattern) => keep({ pattern })}
      />
    </>
  );
}

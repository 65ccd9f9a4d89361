import { Check } from "../../ui/Entries";
import { set, useDesk } from "../take/state";

const VALUES = [1, 2, 4, 8, 16, 32, 64] as const;
const FEELS = ["straight", "dotted", "triplet"] as const;

/** The grid that spans and nodes are placed on: a note value, its feel, and whether it pulls. */
export function GridChoice() {
  const grid = useDesk((state) => state.grid);
  return (
    <fieldset className="flex items-center gap-1.5" aria-label="Grid">
      <span className="text-faded">
        <Check words="Grid" on={grid.snap} onChange={(snap) => set({ grid: { ...grid, snap } })} />
      </span>
      <select
        aria-label="Grid value"
        value={grid.value}
        onChange={(event) =>
          set({ grid: { ...grid, value: Number(event.target.value) as typeof grid.value } })
        }
        className="entry h-7 w-16 px-1 text-left"
      >
        {VALUES.map((value) => (
          <option key={value} value={value}>
            {value === 1 ? "whole" : `1/${value}`}
          </option>
        ))}
      </select>
      <select
        aria-label="Grid feel"
        value={grid.feel}
        onChange={(event) => set({ grid: { ...grid, feel: event.target.value as typeof grid.feel } })}
        className="entry h-7 w-20 px-1 text-left"
      >
        {FEELS.map((feel) => (
          <option key={feel}>{feel}</option>
        ))}
      </select>
    </fieldset>
  );
}

/** The inside player, and how worn the rig is. */
import { Check, List } from "../ui/Entries";
import { NumberEntry } from "../ui/NumberEntry";
import { LINES, type Line, setLine, setPlaying, setSeed, useInside } from "./inside";
import { useRig, WEAR, type Wear, wear } from "./rig";

export function Inside() {
  const { plays, line, seed, meant } = useInside();
  const worn = useRig((state) => state.worn);
  const turn = (one: Wear, on: boolean) => wear(on ? [...worn, one] : worn.filter((kind) => kind !== one));
  return (
    <>
      <fieldset className="flex flex-col gap-1 [&_label]:min-h-6">
        <legend className="text-faded">Inside player</legend>
        <Check
          words="Plays whenever I record"
          title="A hand that plays a line, so that recording can be tried with nobody there"
          on={plays}
          onChange={setPlaying}
        />
        <List label="Plays" value={line} onChange={(one) => setLine(one as Line)}>
          {Object.entries(LINES).map(([one, words]) => (
            <option key={one} value={one}>
              {words}
            </option>
          ))}
        </List>
        <NumberEntry
          label="As by hand number"
          value={seed}
          limits={[1, 9999]}
          onKeep={(one) => setSeed(Math.round(one))}
        />
        <output hidden data-testid="meant">
          {JSON.stringify(meant)}
        </output>
      </fieldset>
      <fieldset className="[&_label]:min-h-6">
        <legend className="text-faded">The rig is worn</legend>
        {(Object.keys(WEAR) as Wear[]).map((one) => (
          <Check key={one} words={WEAR[one]} on={worn.includes(one)} onChange={(on) => turn(one, on)} />
        ))}
      </fieldset>
    </>
  );
}

/** Where each part in front is heard: on the practice synth, or on an instrument of one's own. */
import { partName } from "../desk/take/arranging";
import { useDesk } from "../desk/take/state";
import { player } from "../sound/player";
import { Check, List } from "../ui/Entries";
import { NumberEntry } from "../ui/NumberEntry";
import { openInputs, useInputs } from "./inputs";
import { type Destination, SIMULATED, sendTo, setClock, useOutputs } from "./outputs";
import { simulated, useSimulated } from "./simulated";

const HERE: Destination = { output: "", channel: 0, delay: 0, beside: false };

export function Outputs() {
  const parts = useDesk((state) => state.score?.parts);
  const arrangement = useDesk((state) => state.arrangement);
  const fronts = useDesk((state) => state.fronts);
  const { outputs, to, clock } = useOutputs();
  const { state } = useInputs();
  const part = parts?.[fronts[0]];
  if (!part) return null;
  const known = to[part.id] ?? HERE;
  const change = (fields: Partial<Destination>) => {
    const made = { ...known, ...fields };
    sendTo(part.id, made.output ? made : null);
  };
  const choose = (value: string) => {
    if (value === "ask") void openInputs();
    else change({ output: value });
  };
  return (
    <fieldset className="flex flex-col gap-1">
      <legend className="text-faded">{`${partName(part, arrangement)} is heard on`}</legend>
      <List label="Output" value={known.output} onChange={choose}>
        <option value="">the practice synth</option>
        {outputs.map((one) => (
          <option key={one}>{one}</option>
        ))}
        {state === "closed" && <option value="ask">plugged-in instruments …</option>}
      </List>
      {known.output && (
        <>
          <List
            label="Channel"
            value={known.channel}
            onChange={(channel) => change({ channel: Number(channel) })}
          >
            <option value={0}>its own</option>
            {Array.from({ length: 16 }, (_, row) => row + 1).map((channel) => (
              <option key={channel}>{channel}</option>
            ))}
          </List>
          <NumberEntry
            label="Later by, ms"
            value={known.delay}
            limits={[-500, 1000]}
            onKeep={(delay) => change({ delay: Math.min(Math.max(delay, -500), 1000) })}
          />
          <Check
            words="The practice synth as well"
            on={known.beside}
            onChange={(beside) => change({ beside })}
          />
          <Check words="Start, stop and clock" on={clock} onChange={setClock} />
        </>
      )}
      {known.output === SIMULATED && <Stand />}
      <p className="text-faded">{`From key to sound here: ${Math.round(player.delay)} ms.`}</p>
    </fieldset>
  );
}

/** The output that stands in: what came, and how. */
function Stand() {
  const { slow, loses, count, lost, late } = useSimulated();
  return (
    <>
      <Check words="As slow as a cable" on={slow} onChange={(on) => useSimulated.setState({ slow: on })} />
      <Check
        words="Loses one in fifty"
        on={loses > 0}
        onChange={(on) => useSimulated.setState({ loses: on ? 50 : 0 })}
      />
      <p role="status">
        {`${count.toLocaleString("en")} messages came${lost ? `, ${lost} were lost` : ""}${late > 5 ? `, the latest ${Math.round(late)} ms late` : ""}. `}
        <button type="button" className="underline" onClick={() => simulated.forget()}>
          Forget them
        </button>
      </p>
    </>
  );
}

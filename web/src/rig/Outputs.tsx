/** Where each part in front is heard: on the practice synth, or on an instrument of one's own. */
import { useQuery } from "@tanstack/react-query";
import { useRef, useState } from "react";
import { sentence } from "../api/client";
import { partName } from "../desk/take/arranging";
import { kindOf, useDesk } from "../desk/take/state";
import type { PartScore } from "../score/score";
import { player } from "../sound/player";
import { Check, List } from "../ui/Entries";
import { FileChooser } from "../ui/FileChooser";
import { NumberEntry } from "../ui/NumberEntry";
import { BANK, type Bank, bringBank, dropBank, readBanks } from "./banks";
import { openInputs, useInputs } from "./inputs";
import { type Destination, SIMULATED, sendTo, setClock, useOutputs } from "./outputs";
import { simulated, useSimulated } from "./simulated";

const LISTED = new Intl.ListFormat("en");
const HERE: Destination = { output: "", channel: 0, delay: 0, beside: false, way: null, preset: null };

type Change = (fields: Partial<Destination>) => void;

export function Outputs() {
  const parts = useDesk((state) => state.score?.parts);
  const arrangement = useDesk((state) => state.arrangement);
  const fronts = useDesk((state) => state.fronts);
  const { to } = useOutputs();
  const { data: banks } = useQuery({ queryKey: ["banks"], queryFn: readBanks });
  const chooser = useRef<HTMLInputElement>(null);
  const [problem, setProblem] = useState("");
  const part = parts?.[fronts[0]!];
  if (!part) return null;
  const known = to[part.id] ?? HERE;
  const change: Change = (fields) => {
    const made = { ...known, ...fields };
    sendTo(part.id, made.output ? made : null);
  };
  const bank = banks?.find(({ id }) => BANK + id === known.output);
  const bring = async (file: File) => {
    setProblem("");
    try {
      const made = await bringBank(file);
      change({ output: BANK + made.id, preset: null });
    } catch (thrown) {
      setProblem(sentence(thrown));
    }
  };
  const choose = (value: string) => {
    if (value === "bring") chooser.current?.click();
    else if (value === "ask") void openInputs();
    else change({ output: value, preset: null });
  };
  return (
    <fieldset className="flex flex-col gap-1 [&_label]:min-h-6">
      <legend className="text-faded">{`${partName(part, arrangement)} is heard on`}</legend>
      <Choose output={known.output} banks={banks} onChoose={choose} />
      <FileChooser
        chooser={chooser}
        accept=".sf2,.sf3"
        testId="bank"
        onFiles={([file]) => void bring(file!)}
      />
      {problem && (
        <p role="alert" className="text-accent-deep">
          {problem}
        </p>
      )}
      {bank && <OnBank {...{ bank, part, known, change, setProblem }} />}
      {known.output && !bank && <OnCable known={known} change={change} />}
      {known.output === SIMULATED && <Stand />}
      <p className="text-faded">{`From key to sound here: ${Math.round(player.delay)} ms.`}</p>
    </fieldset>
  );
}

interface ChooseProps {
  output: string;
  banks: Bank[] | undefined;
  onChoose: (output: string) => void;
}

function Choose({ output, banks, onChoose }: ChooseProps) {
  const { outputs } = useOutputs();
  const { state } = useInputs();
  return (
    <List label="Output" value={output} onChange={onChoose}>
      <option value="">the practice synth</option>
      {outputs.map((one) => (
        <option key={one}>{one}</option>
      ))}
      {banks?.map(({ id, name }) => (
        <option key={id} value={BANK + id}>{`SoundFont ${name}`}</option>
      ))}
      {state === "closed" && <option value="ask">plugged-in instruments …</option>}
      <option value="bring">bring a SoundFont …</option>
    </List>
  );
}

interface OnBankProps {
  bank: Bank;
  part: PartScore;
  known: Destination;
  change: Change;
  setProblem: (problem: string) => void;
}

/** Which of a SoundFont's programs plays, and what of the part it takes nothing of. */
function OnBank({ bank, part, known, change, setProblem }: OnBankProps) {
  const lost = part.lanes
    .filter(({ key }) => !bank.answers.includes(key))
    .map(({ key }) => kindOf(key).name.toLowerCase());
  const letGo = async () => {
    change({ output: "", preset: null });
    await dropBank(bank.id).catch((thrown) => setProblem(sentence(thrown)));
  };
  return (
    <>
      <List
        label="Plays"
        called="Program of the SoundFont"
        value={known.preset ? known.preset.join(" ") : ""}
        onChange={(value) =>
          change({ preset: value ? (value.split(" ").map(Number) as [number, number]) : null })
        }
      >
        <option value="">what the take asks for</option>
        {bank.presets.map((one) => (
          <option key={`${one.bank} ${one.program}`} value={`${one.bank} ${one.program}`}>
            {one.name}
          </option>
        ))}
      </List>
      {lost.length > 0 && (
        <p role="status">{`It takes nothing of ${LISTED.format(lost)}: what is drawn there is not heard on it.`}</p>
      )}
      <button type="button" className="self-start underline" onClick={() => void letGo()}>
        Let go of this SoundFont
      </button>
    </>
  );
}

/** How an instrument at the end of a cable is spoken to. */
function OnCable({ known, change }: { known: Destination; change: Change }) {
  const { clock } = useOutputs();
  return (
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
      <List
        label="Curves of notes"
        value={known.way ?? ""}
        onChange={(value) => change({ way: value === "plain" || value === "mpe" ? value : null })}
      >
        <option value="">as the part says</option>
        <option value="plain">plainly</option>
        <option value="mpe">in zones (MPE)</option>
      </List>
      <NumberEntry
        label="Later by, ms"
        value={known.delay}
        limits={[-500, 1000]}
        onKeep={(delay) => change({ delay: Math.min(Math.max(delay, -500), 1000) })}
      />
      <Check words="The practice synth as well" on={known.beside} onChange={(beside) => change({ beside })} />
      <Check words="Start, stop and clock" on={clock} onChange={setClock} />
    </>
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

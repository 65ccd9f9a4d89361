/** A take from nothing: its tempo, its metre and its key; then it is open, to be played into. */
import { useState } from "react";
import { useNavigate } from "react-router";
import { answered, api, type Schemas, sentence } from "../api/client";
import { List } from "../ui/Entries";
import { NumberEntry } from "../ui/NumberEntry";

const METRES = ["2/4", "3/4", "4/4", "5/4", "6/4", "3/8", "6/8", "7/8", "9/8", "12/8", "2/2"] as const;
const MAJOR = ["C♭", "G♭", "D♭", "A♭", "E♭", "B♭", "F", "C", "G", "D", "A", "E", "B", "F♯", "C♯"];
const MINOR = ["A♭", "E♭", "B♭", "F", "C", "G", "D", "A", "E", "B", "F♯", "C♯", "G♯", "D♯", "A♯"];

/** Their names, and their signs as a MIDI file says them: sharps (flats are negative), and the mode. */
const KEYS = [
  ...MAJOR.map((tonic, place) => [`${tonic} major`, `${place - 7} major`] as const),
  ...MINOR.map((tonic, place) => [`${tonic} minor`, `${place - 7} minor`] as const),
];

function blank(name: string, bpm: number, metre: string, key: string): Schemas["BlankAsked"] {
  const [beats, unit] = metre.split("/").map(Number);
  const [fifths, mode] = key.split(" ");
  return {
    name,
    bpm,
    beats: beats as number,
    unit: unit as Schemas["BlankAsked"]["unit"],
    fifths: Number(fifths),
    minor: mode === "minor",
  };
}

export function NewTake({ onClose }: { onClose: () => void }) {
  const go = useNavigate();
  const [name, setName] = useState("");
  const [bpm, setBpm] = useState(100);
  const [metre, setMetre] = useState<string>("4/4");
  const [key, setKey] = useState("0 major");
  const [problem, setProblem] = useState<string | null>(null);
  const begin = async () => {
    try {
      const body = blank(name, bpm, metre, key);
      const added = await answered<Schemas["Added"]>(api.POST("/api/takes/blank", { body }));
      void go(`/takes/${added.id}`, { state: { playIn: true } });
    } catch (thrown) {
      setProblem(sentence(thrown));
    }
  };
  return (
    <form
      aria-label="A take from nothing"
      className="mx-8 mb-4 flex flex-wrap items-center gap-x-5 gap-y-2 rounded-xl border border-rule-strong bg-sheet px-4 py-3"
      onSubmit={(event) => {
        event.preventDefault();
        void begin();
      }}
      onKeyDown={(event) => event.key === "Escape" && onClose()}
    >
      <Name name={name} onName={setName} />
      <NumberEntry label="Quarters a minute" value={bpm} limits={[10, 400]} onTry={setBpm} onKeep={setBpm} />
      <List label="Metre" value={metre} onChange={setMetre}>
        {METRES.map((one) => (
          <option key={one}>{one}</option>
        ))}
      </List>
      <List label="Key" value={key} onChange={setKey}>
        {KEYS.map(([words, value]) => (
          <option key={value} value={value}>
            {words}
          </option>
        ))}
      </List>
      <p className="text-faded">To play freely, leave these: bars are fitted to what you play afterwards.</p>
      <button type="submit" className="key key-warm">
        Begin
      </button>
      <button type="button" className="key key-plain" onClick={onClose}>
        Not now
      </button>
      {problem && (
        <p role="alert" className="basis-full text-accent-deep">
          {problem}
        </p>
      )}
    </form>
  );
}

function Name({ name, onName }: { name: string; onName: (name: string) => void }) {
  return (
    <label className="flex items-center gap-2">
      <span className="text-faded">Name</span>
      <input
        // biome-ignore lint/a11y/noAutofocus: it was just asked for
        autoFocus
        value={name}
        maxLength={200}
        placeholder="New take"
        onChange={(event) => onName(event.target.value)}
        className="entry w-48 text-left"
      />
    </label>
  );
}

/** Which instrument is played, and what it does by itself. */
import { useState } from "react";
import { answered, api, type Schemas, sentence } from "../api/client";
import { wish } from "../desk/take/arranging";
import { useDesk } from "../desk/take/state";
import { List } from "../ui/Entries";
import { Forces } from "./Forces";
import { BLANK, gear, type Habits, hex, useGear } from "./gear";
import { chooseInput, openInputs, useInputs } from "./inputs";

const LISTEN_SECONDS = 3;
type Finding = Schemas["GearFinding"];

export function Instruments() {
  const name = useGear((state) => state.name);
  const { inputs, state, problem } = useInputs();
  const choose = (value: string) => {
    if (value === "ask") void openInputs();
    else chooseInput(value);
  };
  return (
    <div className="flex flex-col gap-1.5">
      <List label="Instrument" value={name} onChange={choose}>
        <option>Practice rig</option>
        {inputs.map((one) => (
          <option key={one}>{one}</option>
        ))}
        {state === "closed" && <option value="ask">plugged-in instruments …</option>}
      </List>
      {problem && (
        <p role="alert" className="text-accent-deep">
          {problem}
        </p>
      )}
      <ListenFirst name={name} />
      <Forces onLearned={(forces) => keepHabits(name, { ...habitsOf(name), forces })} />
    </div>
  );
}

/** What comes while nobody touches anything: seconds, and bytes in hexadecimal. */
async function heard(): Promise<[number, string][]> {
  const begun = performance.now();
  // What stands somewhere says nothing for as long as nobody moves it.
  const events = gear.standing.map((bytes): [number, string] => [0, hex(bytes)]);
  const ends = gear.hearRaw((bytes, at) => {
    const second = Math.min(Math.max((at - begun) / 1000, 0), LISTEN_SECONDS + 1);
    if (events.length < 20_000) events.push([second, hex(bytes)]);
  });
  await new Promise((done) => window.setTimeout(done, LISTEN_SECONDS * 1000));
  ends();
  return events;
}

/** Three seconds of hands off: what comes all the same is told, and put right by one click each. */
function ListenFirst({ name }: { name: string }) {
  const habits = useDesk((state) => state.wishes.gear?.[name]) ?? BLANK;
  const [listening, setListening] = useState(false);
  const [found, setFound] = useState<Finding[] | null>(null);
  const [problem, setProblem] = useState<string | null>(null);
  const listen = async () => {
    setListening(true);
    setFound(null);
    setProblem(null);
    const events = await heard();
    try {
      const body = { seconds: LISTEN_SECONDS, events };
      setFound(await answered<Finding[]>(api.POST("/api/takes/gear/listened", { body })));
    } catch (thrown) {
      setProblem(sentence(thrown));
    }
    setListening(false);
  };
  const mend = ({ mend: how }: Finding) => {
    if (!how) return;
    keepHabits(name, mended(habits, how));
    setFound((all) => all?.filter((one) => one.mend !== how) ?? null);
  };
  const known = told(habits);
  return (
    <>
      <button type="button" className="key h-7" disabled={listening} onClick={() => void listen()}>
        {listening ? "Hands off …" : "Listen first"}
      </button>
      <div aria-live="polite" className="flex flex-col gap-1">
        {problem && <p className="text-accent-deep">{problem}</p>}
        {found && !found.length && <p className="text-faded">It is quiet: nothing comes by itself.</p>}
        {found?.map((one) => (
          <p key={one.says}>
            {one.says}{" "}
            {one.mend && (
              <button type="button" className="key h-6 px-2" onClick={() => mend(one)}>
                {WORDS[one.mend.do]}
              </button>
            )}
          </p>
        ))}
        {known.length > 0 && (
          <p className="text-faded">
            {`Put right: ${known.join(", ")}. `}
            <button type="button" className="underline" onClick={() => keepHabits(name, BLANK)}>
              Take it as it comes
            </button>
          </p>
        )}
      </div>
    </>
  );
}

const WORDS = {
  ignore: "Ignore it",
  centre: "Centre it",
  turn: "Turn it round",
  thin: "Only what changes",
} as const;

function mended(habits: Habits, { do: how, kind, rest, slack }: NonNullable<Finding["mend"]>): Habits {
  if (how === "centre") return { ...habits, rest, slack };
  if (how === "turn") return { ...habits, turned: !habits.turned };
  if (how === "thin") return { ...habits, thinned: [...habits.thinned, kind] };
  return { ...habits, ignore: [...habits.ignore, kind] };
}

function told({ ignore, rest, slack, turned, thinned, forces }: Habits): string[] {
  return [
    ...(ignore.length ? [`${ignore.join(", ")} ignored`] : []),
    ...(rest || slack ? [`wheel centred (${rest > 0 ? "+" : ""}${rest})`] : []),
    ...(turned ? ["pedal turned round"] : []),
    ...(thinned.length ? [`${thinned.join(", ")} only where it changes`] : []),
    ...(forces ? ["forces learned"] : []),
  ];
}

const habitsOf = (name: string): Habits => useDesk.getState().wishes.gear?.[name] ?? BLANK;

/** Habits are kept in the account, by the name of the instrument. */
function keepHabits(name: string, habits: Habits): void {
  const gears = { ...useDesk.getState().wishes.gear, [name]: habits };
  wish({ gear: gears });
}

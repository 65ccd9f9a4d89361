/** A keyboard that is too hard or too light: ten soft, ten middle and ten hard strikes, and it is taken as it is meant. */
import { useEffect, useState } from "react";
import { answered, api, sentence } from "../api/client";
import { gear } from "./gear";

const STRIKES = 10;
const WORDS = ["softly", "as usual", "hard"] as const;

export function Forces({ onLearned }: { onLearned: (forces: number[]) => void }) {
  const [strikes, setStrikes] = useState<number[] | null>(null);
  const [problem, setProblem] = useState("");
  const learning = strikes !== null;
  useEffect(() => {
    if (!learning) return;
    return gear.hearRaw(([status = 0, , force = 0]) => {
      if ((status & 0xf0) === 0x90 && force) setStrikes((all) => all && [...all, force]);
    });
  }, [learning]);
  useEffect(() => {
    if (!strikes || strikes.length < WORDS.length * STRIKES) return;
    setStrikes(null);
    const [soft = [], middle = [], hard = []] = WORDS.map((_, row) =>
      strikes.slice(row * STRIKES, (row + 1) * STRIKES),
    );
    answered<number[]>(api.POST("/api/takes/gear/forces", { body: { soft, middle, hard } }))
      .then(onLearned)
      .catch((thrown: unknown) => setProblem(sentence(thrown)));
  }, [strikes, onLearned]);
  const count = strikes?.length ?? 0;
  return (
    <p className="flex flex-wrap items-center gap-x-2">
      <button
        type="button"
        className="key h-7"
        aria-pressed={learning}
        title="For a keyboard that is too hard or too light"
        onClick={() => {
          setProblem("");
          setStrikes(learning ? null : []);
        }}
      >
        {learning ? "Not now" : "Learn its forces"}
      </button>
      <span role="status">
        {learning
          ? `Strike ${WORDS[Math.min(Math.floor(count / STRIKES), 2)]}: ${STRIKES - (count % STRIKES)} more`
          : problem}
      </span>
    </p>
  );
}

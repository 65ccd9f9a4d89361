/** How late what is played comes: tap along with eight clicks, and what they are off by is set right for every pass. */
import { useEffect, useState } from "react";
import { player } from "../sound/player";
import { gear } from "./gear";
import { EVERY_SECONDS, lateness } from "./lateness";
import { set, useRecorder } from "./recorder";

const CLICKS = 12;
/** The first few are only listened to. */
const LISTENED = 4;
const SETTLE_SECONDS = 0.6;

export function TapTest() {
  const [running, setRunning] = useState(false);
  const [told, setTold] = useState("");
  const shift = useRecorder((state) => state.shift);
  useEffect(() => {
    if (!running) return;
    const taps: number[] = [];
    let clicks: number[] = [];
    const ends = gear.hear(([status = 0, , force = 0], at) => {
      if ((status & 0xf0) === 0x90 && force) taps.push(at);
    });
    let timer = 0;
    void player.startSound().then(() => {
      const begin = player.seconds + SETTLE_SECONDS;
      for (let click = 0; click < CLICKS; click++)
        player.click(begin + click * EVERY_SECONDS, click % 4 === 0, 0.6);
      clicks = Array.from({ length: CLICKS - LISTENED }, (_, row) =>
        player.pageTime(begin + (LISTENED + row) * EVERY_SECONDS),
      );
      timer = window.setTimeout(
        () => {
          const off = lateness(taps, clicks);
          if (off === null) setTold("Too few taps came; nothing was changed.");
          else {
            set({ shift: -off });
            setTold(`You were ${Math.abs(off)} ms ${off < 0 ? "early" : "late"}; passes are moved by that.`);
          }
          setRunning(false);
        },
        (SETTLE_SECONDS + CLICKS * EVERY_SECONDS + 0.3) * 1000,
      );
    });
    return () => {
      ends();
      window.clearTimeout(timer);
    };
  }, [running]);
  return (
    <p className="flex flex-wrap items-center gap-x-2">
      <button
        type="button"
        className="key h-7"
        disabled={running}
        title={`Now ${shift} ms. Tap any key with each click, after the first four`}
        onClick={() => {
          setTold("");
          setRunning(true);
        }}
      >
        {running ? "Tap along …" : "Tap test"}
      </button>
      <span role="status">{told}</span>
    </p>
  );
}

/** Of a take that was played freely into nothing: its bars, by beats that are found or tapped. */

import { useState } from "react";
import { useNavigate } from "react-router";
import { answered, api, type Schemas } from "../api/client";
import { specOf } from "../api/strokes";
import { complain, takePath, useDesk } from "../desk/take/state";
import { player, usePlayer } from "../sound/player";
import { List } from "../ui/Entries";

export function Bars() {
  const strokes = useDesk((state) => state.history.strokes);
  const [beats, setBeats] = useState(4);
  const go = useNavigate();
  const parts = useDesk((state) => state.score?.parts);
  // Only what was played in: nothing was recorded before it, and nothing was shaped since.
  const isFree = strokes.length > 0 && strokes.every(({ stroke }) => specOf(stroke.kind).family === "passes");
  if (!isFree || !parts) return null;
  const putInBars = async (told: number[] | null) => {
    try {
      const params = { path: takePath() };
      const body = { beats, taps: told };
      const made = await answered<Schemas["Added"]>(
        api.POST("/api/takes/{take_id}/in-bars", { params, body }),
      );
      void go(`/takes/${made.id}`);
    } catch (thrown) {
      complain(thrown);
    }
  };
  return (
    <fieldset className="flex flex-col gap-1">
      <legend className="text-faded">Played freely? Its bars</legend>
      <List label="Beats a bar" value={beats} onChange={(count) => setBeats(Number(count))}>
        {[2, 3, 4, 5, 6, 7].map((count) => (
          <option key={count}>{count}</option>
        ))}
      </List>
      <div className="flex flex-wrap gap-2">
        <button type="button" className="key h-7" onClick={() => void putInBars(null)}>
          Find its beats
        </button>
        <Taps onDone={(taps) => void putInBars(taps)} />
      </div>
    </fieldset>
  );
}

/** The beats, tapped while it plays. */
function Taps({ onDone }: { onDone: (taps: number[]) => void }) {
  const playing = usePlayer((state) => state.playing);
  const [taps, setTaps] = useState<number[] | null>(null);
  const tap = (at: number) => {
    const place = player.placeAt(at);
    if (place && place.second >= 0) setTaps((all) => [...(all ?? []), place.second]);
  };
  return taps === null ? (
    <button
      type="button"
      className="key h-7"
      title="It plays from the start; press Tap with each beat"
      onClick={() => {
        setTaps([]);
        void player.play(0);
      }}
    >
      Tap them
    </button>
  ) : (
    <>
      <button
        type="button"
        className="key key-warm h-7"
        disabled={!playing}
        onPointerDown={(event) => tap(event.timeStamp)}
        onKeyDown={(event) => {
          if (event.repeat || !(event.key === " " || event.key === "Enter")) return;
          event.preventDefault();
          tap(event.timeStamp);
        }}
      >
        {`Tap (${taps.length})`}
      </button>
      <button
        type="button"
        className="key h-7"
        disabled={taps.length < 2}
        onClick={() => {
          player.stop();
          onDone(taps);
          setTaps(null);
        }}
      >
        These are the beats
      </button>
    </>
  );
}

/** The sound that is kept beside the take: loaded, moved, heard, traced. */
import { answered, api, refusal, type Schemas, sendFile, sentence } from "../../api/client";
import { type Job, watched } from "../../api/jobs";
import { player } from "../../sound/player";
import { complain, desk, set, takePath, visit } from "./state";

type View = Schemas["SoundView"];

function show(view: View | null, heard: boolean): void {
  set({
    sound: view && {
      name: view.name,
      seconds: view.seconds,
      offset: view.offset,
      peaksASecond: view.peaks_a_second,
      peaks: Uint8Array.from(atob(view.peaks), (sign) => sign.charCodeAt(0)),
      heard,
      followed: view.followed,
    },
  });
}

export async function readSound(takeId: string): Promise<void> {
  const isSameVisit = visit();
  try {
    const params = { path: { take_id: takeId } };
    const view = await answered<View | null>(api.GET("/api/takes/{take_id}/sound", { params }));
    if (isSameVisit()) show(view, false);
  } catch {
    // Without its sound a take can be shaped all the same.
  }
}

/** Keep a file beside the take; a sentence where it cannot be read. `onShare` hears how much of it was read so far. */
export async function loadSound(file: File, onShare: (share: number) => void): Promise<string | null> {
  const isSameVisit = visit();
  try {
    const address = `/api/takes/${takePath().take_id}/sound`;
    const { status, answer } = await sendFile<Job | View>(address, file);
    if (status === 202) await watched(answer as Job, ({ share }) => onShare(share));
    if (!isSameVisit()) return null;
    if (status === 202) await readSound(takePath().take_id);
    else show(answer as View, false);
    await hearSound(true);
    return null;
  } catch (thrown) {
    return sentence(thrown);
  }
}

export async function removeSound(): Promise<void> {
  const isSameVisit = visit();
  try {
    await answered(api.DELETE("/api/takes/{take_id}/sound", { params: { path: takePath() } }));
    if (!isSameVisit()) return;
    set({ sound: null });
    await player.playAudio(null, 0);
  } catch (thrown) {
    complain(thrown);
  }
}

let moved: Promise<void> = Promise.resolve();

/** Once it lies where it was put last. */
export const settled = () => moved;

/** It begins at `offset` (seconds of the take) from now on. */
export function moveSound(offset: number): void {
  moved = moved.then(() => move(offset));
}

async function move(offset: number): Promise<void> {
  const isSameVisit = visit();
  try {
    const body = { offset };
    await answered(api.PATCH("/api/takes/{take_id}/sound", { params: { path: takePath() }, body }));
    const { sound } = desk();
    if (!sound || !isSameVisit()) return;
    set({ sound: { ...sound, offset } });
    player.moveAudio(offset);
  } catch (thrown) {
    complain(thrown);
  }
}

/** Heard with the take, or only seen. */
export async function hearSound(heard: boolean): Promise<void> {
  const { sound } = desk();
  if (!sound) return;
  const address = `/api/takes/${takePath().take_id}/sound/data`;
  const bring = async () => {
    const response = await fetch(address);
    if (!response.ok) throw refusal(response.status, await response.json().catch(() => null));
    return response.arrayBuffer();
  };
  const isSameVisit = visit();
  set({ sound: { ...sound, heard } });
  try {
    await player.playAudio(heard ? bring : null, sound.offset);
  } catch (thrown) {
    if (!isSameVisit()) return;
    complain(thrown);
    const { sound: now } = desk();
    if (now) set({ sound: { ...now, heard: false } });
  }
}

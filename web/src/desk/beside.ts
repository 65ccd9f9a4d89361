/** The sound that is kept beside the take: loaded, moved, heard, traced. */
import { answered, api, csrfToken, refusal, type Schemas, type Stroke, sentence } from "../api/client";
import { player } from "../sound/player";
import { complain, desk, set, takePath } from "./state";

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
    },
  });
}

export async function readSound(takeId: string): Promise<void> {
  try {
    const params = { path: { take_id: takeId } };
    show(await answered<View | null>(api.GET("/api/takes/{take_id}/sound", { params })), false);
  } catch {
    // Without its sound a take can be shaped all the same.
  }
}

/** Keep a file beside the take; a sentence where it cannot be read. */
export async function loadSound(file: File): Promise<string | null> {
  const body = new FormData();
  body.append("file", file);
  try {
    const address = `/api/takes/${takePath().take_id}/sound`;
    const response = await fetch(address, { method: "POST", body, headers: { "X-CSRFToken": csrfToken() } });
    const answer = await response.json().catch(() => null);
    if (!response.ok) throw refusal(response.status, answer);
    show(answer as View, false);
    await hearSound(true);
    return null;
  } catch (thrown) {
    return sentence(thrown);
  }
}

export async function removeSound(): Promise<void> {
  await answered(api.DELETE("/api/takes/{take_id}/sound", { params: { path: takePath() } })).catch(complain);
  set({ sound: null });
  await player.playBeside(null, 0);
}

export async function moveSound(offset: number): Promise<void> {
  const { sound } = desk();
  if (!sound) return;
  try {
    const body = { offset };
    await answered(api.PATCH("/api/takes/{take_id}/sound", { params: { path: takePath() }, body }));
    set({ sound: { ...sound, offset } });
    player.moveBeside(offset);
  } catch (thrown) {
    complain(thrown);
  }
}

/** Heard with the take, or only seen. */
export async function hearSound(heard: boolean): Promise<void> {
  const { sound } = desk();
  if (!sound) return;
  set({ sound: { ...sound, heard } });
  try {
    const response = heard ? await fetch(`/api/takes/${takePath().take_id}/sound/data`) : null;
    await player.playBeside(response ? await response.arrayBuffer() : null, sound.offset);
  } catch (thrown) {
    complain(thrown);
  }
}

/** The stroke that draws a lane after the loudness; a sentence where there is none. */
export async function traceSound(
  lane: string,
  numbers: { attack: number; release: number; low: number; high: number },
): Promise<Stroke | string> {
  try {
    const body = { part: desk().fronts[0], lane, tolerance: desk().tolerance, ...numbers };
    const params = { path: takePath() };
    const answer = await answered<Schemas["Traced"]>(
      api.POST("/api/takes/{take_id}/sound/trace", { params, body }),
    );
    return answer.stroke;
  } catch (thrown) {
    return sentence(thrown);
  }
}

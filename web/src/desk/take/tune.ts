/** Strokes that are made from the sound beside the take: from its loudness, and from what it sings. */
import { answered, api, type Schemas, type Stroke, sentence, type Where } from "../../api/client";
import { type Job, watched } from "../../api/jobs";
import { settled } from "./audio";
import { desk, set, takePath, visit } from "./state";

/** Have its pitch, brightness and attacks measured, by a worker; a sentence where they cannot be. */
export async function followSound(onShare: (share: number) => void): Promise<string | null> {
  const isSameVisit = visit();
  try {
    const job = await answered<Job>(
      api.POST("/api/takes/{take_id}/sound/follow", { params: { path: takePath() } }),
    );
    await watched(job, ({ share }) => onShare(share));
    const { sound } = desk();
    if (sound && isSameVisit()) set({ sound: { ...sound, followed: true } });
    return null;
  } catch (thrown) {
    return sentence(thrown);
  }
}

type Answer = Promise<{ data?: unknown; error?: unknown; response: Response }>;

/** The stroke of an answer; a sentence where there is none. */
async function strokeOf(asked: Answer): Promise<Stroke | string> {
  try {
    return (await answered<Schemas["Traced"]>(asked)).stroke;
  } catch (thrown) {
    return sentence(thrown);
  }
}

/** The wheel of the leading part, or the pitch of each of its notes, as the sound sings. */
export async function singSound(correction: number, lane: "bend" | "note:pitch"): Promise<Stroke | string> {
  await settled();
  const body = { part: desk().fronts[0] ?? 0, correction, lane };
  return strokeOf(api.POST("/api/takes/{take_id}/sound/sing", { params: { path: takePath() }, body }));
}

/** A lane after the brightness of the sound. */
export async function shineSound(lane: string, low: number, high: number): Promise<Stroke | string> {
  await settled();
  const body = { part: desk().fronts[0] ?? 0, lane, low, high, tolerance: desk().tolerance };
  return strokeOf(api.POST("/api/takes/{take_id}/sound/shine", { params: { path: takePath() }, body }));
}

/** Notes to where the sound is struck. */
export async function strikeSound(where: Where): Promise<Stroke | string> {
  await settled();
  const body = { where };
  return strokeOf(api.POST("/api/takes/{take_id}/sound/attacks", { params: { path: takePath() }, body }));
}

/** The stroke that draws a lane after the loudness; a sentence where there is none. */
export async function traceSound(
  lane: string,
  numbers: { attack: number; release: number; low: number; high: number; linear: boolean },
): Promise<Stroke | string> {
  await settled();
  const body = { part: desk().fronts[0] ?? 0, lane, tolerance: desk().tolerance, ...numbers };
  return strokeOf(api.POST("/api/takes/{take_id}/sound/trace", { params: { path: takePath() }, body }));
}

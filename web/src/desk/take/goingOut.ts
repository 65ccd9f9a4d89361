/** Forms in which a take goes out: their addresses, and all of them in one archive; and how a file comes back. */
import { answered, api, type Schemas, type Stroke, sendFile, sentence } from "../../api/client";
import { fetched, hand } from "../../api/download";
import { fileOf, forget, type Job, jobs, watched } from "../../api/jobs";
import { cueKeysOf, placeOf, secondsAt } from "../../score/score";
import { wavOf } from "../../sound/wav";
import { partName, routesOf } from "./arranging";
import { settled } from "./shaping";
import { desk, frontParts, takePath } from "./state";

export type Kind = "" | "plain" | "mpe" | "clip";

/** What of the take is wanted, and how. */
export interface Wanted {
  kind: Kind;
  parts: "all" | "front";
  bars: "all" | "span";
  format: "" | "0" | "1";
  cues: boolean;
  /** Steps by which drawn ways may be off. */
  thin: number;
}

export const ALL: Wanted = { kind: "", parts: "all", bars: "all", format: "", cues: true, thin: 0 };

const base = () => `/api/takes/${desk().score?.id}`;

/** The address of a MIDI file. A clip file holds all bars in one sequence, and no cable is slow for it. */
export function midiAddress(wanted: Wanted): string {
  const { span } = desk();
  const query = new URLSearchParams();
  if (wanted.kind) query.set("kind", wanted.kind);
  if (!wanted.cues) query.set("cues", "false");
  if (wanted.parts === "front") query.set("parts", String(frontParts().map(({ id }) => id)));
  if (wanted.kind !== "clip") {
    if (wanted.bars === "span" && span) query.set("span", span.join("-"));
    if (wanted.format) query.set("format", wanted.format);
    if (wanted.thin) query.set("thin", String(wanted.thin));
  }
  return `${base()}/file${query.size ? `?${query}` : ""}`;
}

const MOST_BARS = 64;

/** Bars that are drawn on the page: those that are chosen, otherwise from the first on. */
function barsShown(wanted: Wanted): [first: number, count: number] {
  const { score, span } = desk();
  const barAt = (tick: number) => (score ? placeOf(score, tick).bar : 1);
  const [first, last] =
    wanted.bars === "span" && span
      ? [barAt(span[0]), barAt(Math.max(span[1] - 1, 0))]
      : [1, barAt(Math.max((score?.end ?? 1) - 1, 0))];
  return [first, last - first + 1];
}

/** The address of the page: MusicXML holds all bars; a drawing as many as are drawn at once, from one of them on. */
export function pageAddress(kind: "musicxml" | "svg" | "pdf", wanted: Wanted, from?: number): string {
  const [first, count] = barsShown(wanted);
  const begins = from ?? first;
  const parts = wanted.parts === "front" ? frontParts().map(({ id }) => id) : [];
  const some = `&first=${begins}&count=${Math.min(first + count - begins, MOST_BARS)}`;
  return `${base()}/page/${kind}?parts=${parts}${kind === "musicxml" ? "" : some}`;
}

export const sheetAddress = () => `${base()}/sheet`;

export interface Away {
  signal: AbortSignal;
  onShare: (share: number) => void;
}

/** The practice synth as WAV: all parts of what is wanted, or one alone. */
export async function sound(wanted: Wanted, alone: number | null, away: Away): Promise<NamedBlob> {
  await settled();
  const { score, span, name } = desk();
  if (!score) throw new Error("No take is open.");
  const isSpan = wanted.bars === "span" && span !== null;
  const [from, to] = isSpan
    ? [secondsAt(score, span[0]), secondsAt(score, span[1])]
    : [0, Math.max(score.seconds, 0.1)];
  const front = wanted.parts === "front" ? frontParts().map(({ id }) => id) : undefined;
  const blob = await wavOf({
    takeId: score.id,
    from,
    to,
    parts: alone === null ? front : [alone],
    patches: score.parts.map(({ patch }) => patch),
    routes: score.parts.map(({ id }) => [...routesOf(id)]),
    cues: score.parts.map(cueKeysOf),
    ...away,
  });
  const parts = alone === null ? (front ?? []) : [alone];
  const [first, count] = barsShown(wanted);
  const bars = isSpan ? [count > 1 ? `bars ${first} to ${first + count - 1}` : `bar ${first}`] : [];
  const names = parts.map((one) => partName(score.parts[one]!));
  return { name: `${safe([name, ...names, ...bars].join(", "))}.wav`, blob };
}

/** Without what some systems do not take in the name of a file. */
const safe = (name: string) => name.replace(/[\\/:*?"<>|]/g, "-");

export interface NamedBlob {
  name: string;
  blob: Blob;
}

/** An archive of all forms that was asked for before, and is being made still or waits to be fetched. */
export async function formsLeft(): Promise<Job | undefined> {
  const { take_id } = takePath();
  return (await jobs()).findLast(
    (one) => one.kind === "forms" && one.take_id === take_id && one.state !== "refused",
  );
}

/**
 * Everything in one archive: every form of the file, the page, what was done, and what is wanted as sound. The server
 * makes it by and by, also where this page is closed meanwhile; sound is the page's own, and is packed beside the rest.
 */
export async function archive(
  wanted: Wanted,
  withSound: boolean,
  { signal, onShare }: Away,
  left?: Job,
): Promise<void> {
  await settled();
  const { span } = desk();
  const { cues, thin, format } = wanted;
  const body = {
    cues,
    thin,
    format: format ? (Number(format) as 0 | 1) : null,
    parts: wanted.parts === "front" ? frontParts().map(({ id }) => id) : null,
    span: wanted.bars === "span" ? span : null,
  };
  const ask = () =>
    answered<Job>(api.POST("/api/takes/{take_id}/forms", { params: { path: takePath() }, body }));
  const ofServer = withSound ? 0.5 : 1;
  const begun = left ?? (await ask());
  const follow = ({ share }: Job) => {
    onShare(share * ofServer);
    signal.throwIfAborted();
  };
  try {
    const made = await watched(begun, follow);
    const { blob, name } = await fetched(fileOf(made));
    hand(
      withSound
        ? await withSoundIn(blob, wanted, { signal, onShare: (share) => onShare((1 + share) / 2) })
        : blob,
      name,
    );
    // Forgotten before anybody asks what is left, and only once it has been handed over.
    await forget(made.id);
  } catch (thrown) {
    if (signal.aborted) await forget(begun.id);
    throw thrown;
  }
}

/** An archive, and what is wanted as sound beside all that is in it. */
async function withSoundIn(archived: Blob, wanted: Wanted, away: Away): Promise<Blob> {
  const made = await sound(wanted, null, away);
  const [{ Packing }, { unzipSync }] = await Promise.all([import("../../api/packing"), import("fflate")]);
  const packing = new Packing();
  for (const [name, data] of Object.entries(unzipSync(new Uint8Array(await archived.arrayBuffer()))))
    await packing.add(name, new Blob([data as BlobPart]));
  await packing.add(made.name, made.blob, true);
  return packing.done();
}

/** The stroke that makes the take as a file has it that was changed elsewhere, in the chosen span; a sentence otherwise. */
export async function cameBack(file: File): Promise<Stroke | string> {
  try {
    const address = `/api/takes/${takePath().take_id}/back`;
    const { answer } = await sendFile<Schemas["Traced"]>(address, file);
    const { span } = desk();
    return span ? { ...answer.stroke, where: { ...answer.stroke.where, span } } : answer.stroke;
  } catch (thrown) {
    return sentence(thrown);
  }
}

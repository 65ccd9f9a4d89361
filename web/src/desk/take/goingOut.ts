/** Forms in which a take goes out: their addresses, and all of them in one archive; and how a file comes back. */
import { type Schemas, type Stroke, sendFile, sentence } from "../../api/client";
import { fetched, hand } from "../../api/download";
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

/** Everything in one archive: every form of the file, the page, the paper, and what is wanted as sound. Some forms may
 * not be for this take: what cannot be made is said in a text beside them. */
export async function archive(wanted: Wanted, withSound: boolean, { signal, onShare }: Away): Promise<void> {
  await settled();
  const { name } = desk();
  const [first, count] = barsShown(wanted);
  const addresses = [
    ...(["", "plain", "mpe", "clip"] as const).map((kind) => midiAddress({ ...wanted, kind })),
    pageAddress("musicxml", wanted),
    ...Array.from({ length: Math.ceil(count / MOST_BARS) }, (_, piece) => first + piece * MOST_BARS).flatMap(
      (from) => [pageAddress("svg", wanted, from), pageAddress("pdf", wanted, from)],
    ),
    sheetAddress(),
  ];
  const { Packing } = await import("../../api/packing");
  const packing = new Packing();
  const missing: string[] = [];
  const steps = addresses.length + (withSound ? addresses.length : 0);
  for (const [done, address] of addresses.entries()) {
    signal.throwIfAborted();
    try {
      const { name: called, blob } = await fetched(address);
      await packing.add(safe(called), blob);
    } catch (thrown) {
      missing.push(`${address.split("/").pop()}: ${(thrown as Error).message}`);
    }
    onShare((done + 1) / steps);
  }
  if (withSound) {
    const made = await sound(wanted, null, {
      signal,
      onShare: (share) => onShare((addresses.length * (1 + share)) / steps),
    });
    await packing.add(made.name, made.blob, true);
  }
  if (missing.length) await packing.add("not made.txt", new Blob([`${missing.join("\n")}\n`]));
  hand(packing.done(), `${name}, all forms.zip`);
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

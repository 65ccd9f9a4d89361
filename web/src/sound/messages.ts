/** The server's messages, unpacked for the synth, and the few that end what sounds. */
import type { Messages } from "../api/client";

/** Messages in the order of time: when (seconds), for which part, and three bytes each. */
export interface Batch {
  times: Float64Array;
  parts: Uint8Array;
  bytes: Uint8Array;
}

/** Data bytes of each kind of channel message, from note-off on. */
export const DATA_BYTES = [2, 2, 2, 2, 1, 1, 2];

/**
 * Cut the byte stream into messages by their statuses, and move their times by `shift` seconds. Of parts that are not to be
 * heard, notes are not struck; all else goes through, so that a part joins again as it should be.
 */
export function unpack(
  answer: Messages,
  shift: number,
  isHeard: (part: number) => boolean = () => true,
): Batch {
  const stream = Uint8Array.from(atob(answer.bytes), (sign) => sign.charCodeAt(0));
  const count = answer.seconds.length;
  const bytes = new Uint8Array(count * 3);
  let at = 0;
  for (let message = 0; message < count; message++) {
    const status = stream[at++]!;
    bytes[message * 3] = status;
    const wanted = DATA_BYTES[(status >> 4) - 8]!;
    for (let byte = 1; byte <= wanted; byte++) bytes[message * 3 + byte] = stream[at++]!;
    // A strike of velocity 0 is no strike.
    if (status >> 4 === 9 && !isHeard(answer.parts[message]!)) bytes[message * 3 + 2] = 0;
  }
  return {
    times: Float64Array.from(answer.seconds, (second) => second + shift),
    parts: Uint8Array.from(answer.parts),
    bytes,
  };
}

/** Pedals up, then all notes off, on a channel (its controllers' status). */
export const lettingGo = (status: number): number[][] => [
  [status, 64, 0],
  [status, 66, 0],
  [status, 123, 0],
];

/** A zone of no members, by its manager (its controllers' status), and the null parameter after it (M1-100, 2.1.1). */
export const noMembers = (status: number): number[][] => [
  [status, 101, 0],
  [status, 100, 6],
  [status, 6, 0],
  [status, 101, 127],
  [status, 100, 127],
];

/** Pedals up, then All Notes Off (controller 123), for some parts: what a player does when stopping. */
export function silence(parts: readonly number[], time: number): Batch {
  const size = parts.length * 3;
  const batch = {
    times: new Float64Array(size).fill(time),
    parts: new Uint8Array(size),
    bytes: new Uint8Array(size * 3),
  };
  parts.forEach((part, index) => {
    batch.parts.fill(part, index * 3, index * 3 + 3);
    batch.bytes.set(lettingGo(0xb0).flat(), index * 9);
  });
  return batch;
}

/** Parts that are told, by messages with their chase, of no zone (registered parameter 6): those that had one have none. */
export function zonesEnded(batch: Batch, parts: readonly number[], time: number): Batch {
  const zoned = new Set<number>();
  batch.parts.forEach((part, message) => {
    const [status = 0, one = 0, two = 0] = batch.bytes.subarray(message * 3, message * 3 + 3);
    if (status >> 4 === 0xb && one === 100 && two === 6) zoned.add(part);
  });
  const ended = parts.filter((part) => !zoned.has(part));
  const size = ended.length * NO_ZONE.length;
  const made = {
    times: new Float64Array(size).fill(time),
    parts: new Uint8Array(size),
    bytes: new Uint8Array(size * 3),
  };
  ended.forEach((part, index) => {
    const first = index * NO_ZONE.length;
    made.parts.fill(part, first, first + NO_ZONE.length);
    made.bytes.set(NO_ZONE.flat(), first * 3);
  });
  return made;
}

/** Either manager has none. */
const NO_ZONE = [0xb0, 0xbf].flatMap(noMembers);

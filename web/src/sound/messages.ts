/** The server's messages, unpacked for the synth, and the few that end what sounds. */
import type { Messages } from "../api/client";

/** Messages in the order of time: when (seconds), for which part, and three bytes each. */
export interface Batch {
  times: Float64Array;
  parts: Uint8Array;
  bytes: Uint8Array;
}

const DATA_BYTES = [2, 2, 2, 2, 1, 1, 2];

/** Cut the byte stream into messages by their statuses, and move their times by `shift` seconds. */
export function unpack(answer: Messages, shift: number): Batch {
  const stream = Uint8Array.from(atob(answer.bytes), (sign) => sign.charCodeAt(0));
  const count = answer.seconds.length;
  const bytes = new Uint8Array(count * 3);
  let at = 0;
  for (let message = 0; message < count; message++) {
    const status = stream[at++];
    bytes[message * 3] = status;
    const wanted = DATA_BYTES[(status >> 4) - 8];
    for (let byte = 1; byte <= wanted; byte++) bytes[message * 3 + byte] = stream[at++];
  }
  return {
    times: Float64Array.from(answer.seconds, (second) => second + shift),
    parts: Uint8Array.from(answer.parts),
    bytes,
  };
}

/** Pedal up, then All Notes Off (controller 123), for every part: what a player does when stopping. */
export function silence(parts: number, time: number): Batch {
  const batch = {
    times: new Float64Array(parts * 2),
    parts: new Uint8Array(parts * 2),
    bytes: new Uint8Array(parts * 6),
  };
  for (let part = 0; part < parts; part++) {
    batch.times.fill(time, part * 2, part * 2 + 2);
    batch.parts.fill(part, part * 2, part * 2 + 2);
    batch.bytes.set([0xb0, 64, 0, 0xb0, 123, 0], part * 6);
  }
  return batch;
}

/** Sending files one at a time, with progress. XMLHttpRequest, because fetch does not tell how much has gone up. */
import { answered, api, csrfToken, type Refusal, refusal, type Schemas } from "../api/client";
import type { Job } from "../api/jobs";

export type Added = Schemas["Added"];

const MIB = 2 ** 20;
export const MOST_BYTES = 32 * MIB;
/** Of an archive, which may be long, so much goes up at a time. */
const PIECE_BYTES = 8 * MIB;

/** What a file has become: a take at once, or a job of which the take will come. */
export type Sent = { added: Added } | { job: Job };

export async function send(file: File, onProgress: (share: number) => void): Promise<Sent> {
  if (await isArchive(file)) return { job: await sendArchive(file, onProgress) };
  if (file.size > MOST_BYTES) {
    throw refusal(422, {
      detail: `The file is ${Math.ceil(file.size / MIB)} MiB; Lull reads up to 32 MiB. Save fewer tracks and try again.`,
    });
  }
  const { status, body } = await post("/api/takes", file, onProgress);
  return status === 202 ? { job: body as Job } : { added: body as Added };
}

/** What can be read of a damaged file, as a take. */
export async function rescue(file: File): Promise<Added> {
  return (await post("/api/takes?rescue=true", file, () => undefined)).body as Added;
}

const beginsWith = async (file: File, words: string) => (await file.slice(0, words.length).text()) === words;

/** By how it begins: a ZIP. */
const isArchive = (file: File) => beginsWith(file, "PK");

/** By how it begins: a Standard MIDI File, of which something may be read though it is refused. */
export const isRecording = async (file: File) => file.size <= MOST_BYTES && (await beginsWith(file, "MThd"));

async function sendArchive(file: File, onProgress: (share: number) => void): Promise<Job> {
  const body = { name: file.name, size: file.size };
  let job = await answered<Job>(api.POST("/api/archives", { body }));
  for (let at = 0; at < file.size; at += PIECE_BYTES) {
    const piece = file.slice(at, at + PIECE_BYTES);
    const told = (share: number) => onProgress((at + share * piece.size) / file.size);
    job = (await post(`/api/archives/${job.id}?at=${at}`, piece, told)).body as Job;
  }
  return job;
}

function post(address: string, file: Blob, onProgress: (share: number) => void) {
  return new Promise<{ status: number; body: unknown }>((resolve, reject: (refusal: Refusal) => void) => {
    const body = new FormData();
    body.append("file", file);
    const request = new XMLHttpRequest();
    request.open("POST", address);
    request.setRequestHeader("X-CSRFToken", csrfToken());
    request.responseType = "json";
    request.upload.onprogress = (event) => onProgress(event.loaded / Math.max(event.total, 1));
    request.onload = () =>
      request.status < 300
        ? resolve({ status: request.status, body: request.response })
        : reject(refusal(request.status, request.response));
    request.onerror = () =>
      reject(refusal(0, { detail: "The file did not arrive: the server does not answer. Try again." }));
    request.send(body);
  });
}

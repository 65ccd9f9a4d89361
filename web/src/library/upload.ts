/** Sending files one at a time, with progress. XMLHttpRequest, because fetch does not tell how much has gone up. */
import { csrfToken, type Refusal, refusal, type Schemas } from "../api/client";

export type Added = Schemas["Added"];

export const MOST_BYTES = 32 * 1024 * 1024;

export function upload(file: File, onProgress: (share: number) => void): Promise<Added> {
  return new Promise((resolve, reject: (refusal: Refusal) => void) => {
    if (file.size > MOST_BYTES) {
      const size = Math.ceil(file.size / 2 ** 20);
      reject(
        refusal(422, {
          detail: `The file is ${size} MiB; Lull reads up to 32 MiB. Save fewer tracks and try again.`,
        }),
      );
      return;
    }
    const body = new FormData();
    body.append("file", file);
    const request = new XMLHttpRequest();
    request.open("POST", "/api/takes");
    request.setRequestHeader("X-CSRFToken", csrfToken());
    request.responseType = "json";
    request.upload.onprogress = (event) => onProgress(event.loaded / Math.max(event.total, 1));
    request.onload = () =>
      request.status === 201 ? resolve(request.response) : reject(refusal(request.status, request.response));
    request.onerror = () =>
      reject(refusal(0, { detail: "The file did not arrive: the server does not answer. Try again." }));
    request.send(body);
  });
}

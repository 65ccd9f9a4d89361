/** Files that are taken home: where the server has others to make first, this page asks again until its own comes. */
import { refusal } from "./client";

const MOST_TRIES = 40;
const BUSY = 503;

/** Fetch a file and hand it to the browser. Throws Refusal. `onWait` hears that it has to wait. */
export async function download(address: string, onWait: () => void = () => undefined): Promise<void> {
  const { name, blob } = await fetched(address, onWait);
  hand(blob, name);
}

/** A file by its address, and what it is called. Throws Refusal. */
export async function fetched(
  address: string,
  onWait: () => void = () => undefined,
): Promise<{ name: string; blob: Blob }> {
  const response = await asked(address, onWait);
  const name = nameIn(response.headers.get("Content-Disposition") ?? "") ?? "take";
  return { name, blob: await response.blob() };
}

/** Hand a file to the browser. */
export function hand(blob: Blob, name: string): void {
  const link = document.createElement("a");
  link.href = URL.createObjectURL(blob);
  link.download = name;
  link.click();
  // The browser takes it up in its own time.
  window.setTimeout(() => URL.revokeObjectURL(link.href), 60_000);
}

async function asked(address: string, onWait: () => void): Promise<Response> {
  for (let tries = 1; ; tries++) {
    const response = await fetch(address);
    if (response.ok) return response;
    const again = Number(response.headers.get("Retry-After"));
    if (response.status !== BUSY || !again || tries === MOST_TRIES)
      throw refusal(response.status, await response.json().catch(() => null));
    onWait();
    await new Promise((done) => window.setTimeout(done, again * 1000));
  }
}

/** The name that a file is to have (RFC 6266): in UTF-8, where it is given so. */
export function nameIn(disposition: string): string | null {
  const wide = disposition.match(/filename\*=utf-8''([^;]+)/i)?.[1];
  if (wide) return decodeURIComponent(wide);
  return disposition.match(/filename="((?:[^"\\]|\\.)*)"/)?.[1]?.replace(/\\(.)/g, "$1") ?? null;
}

/** The one way to the server: typed by its own contract, with every refusal turned into a sentence. */
import createClient from "openapi-fetch";
import type { components, paths } from "./generated/schema";

export type Schemas = components["schemas"];
export type DeskView = Schemas["DeskView"];
export type History = Schemas["HistoryView"];
export type StrokeView = Schemas["StrokeView"];
export type Stroke = StrokeView["stroke"];
export type Hairpin = Schemas["VelocityHairpin"];
export type Where = Schemas["Where"];
export type Mark = Schemas["Mark"];
export type Changes = Schemas["Changes"];
export type Delta = Schemas["Delta"];
export type Facts = Schemas["Facts"];
export type Preview = Schemas["Preview"];
export type TakeCard = Schemas["TakeCard"];
export type Written = Schemas["Written"];
export type Messages = Schemas["Messages"];
export type LaneKind = Schemas["LaneKindView"];
export type Form = Schemas["Form"];

/** A request that the server refused, with its reason as a sentence. */
export class Refusal extends Error {
  constructor(
    readonly status: number,
    message: string,
    readonly field: string | null = null,
    /** The newer history, where the take had moved on (409). */
    readonly history: History | null = null,
    /** Numbers of the stroke that would do. */
    readonly offer: Record<string, number> = {},
  ) {
    super(message);
  }
}

export const api = createClient<paths>({ baseUrl: "/" });

export function csrfToken(): string {
  return document.cookie.match(/(?:^|; )csrftoken=([^;]+)/)?.[1] ?? "";
}

api.use({
  onRequest({ request }) {
    if (request.method !== "GET") request.headers.set("X-CSRFToken", csrfToken());
    return request;
  },
  onError() {
    return new Refusal(0, "Lull's server does not answer. What you did is kept; try again in a moment.");
  },
});

const signedOut = new Set<() => void>();
let leaves = false;

/** The player signs out: what is still asked for will be refused, and that is nothing to be told of. */
export function leave(): void {
  leaves = true;
}

/** Told before the page gives way to the sign-in page, because the session has ended. The result ends this. */
export function onSignedOut(tell: () => void): () => void {
  signedOut.add(tell);
  return () => signedOut.delete(tell);
}

/**
 * The answer's data, as the contract names it; throws Refusal. Signed out, it leads to the sign-in page.
 * (The client's own types would widen every pair of numbers to a list of any length.)
 */
export async function answered<T = void>(
  asked: Promise<{ data?: unknown; error?: unknown; response: Response }>,
): Promise<T> {
  const { data, error, response } = await asked;
  if (response.ok) return data as T;
  const outside = /^\/(sign-in|enter\/|invited\/)/.test(window.location.pathname);
  if (response.status === 401 && !outside && !leaves) {
    for (const tell of signedOut) tell();
    window.location.assign(`/sign-in?out=1&next=${encodeURIComponent(window.location.pathname)}`);
  }
  throw refusal(response.status, error);
}

/** Send a file. Throws Refusal. */
export async function sendFile<T>(address: string, file: File): Promise<{ status: number; answer: T }> {
  const body = new FormData();
  body.append("file", file);
  const headers = { "X-CSRFToken": csrfToken() };
  const response = await fetch(address, { method: "POST", body, headers });
  const answer = await response.json().catch(() => null);
  if (!response.ok) throw refusal(response.status, answer);
  return { status: response.status, answer: answer as T };
}

export function refusal(status: number, error: unknown): Refusal {
  const body = (error && typeof error === "object" ? error : {}) as Partial<Schemas["StaleProblem"]>;
  const sentence = body.detail ?? "Something went wrong on the server; nothing was changed. Try again.";
  return new Refusal(status, sentence, body.field ?? null, body.history ?? null, body.offer ?? {});
}

/** Whether a request may do better a moment later: the server did not answer, or was in trouble. */
export function passes(thrown: unknown): boolean {
  return !(thrown instanceof Refusal) || thrown.status === 0 || thrown.status >= 500;
}

/** What to tell the person, whatever was thrown. */
export function sentence(thrown: unknown): string {
  return thrown instanceof Error ? thrown.message : String(thrown);
}

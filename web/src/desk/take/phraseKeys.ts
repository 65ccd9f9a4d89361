/** Phrases by their keys. What that takes comes with their brackets, or at the latest when one is pressed. */
let known: typeof import("./phrases") | null = null;

export async function bringPhrases() {
  known ??= await import("./phrases");
  return known;
}

/** The notes of the next phrase, or of the one before: at once, so that the key after it finds them chosen. */
export function phraseAway(by: 1 | -1): void {
  if (known) known.stepPhrase(by);
  else void bringPhrases().then(({ stepPhrase }) => stepPhrase(by));
}

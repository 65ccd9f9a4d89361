import { type FormEvent, useState } from "react";
import { answered, api, sentence } from "../api/client";
import { Wordmark } from "../ui/Wordmark";

/** An address of this host, whatever was asked for: read as the browser will read it, tabs and backslashes too. */
function localPath(asked: string): string {
  const { origin, pathname, search, hash } = new URL(asked, window.location.origin);
  return origin === window.location.origin && !pathname.startsWith("//") ? pathname + search + hash : "/";
}

/** Why the page is shown, by what stands in its address. */
const REASONS = [
  ["out", "You were signed out, as happens after a long time. Nothing is lost: sign in to go on."],
  ["expired", "That link was used before, has expired or was cut off. Ask for a new one, or sign in here."],
] as const;

export function SignIn() {
  const query = new URLSearchParams(window.location.search);
  const [problem, setProblem] = useState<string>(REASONS.find(([name]) => query.has(name))?.[1] ?? "");

  async function submit(event: FormEvent<HTMLFormElement>) {
    event.preventDefault();
    const form = new FormData(event.currentTarget);
    try {
      const body = { name: String(form.get("name")), password: String(form.get("password")) };
      await answered(api.POST("/api/session", { body }));
      window.location.assign(localPath(query.get("next") ?? "/"));
    } catch (thrown) {
      setProblem(sentence(thrown));
    }
  }

  return (
    <main className="grid h-full place-items-center p-6">
      <form onSubmit={submit} className="w-80 rounded-xl border border-rule bg-sheet p-7">
        <h1 className="mb-1 text-4xl">
          <Wordmark />
        </h1>
        <p className="mb-5 text-faded">Takes that sound played.</p>
        <label className="mb-3 block">
          Name
          <input name="name" autoComplete="username" required className="entry mt-1 h-9 text-left" />
        </label>
        <label className="mb-4 block">
          Password
          <input
            name="password"
            type="password"
            autoComplete="current-password"
            required
            className="entry mt-1 h-9 text-left"
          />
        </label>
        {problem && (
          <p role="alert" className="mb-4 text-accent-deep">
            {problem}
          </p>
        )}
        <button type="submit" className="key key-warm w-full">
          Sign in
        </button>
      </form>
    </main>
  );
}

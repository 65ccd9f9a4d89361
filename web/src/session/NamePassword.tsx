import { type FormEvent, type ReactNode, useRef, useState } from "react";
import { sentence } from "../api/client";
import { Wordmark } from "../ui/Wordmark";

interface Props {
  intro: ReactNode;
  action: string;
  /** Of the password: for one that is known, or that is chosen now. */
  complete: "current-password" | "new-password";
  /** What there is to say before anything was tried. */
  told?: string;
  onSend: (name: string, password: string) => Promise<void>;
  /** Whoever has forgotten the password, by name or mail address: what came of it. */
  onForgotten?: (name: string) => Promise<string>;
}

/** A name and a password, and why they would not do. */
export function NamePassword({ intro, action, complete, told = "", onSend, onForgotten }: Props) {
  const [problem, setProblem] = useState(told);
  const name = useRef<HTMLInputElement>(null);

  async function forgotten(ask: (name: string) => Promise<string>) {
    const typed = name.current?.value.trim();
    if (!typed) {
      setProblem("Type your name, or your mail address, first.");
      name.current?.focus();
      return;
    }
    setProblem(await ask(typed).catch(sentence));
  }

  async function submit(event: FormEvent<HTMLFormElement>) {
    event.preventDefault();
    const form = new FormData(event.currentTarget);
    try {
      await onSend(String(form.get("name")), String(form.get("password")));
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
        <p className="mb-5 text-faded">{intro}</p>
        <label className="mb-3 block">
          Name
          <input
            ref={name}
            name="name"
            autoComplete="username"
            required
            className="entry mt-1 h-9 text-left"
          />
        </label>
        <label className="mb-4 block">
          Password
          <input
            name="password"
            type="password"
            autoComplete={complete}
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
          {action}
        </button>
        {onForgotten && (
          <button
            type="button"
            className="mt-4 block min-h-6 w-full text-center text-faded underline hover:text-ink"
            onClick={() => void forgotten(onForgotten)}
          >
            I have forgotten the password
          </button>
        )}
      </form>
    </main>
  );
}

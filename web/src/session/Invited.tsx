import { type FormEvent, useEffect, useState } from "react";
import { useParams } from "react-router";
import { answered, api, type Schemas, sentence } from "../api/client";
import { Wordmark } from "../ui/Wordmark";

/** Where an invitation leads: a name and a password make an account. */
export function Invited() {
  const { token = "" } = useParams();
  const [problem, setProblem] = useState("");
  const [other, setOther] = useState<string | null>(null);

  useEffect(() => {
    // Brings the cookie with which anything can be asked for at all.
    answered<Schemas["Account"] | null>(api.GET("/api/session")).then(
      (account) => setOther(account?.name ?? null),
      (thrown) => setProblem(sentence(thrown)),
    );
  }, []);

  async function submit(event: FormEvent<HTMLFormElement>) {
    event.preventDefault();
    const form = new FormData(event.currentTarget);
    try {
      const body = { token, name: String(form.get("name")), password: String(form.get("password")) };
      await answered(api.POST("/api/session/invitation", { body }));
      window.location.replace("/");
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
        <p className="mb-5 text-faded">
          You are invited. Choose a name and a password for an account of your own.
          {other && ` (You are signed in as ${other}, and would be signed out.)`}
        </p>
        <label className="mb-3 block">
          Name
          <input
            name="name"
            autoComplete="username"
            required
            maxLength={150}
            className="entry mt-1 h-9 text-left"
          />
        </label>
        <label className="mb-4 block">
          Password
          <input
            name="password"
            type="password"
            autoComplete="new-password"
            required
            minLength={8}
            className="entry mt-1 h-9 text-left"
          />
        </label>
        {problem && (
          <p role="alert" className="mb-4 text-accent-deep">
            {problem}
          </p>
        )}
        <button type="submit" className="key key-warm w-full">
          Make the account
        </button>
      </form>
    </main>
  );
}

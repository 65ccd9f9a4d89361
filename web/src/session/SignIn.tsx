import { answered, api } from "../api/client";
import { NamePassword } from "./NamePassword";

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

  async function signIn(name: string, password: string) {
    await answered(api.POST("/api/session", { body: { name, password } }));
    window.location.assign(localPath(query.get("next") ?? "/"));
  }

  return (
    <NamePassword
      intro="Takes that sound played."
      action="Sign in"
      complete="current-password"
      told={REASONS.find(([name]) => query.has(name))?.[1]}
      onSend={signIn}
    />
  );
}

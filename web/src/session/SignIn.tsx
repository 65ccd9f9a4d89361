import { answered, api, type Schemas } from "../api/client";
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

const MOST_TRIES = 30;

async function forgotten(name: string): Promise<string> {
  // Brings the cookie with which anything can be asked for at all.
  await api.GET("/api/session");
  return (await answered<Schemas["Said"]>(api.POST("/api/session/forgotten", { body: { name } }))).says;
}

export function SignIn() {
  const query = new URLSearchParams(window.location.search);

  async function signIn(name: string, password: string) {
    for (let tries = 1; ; tries++) {
      const asked = await api.POST("/api/session", { body: { name, password } });
      // Where others are just signing in, this page asks again by itself.
      const again = Number(asked.response.headers.get("Retry-After"));
      if (asked.response.status !== 429 || !again || tries === MOST_TRIES) {
        await answered(Promise.resolve(asked));
        break;
      }
      await new Promise((done) => window.setTimeout(done, again * 1000 * (0.5 + Math.random())));
    }
    window.location.assign(localPath(query.get("next") ?? "/"));
  }

  return (
    <NamePassword
      intro="Takes that sound played."
      action="Sign in"
      complete="current-password"
      told={REASONS.find(([name]) => query.has(name))?.[1]}
      onSend={signIn}
      onForgotten={forgotten}
    />
  );
}

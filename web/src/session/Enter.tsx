import { useEffect, useRef, useState } from "react";
import { useParams } from "react-router";
import { answered, api, type Schemas } from "../api/client";
import { Card } from "./Card";

/** Where a sign-in link leads. Who is signed in as somebody else is asked first. */
export function Enter() {
  const { token = "" } = useParams();
  const [other, setOther] = useState<string | null>(null);
  const asked = useRef(false);

  async function enter() {
    try {
      await answered(api.POST("/api/session/link", { body: { token } }));
      window.location.replace("/");
    } catch {
      window.location.replace("/sign-in?expired=1");
    }
  }

  useEffect(() => {
    // Twice is once too often for a link that works once.
    if (asked.current) return;
    asked.current = true;
    answered<Schemas["Account"] | null>(api.GET("/api/session")).then(
      (account) => (account ? setOther(account.name) : enter()),
      enter,
    );
  });

  return (
    <Card>
      {other === null ? (
        <p role="status">Signing you in …</p>
      ) : (
        <>
          <p className="mb-4">
            You are signed in as {other}. The link signs you in anew, perhaps as another player.
          </p>
          <button type="button" className="key key-warm w-full" onClick={enter}>
            Sign in by the link
          </button>
          <a href="/" className="key mt-2 w-full justify-center">
            Stay signed in as {other}
          </a>
        </>
      )}
    </Card>
  );
}

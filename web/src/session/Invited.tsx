import { useEffect, useState } from "react";
import { useParams } from "react-router";
import { answered, api, type Schemas } from "../api/client";
import { NamePassword } from "./NamePassword";

/** Where an invitation leads: a name and a password make an account. */
export function Invited() {
  const { token = "" } = useParams();
  const [other, setOther] = useState<string | null>(null);

  useEffect(() => {
    // Brings the cookie as well with which anything can be asked for at all.
    answered<Schemas["Account"] | null>(api.GET("/api/session")).then(
      (account) => setOther(account?.name ?? null),
      () => undefined,
    );
  }, []);

  async function accept(name: string, password: string) {
    await answered(api.POST("/api/session/invitation", { body: { token, name, password } }));
    window.location.replace("/");
  }

  return (
    <NamePassword
      intro={
        <>
          You are invited. Choose a name and a password for an account of your own.
          {other && ` (You are signed in as ${other}, and would be signed out.)`}
        </>
      }
      action="Make the account"
      complete="new-password"
      onSend={accept}
    />
  );
}

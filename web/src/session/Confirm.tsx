import { useEffect, useRef, useState } from "react";
import { useParams } from "react-router";
import { answered, api, type Schemas, sentence } from "../api/client";
import { Wordmark } from "../ui/Wordmark";

/** Where the link of a mail leads that asks whether an address is somebody's. */
export function Confirm() {
  const { token = "" } = useParams();
  const [said, setSaid] = useState("One moment …");
  const asked = useRef(false);

  useEffect(() => {
    if (asked.current) return;
    asked.current = true;
    const ask = async () => {
      // Brings the cookie with which anything can be asked for at all.
      await api.GET("/api/session");
      const body = { token };
      return answered<Schemas["Account"]>(api.POST("/api/session/mail", { body }));
    };
    ask().then(
      ({ name }) => setSaid(`This is the mail address of ${name} from now on.`),
      (thrown) => setSaid(sentence(thrown)),
    );
  }, [token]);

  return (
    <main className="grid h-full place-items-center p-6">
      <section className="w-80 rounded-xl border border-rule bg-sheet p-7">
        <h1 className="mb-1 text-4xl">
          <Wordmark />
        </h1>
        <p role="status" className="mb-4">
          {said}
        </p>
        <a href="/" className="key key-warm w-full justify-center">
          Go to Lull
        </a>
      </section>
    </main>
  );
}

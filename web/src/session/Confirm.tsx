import { useEffect, useRef, useState } from "react";
import { useParams } from "react-router";
import { answered, api, type Schemas, sentence } from "../api/client";
import { Card } from "./Card";

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
    <Card>
      <p role="status" className="mb-4">
        {said}
      </p>
      <a href="/" className="key key-warm w-full justify-center">
        Go to Lull
      </a>
    </Card>
  );
}

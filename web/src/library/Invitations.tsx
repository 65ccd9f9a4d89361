import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { answered, api, type Schemas, sentence } from "../api/client";
import { askAnew } from "../api/queries";

const DAY = new Intl.DateTimeFormat("en-GB", { day: "numeric", month: "long" });
const INVITATIONS = "invitations";

interface Props {
  /** Whether mail is sent at all. */
  canMail: boolean;
  onProblem: (sentence: string) => void;
}

/** Links with which others make accounts of their own. */
export function Invitations({ canMail, onProblem }: Props) {
  const [mail, setMail] = useState("");
  const [made, setMade] = useState<Schemas["InvitationMade"] | null>(null);
  const { data: open = [] } = useQuery({
    queryKey: [INVITATIONS],
    queryFn: () => answered<Schemas["InvitationView"][]>(api.GET("/api/me/invitations")),
    staleTime: 0,
  });
  async function attempt(act: () => Promise<void>) {
    onProblem("");
    try {
      await act();
      await askAnew(INVITATIONS);
    } catch (thrown) {
      onProblem(sentence(thrown));
    }
  }
  const invite = () =>
    attempt(async () => {
      const body = { mail };
      setMade(await answered<Schemas["InvitationMade"]>(api.POST("/api/me/invitations", { body })));
      if (mail) onProblem(`The invitation is on its way to ${mail}.`);
      setMail("");
    });
  const takeBack = (number: number) =>
    attempt(async () => {
      await answered(api.DELETE("/api/me/invitations/{number}", { params: { path: { number } } }));
      if (made?.id === number) setMade(null);
    });
  const link = made && `${window.location.origin}/invited/${made.token}`;
  return (
    <>
      {canMail && (
        <label className="block">
          <span className="text-faded">Send it to this mail address (may be empty)</span>
          <input
            type="email"
            value={mail}
            className="entry h-9 px-2 text-left"
            onChange={(event) => setMail(event.target.value)}
          />
        </label>
      )}
      <button type="button" className="key w-full" onClick={() => void invite()}>
        Invite somebody
      </button>
      {link && (
        <label className="block">
          <span className="text-[13px] text-faded">
            For one person, until it is used or a week has gone. It is shown only this once.
          </span>
          <input
            readOnly
            value={link}
            aria-label="Link of the invitation"
            className="entry h-9 px-2 text-left"
            onFocus={(event) => event.target.select()}
          />
        </label>
      )}
      {open.length > 0 && (
        <ul aria-label="Open invitations" className="divide-y divide-rule text-[13px]">
          {open.map(({ id, until }) => (
            <li key={id} className="flex items-center gap-3 py-1.5">
              <span className="flex-1 text-faded">Open until {DAY.format(new Date(until))}</span>
              <button type="button" className="key h-8" onClick={() => void takeBack(id)}>
                Take back
              </button>
            </li>
          ))}
        </ul>
      )}
    </>
  );
}

import { useQuery } from "@tanstack/react-query";
import { Dialog } from "radix-ui";
import { type FormEvent, type ReactNode, useState } from "react";
import { answered, api, type Schemas, sentence } from "../api/client";
import { askAnew } from "../api/queries";
import { count } from "../ui/words";
import { Invitations } from "./Invitations";
import { SaveEverything } from "./SaveEverything";

const ACCOUNT = "account";

/** The account: another password, signed out everywhere else, all of it deleted. */
export function AccountSettings({ onClose }: { onClose: () => void }) {
  const [said, setSaid] = useState("");
  const { data: account } = useQuery({
    queryKey: [ACCOUNT],
    queryFn: () => answered<Schemas["AccountView"]>(api.GET("/api/me/account")),
    staleTime: 0,
  });
  const asksForPassword = account?.needs_password ?? true;
  const attempt = async (act: () => Promise<string>) => {
    try {
      setSaid(await act());
    } catch (thrown) {
      setSaid(sentence(thrown));
    }
  };
  return (
    <Dialog.Root open onOpenChange={(open) => !open && onClose()}>
      <Dialog.Portal>
        <Dialog.Overlay className="fixed inset-0 z-40 bg-ink/25" />
        <Dialog.Content
          aria-describedby={undefined}
          className="fixed top-1/2 left-1/2 z-50 max-h-[90vh] w-[min(440px,94vw)] -translate-1/2 space-y-5 overflow-y-auto rounded-xl border border-rule-strong bg-sheet p-6 shadow-xl"
        >
          <Head said={said} />
          <Fields
            title="Password"
            action="Change the password"
            onSend={(fields, form) => attempt(() => changePassword(fields, form))}
          >
            {asksForPassword && (
              <Entry name="old" label="Present password" type="password" complete="current-password" />
            )}
            <Entry name="new" label="New password" type="password" complete="new-password" />
          </Fields>
          {account?.can_mail && (
            <Fields
              title="Mail address"
              action="Send a link there"
              onSend={(fields, form) => attempt(() => changeMail(fields, form))}
            >
              <p className="text-[13px] text-faded">
                {account.mail
                  ? `Links go to ${account.mail} where the password is forgotten.`
                  : "For a link where the password is forgotten; nothing else is sent there."}
              </p>
              <Entry
                name="mail"
                label={account.mail ? "Another address" : "Address"}
                type="email"
                complete="email"
              />
              {asksForPassword && (
                <Entry name="password" label="Your password" type="password" complete="current-password" />
              )}
            </Fields>
          )}
          <Section title="Other places">
            <button type="button" className="key w-full" onClick={() => void attempt(endOthers)}>
              Sign out everywhere else
            </button>
          </Section>
          <Section title="All that is yours">
            <SaveEverything onProblem={setSaid} />
          </Section>
          <Section title="Invitations">
            <Invitations canMail={!!account?.can_mail} onProblem={setSaid} />
          </Section>
          <Fields
            title="Leave"
            action="Delete the account for good"
            onSend={(fields) => attempt(() => remove(fields))}
          >
            <p className="text-[13px] text-faded">
              All takes, sounds and strokes go with it, and nobody can bring them back. To say that you mean
              it, type the name of the account.
            </p>
            <Entry name="name" label="Name of the account" type="text" complete="off" />
          </Fields>
        </Dialog.Content>
      </Dialog.Portal>
    </Dialog.Root>
  );
}

function Head({ said }: { said: string }) {
  return (
    <header className="sticky -top-6 -mx-6 -mt-6 bg-sheet px-6 pt-6 pb-2">
      <div className="flex items-center">
        <Dialog.Title className="flex-1 text-xl font-semibold">Account</Dialog.Title>
        <Dialog.Close className="key">Close</Dialog.Close>
      </div>
      <p role="status" className="min-h-[1lh] text-accent-deep">
        {said}
      </p>
    </header>
  );
}

async function changePassword(fields: FormData, form: HTMLFormElement): Promise<string> {
  const body = { old: String(fields.get("old") ?? ""), new: String(fields.get("new")) };
  await answered<Schemas["Account"]>(api.POST("/api/me/password", { body }));
  form.reset();
  await askAnew(ACCOUNT);
  return "The password is changed. Everywhere else you are signed out.";
}

async function changeMail(fields: FormData, form: HTMLFormElement): Promise<string> {
  const body = { mail: String(fields.get("mail")), password: String(fields.get("password") ?? "") };
  const { says } = await answered<Schemas["Said"]>(api.POST("/api/me/mail", { body }));
  form.reset();
  return says;
}

async function endOthers(): Promise<string> {
  const { sessions } = await answered<Schemas["Ended"]>(api.POST("/api/me/end-others", {}));
  return sessions ? `Signed out in ${count(sessions, "other place")}.` : "You are signed in nowhere else.";
}

async function remove(fields: FormData): Promise<string> {
  await answered(api.POST("/api/me/delete", { body: { name: String(fields.get("name")) } }));
  window.location.assign("/sign-in");
  return "";
}

function Section({ title, children }: { title: string; children: ReactNode }) {
  return (
    <section className="space-y-2 border-t border-rule pt-4">
      <h3 className="font-semibold">{title}</h3>
      {children}
    </section>
  );
}

interface FieldsProps {
  title: string;
  action: string;
  onSend: (fields: FormData, form: HTMLFormElement) => Promise<void>;
  children: ReactNode;
}

function Fields({ title, action, onSend, children }: FieldsProps) {
  const send = (event: FormEvent<HTMLFormElement>) => {
    event.preventDefault();
    void onSend(new FormData(event.currentTarget), event.currentTarget);
  };
  return (
    <form className="space-y-2 border-t border-rule pt-4" onSubmit={send}>
      <h3 className="font-semibold">{title}</h3>
      {children}
      <button type="submit" className="key w-full">
        {action}
      </button>
    </form>
  );
}

interface EntryProps {
  name: string;
  label: string;
  type: "password" | "text" | "email";
  complete: string;
}

function Entry({ name, label, type, complete }: EntryProps) {
  return (
    <label className="block">
      <span className="text-faded">{label}</span>
      <input name={name} type={type} autoComplete={complete} className="entry h-9 px-2 text-left" />
    </label>
  );
}

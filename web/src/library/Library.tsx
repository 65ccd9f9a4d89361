import { type DragEvent, type ReactNode, useEffect, useRef, useState } from "react";
import { Link } from "react-router";
import { csrfToken, leave } from "../api/client";
import { askAnew } from "../api/queries";
import { FileChooser } from "../ui/FileChooser";
import { late } from "../ui/late";
import { Notice, type NoticeText } from "../ui/Notice";
import { Wordmark } from "../ui/Wordmark";
import { Arrivals } from "./Arrivals";
import { useArrivals } from "./arrivals";
import { Deleted } from "./Deleted";
import { TakeItem } from "./TakeItem";
import { addTake, useTakes } from "./takes";
import { WalkOffer } from "./WalkOffer";

/** What is opened now and then comes when it is. */
const AccountSettings = late(async () => (await import("./AccountSettings")).AccountSettings);

const NewTake = late(async () => (await import("./NewTake")).NewTake);

export function Library() {
  const [notice, setNotice] = useState<NoticeText | null>(null);
  const { takes, bringBack, openZoned, rename, remove } = useTakes(setNotice);
  const chooser = useRef<HTMLInputElement>(null);
  const { arrivals, receive, close, open } = useArrivals(async (added) => {
    if (added) await addTake(added);
    else await askAnew("takes");
  });
  useEffect(() => {
    document.title = "Lull";
  }, []);
  const choose = () => chooser.current?.click();
  return (
    <Dropping onFiles={(files) => void receive(files)}>
      <Top onChoose={choose} />
      <FileChooser
        chooser={chooser}
        accept=".mid,.midi,.midi2,.zip,audio/midi,application/zip"
        multiple
        testId="files"
        onFiles={(files) => void receive(files)}
      />
      <main className="min-h-0 flex-1 overflow-y-auto px-8 pb-10">
        {takes && <WalkOffer />}
        <Arrivals
          arrivals={arrivals}
          onClose={close}
          onZoned={(key, take) => void openZoned(take, () => close(key))}
          onRescue={(one) => void open(one)}
        />
        {takes === null ? (
          <p className="text-faded">Opening the library …</p>
        ) : takes.length ? (
          <ul className="grid grid-cols-[repeat(auto-fill,minmax(290px,1fr))] gap-4" aria-label="Takes">
            {takes.map((take) => (
              <TakeItem
                key={take.id}
                take={take}
                onRename={(name) => void rename(take, name)}
                onDelete={() => void remove(take)}
              />
            ))}
          </ul>
        ) : (
          <Empty onChoose={choose} />
        )}
        {takes && <Deleted onBringBack={bringBack} />}
      </main>
      <Notice notice={notice} onClose={() => setNotice(null)} />
    </Dropping>
  );
}

/** The whole page takes files that are dropped on it. */
function Dropping({ onFiles, children }: { onFiles: (files: File[]) => void; children: ReactNode }) {
  const [over, setOver] = useState(false);
  return (
    // biome-ignore lint/a11y/noStaticElementInteractions: dropping is a shortcut; the button does the same
    <div
      className="flex h-full flex-col"
      onDragOver={(event) => {
        event.preventDefault();
        setOver(true);
      }}
      onDragLeave={(event) => {
        if (!event.currentTarget.contains(event.relatedTarget as Node | null)) setOver(false);
      }}
      onDrop={(event: DragEvent) => {
        event.preventDefault();
        setOver(false);
        onFiles([...event.dataTransfer.files]);
      }}
    >
      {children}
      {over && (
        <div className="pointer-events-none fixed inset-3 z-20 grid place-items-center rounded-2xl border-2 border-dashed border-accent bg-paper/90">
          <p className="font-mark text-3xl text-accent-deep italic">Let go to add the recordings</p>
        </div>
      )}
    </div>
  );
}

function Top({ onChoose }: { onChoose: () => void }) {
  const [newOpen, setNewOpen] = useState(false);
  const [accountOpen, setAccountOpen] = useState(false);
  return (
    <>
      <header className="flex items-center gap-4 px-8 pt-6 pb-4">
        <h1 className="text-3xl">
          <Wordmark />
        </h1>
        <div className="flex-1" />
        <button type="button" className="key" aria-expanded={newOpen} onClick={() => setNewOpen(!newOpen)}>
          Play a new take
        </button>
        <button type="button" className="key key-warm" onClick={onChoose}>
          Add recordings
        </button>
        <Link to="/guide" className="key key-plain text-faded">
          Guide
        </Link>
        <button type="button" className="key key-plain text-faded" onClick={() => setAccountOpen(true)}>
          Account
        </button>
        {accountOpen && <AccountSettings onClose={() => setAccountOpen(false)} />}
        <form method="post" action="/sign-out" onSubmit={leave}>
          <input type="hidden" name="csrfmiddlewaretoken" value={csrfToken()} />
          <button type="submit" className="key key-plain text-faded">
            Sign out
          </button>
        </form>
      </header>
      {newOpen && <NewTake onClose={() => setNewOpen(false)} />}
    </>
  );
}

function Empty({ onChoose }: { onChoose: () => void }) {
  return (
    <div className="mx-auto mt-16 max-w-md rounded-2xl border-2 border-dashed border-rule-strong p-10 text-center">
      <p className="mb-2 font-mark text-2xl italic">Nothing recorded yet</p>
      <p className="mb-5 text-faded">
        Drop MIDI files here, from any keyboard or sequencer. The recording is kept as it came; whatever you
        do to it can be undone.
      </p>
      <button type="button" className="key" onClick={onChoose}>
        Choose files
      </button>
      <p className="mt-3 text-faded">Or begin with nothing: “Play a new take”.</p>
    </div>
  );
}

import { useQuery } from "@tanstack/react-query";
import { type DragEvent, lazy, Suspense, useEffect, useRef, useState } from "react";
import { Link } from "react-router";
import { answered, api, csrfToken, leave, sentence, type TakeCard } from "../api/client";
import { askAnew, queries } from "../api/queries";
import { Notice, type NoticeText } from "../ui/Notice";
import { Wordmark } from "../ui/Wordmark";
import { Arrivals } from "./Arrivals";
import { useArrivals } from "./arrivals";
import { Deleted } from "./Deleted";
import { TakeItem } from "./TakeItem";
import type { Added } from "./upload";
import { WalkOffer } from "./WalkOffer";

/** What is opened now and then comes when it is. */
const AccountSettings = lazy(async () => ({
  default: (await import("./AccountSettings")).AccountSettings,
}));

const NewTake = lazy(async () => ({ default: (await import("./NewTake")).NewTake }));

const LISTED = ["takes", "listed"];

/** Show what has changed at once, and ask for the list anew: one from before a change would take the change back. */
async function change(next: (takes: TakeCard[]) => TakeCard[]): Promise<void> {
  await queries.cancelQueries({ queryKey: ["takes"] });
  queries.setQueryData<TakeCard[]>(LISTED, (all) => next(all ?? []));
  void askAnew("takes");
}

export function Library() {
  const {
    data: takes = null,
    error,
    refetch,
  } = useQuery({
    queryKey: LISTED,
    queryFn: () => answered<TakeCard[]>(api.GET("/api/takes")),
    staleTime: 0,
  });
  const [notice, setNotice] = useState<NoticeText | null>(null);
  const [over, setOver] = useState(false);
  const [newOpen, setNewOpen] = useState(false);
  const [accountOpen, setAccountOpen] = useState(false);
  const chooser = useRef<HTMLInputElement>(null);
  const { arrivals, receive, close, open } = useArrivals(async (added) => {
    if (added) await change((all) => [added, ...all.filter((one) => one.id !== added.id)]);
    else await askAnew("takes");
  });

  useEffect(() => {
    document.title = "Lull";
  }, []);
  useEffect(() => {
    if (!error) return;
    setNotice({ text: sentence(error), action: { label: "Try again", run: () => void refetch() } });
  }, [error, refetch]);

  /** The same recording once more, read as MPE: a take beside the one that was read as it says. */
  async function openZoned(key: number, take_id: string) {
    await attempt(async () => {
      const params = { path: { take_id } };
      const added = await answered<Added>(api.POST("/api/takes/{take_id}/zoned", { params }));
      await change((all) => [added, ...all.filter((one) => one.id !== added.id)]);
      close(key);
    });
  }

  async function rename(take: TakeCard, name: string) {
    await attempt(async () => {
      const path = { take_id: take.id };
      const renamed = await answered<TakeCard>(
        api.PATCH("/api/takes/{take_id}", { params: { path }, body: { name } }),
      );
      await change((all) => all.map((one) => (one.id === take.id ? renamed : one)));
    });
  }

  async function remove(take: TakeCard) {
    const params = { path: { take_id: take.id } };
    await attempt(async () => {
      await answered(api.DELETE("/api/takes/{take_id}", { params }));
      await change((all) => all.filter((one) => one.id !== take.id));
      const action = { label: "Undo", run: () => void bringBack(take.id) };
      setNotice({ text: `“${take.name}” was deleted. It is kept for 30 days, under Deleted.`, action });
    });
  }

  async function bringBack(take_id: string) {
    await attempt(async () => {
      await answered(api.POST("/api/takes/{take_id}/restore", { params: { path: { take_id } } }));
      await askAnew("takes");
    });
  }

  async function attempt(act: () => Promise<void>) {
    try {
      await act();
    } catch (thrown) {
      setNotice({ text: sentence(thrown) });
    }
  }

  const choose = () => chooser.current?.click();
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
        void receive([...event.dataTransfer.files]);
      }}
    >
      <header className="flex items-center gap-4 px-8 pt-6 pb-4">
        <h1 className="text-3xl">
          <Wordmark />
        </h1>
        <div className="flex-1" />
        <button type="button" className="key" aria-expanded={newOpen} onClick={() => setNewOpen(!newOpen)}>
          Play a new take
        </button>
        <button type="button" className="key key-warm" onClick={choose}>
          Add recordings
        </button>
        <Link to="/guide" className="key key-plain text-faded">
          Guide
        </Link>
        <button type="button" className="key key-plain text-faded" onClick={() => setAccountOpen(true)}>
          Account
        </button>
        <Suspense>{accountOpen && <AccountSettings onClose={() => setAccountOpen(false)} />}</Suspense>
        <form method="post" action="/sign-out" onSubmit={leave}>
          <input type="hidden" name="csrfmiddlewaretoken" value={csrfToken()} />
          <button type="submit" className="key key-plain text-faded">
            Sign out
          </button>
        </form>
      </header>
      <Suspense>{newOpen && <NewTake onClose={() => setNewOpen(false)} />}</Suspense>
      <input
        ref={chooser}
        type="file"
        accept=".mid,.midi,.midi2,.zip,audio/midi,application/zip"
        multiple
        hidden
        data-testid="files"
        onChange={(event) => {
          void receive([...(event.target.files ?? [])]);
          event.target.value = "";
        }}
      />
      <main className="min-h-0 flex-1 overflow-y-auto px-8 pb-10">
        {takes && <WalkOffer />}
        <Arrivals
          arrivals={arrivals}
          onClose={close}
          onZoned={(key, take) => void openZoned(key, take)}
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
      {over && (
        <div className="pointer-events-none fixed inset-3 z-20 grid place-items-center rounded-2xl border-2 border-dashed border-accent bg-paper/90">
          <p className="font-mark text-3xl text-accent-deep italic">Let go to add the recordings</p>
        </div>
      )}
      <Notice notice={notice} onClose={() => setNotice(null)} />
    </div>
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

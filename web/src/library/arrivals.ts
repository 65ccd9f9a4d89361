/** Files on their way into the library: sent, waiting, being read; refused, or read with remarks. */
import { useEffect, useRef, useState } from "react";
import { sentence } from "../api/client";
import { forget, isUnderWay, type Job, jobs, watched } from "../api/jobs";
import { type Added, isRecording, rescue, send } from "./upload";

/** A file on its way in, or one that was refused, or one that was read with remarks. */
export interface Arrival {
  key: number;
  name: string;
  /** What happens to it just now. */
  phase: "sent" | "waiting" | "read";
  share: number;
  problem?: string;
  remarks?: string[];
  /** A file that was refused, of which something may be read. */
  damaged?: File;
  /** A take that looks like MPE and does not say so: it can be opened as such. */
  looksZoned?: string;
}

let count = 0;
const PHASES = { arriving: "sent", waiting: "waiting" } as const;

/** What was asked for before this page was opened, and has not been told of yet, is taken up again. */
function useLeft(resume: (job: Job) => void): void {
  const resumed = useRef(false);
  useEffect(() => {
    if (resumed.current) return;
    resumed.current = true;
    const see = (job: Job) => {
      const isTold = job.state === "refused" || job.remarks.length > 0;
      if (isUnderWay(job) || isTold) resume(job);
      else if (job.state === "done") void forget(job.id);
    };
    jobs().then(
      (all) => all.filter(({ kind }) => kind === "take" || kind === "archive").forEach(see),
      () => undefined,
    );
  });
}

function useList() {
  const [arrivals, setArrivals] = useState<Arrival[]>([]);
  const update = (key: number, change: Partial<Arrival>) =>
    setArrivals((all) => all.map((one) => (one.key === key ? { ...one, ...change } : one)));
  const close = (key: number) => setArrivals((all) => all.filter((one) => one.key !== key));
  const begin = (name: string, phase: Arrival["phase"]): Arrival => {
    const arrival: Arrival = { key: ++count, name, phase, share: 0 };
    setArrivals((all) => [...all, arrival]);
    return arrival;
  };
  return { arrivals, update, close, begin };
}

/** Those of this page, and those that the server still has to do with from before. */
export function useArrivals(onAdded: (added: Added | null) => Promise<void>) {
  const { arrivals, update, close, begin } = useList();

  async function follow({ key }: Arrival, job: Job) {
    const { says, remarks, looks_zoned, take_id } = await watched(job, ({ state, share }) =>
      update(key, { phase: PHASES[state as keyof typeof PHASES] ?? "read", share }),
    );
    await onAdded(null);
    tell(key, [...(says ? [says] : []), ...remarks], looks_zoned ? (take_id ?? undefined) : undefined);
  }

  function tell(key: number, remarks: string[], looksZoned?: string) {
    if (remarks.length) update(key, { remarks, looksZoned });
    else close(key);
  }

  async function settled({ key }: Arrival, work: () => Promise<void>, file?: File) {
    try {
      await work();
    } catch (thrown) {
      const damaged = file && (await isRecording(file)) ? file : undefined;
      update(key, { problem: sentence(thrown), damaged });
    }
  }

  /** Of a file that was refused, what can be read. */
  async function open({ key, damaged }: Arrival) {
    if (!damaged) return;
    update(key, { problem: undefined, damaged: undefined, phase: "read" });
    await settled({ key } as Arrival, async () => {
      const added = await rescue(damaged);
      await onAdded(added);
      tell(key, added.remarks);
    });
  }

  async function receive(files: File[]) {
    const queue = files.map((file) => ({ file, arrival: begin(file.name, "waiting") }));
    for (const { file, arrival } of queue) {
      await settled(
        arrival,
        async () => {
          update(arrival.key, { phase: "sent" });
          const sent = await send(file, (share) => update(arrival.key, { share }));
          if ("job" in sent) return follow(arrival, sent.job);
          await onAdded(sent.added);
          const { id, remarks, looks_zoned } = sent.added;
          tell(arrival.key, remarks, looks_zoned ? id : undefined);
        },
        file,
      );
    }
  }

  useLeft((job) => {
    const arrival = begin(job.name, "read");
    void settled(arrival, () => follow(arrival, job));
  });
  return { arrivals, receive, close, open };
}

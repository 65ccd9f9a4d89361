import { useEffect, useRef, useState } from "react";
import { answered, api, sentence } from "../api/client";
import { fileOf, isUnderWay, type Job, jobs, watched } from "../api/jobs";
import { Progress } from "../ui/Progress";

const MIB = 2 ** 20;

/** An archive of all that the account holds: made by the server by and by, then fetched. */
export function SaveEverything({ onProblem }: { onProblem: (sentence: string) => void }) {
  const [job, setJob] = useState<Job | null>(null);
  const asked = useRef(false);

  async function follow(begun: Job) {
    setJob(begun);
    try {
      setJob(await watched(begun, setJob));
    } catch (thrown) {
      setJob(null);
      onProblem(sentence(thrown));
    }
  }
  async function make() {
    onProblem("");
    try {
      await follow(await answered<Job>(api.POST("/api/me/archive", {})));
    } catch (thrown) {
      onProblem(sentence(thrown));
    }
  }

  // One that was asked for earlier is still being made, or waits to be fetched.
  useEffect(() => {
    if (asked.current) return;
    asked.current = true;
    jobs().then(
      (all) => {
        const earlier = all.findLast(({ kind }) => kind === "export");
        if (earlier && earlier.state !== "refused") void follow(earlier);
      },
      () => undefined,
    );
  });

  const isDone = job?.state === "done";
  return (
    <>
      <p className="text-[13px] text-faded">
        Every recording as it came, with its strokes and its sound, in one archive of plain files. Added to a
        library, here or in another Lull, it brings all of it back.
      </p>
      {job && isUnderWay(job) ? (
        <Progress share={job.share > 0 ? job.share : null} label="Making the archive" />
      ) : (
        <button type="button" className="key w-full" onClick={() => void make()}>
          {isDone ? "Save everything anew" : "Save everything"}
        </button>
      )}
      <p className="sr-only" role="status">
        {isDone && "The archive is ready."}
      </p>
      {isDone && (
        <a href={fileOf(job)} className="key key-warm w-full justify-center" download>
          Download the archive ({(job.size / MIB).toFixed(1)} MiB)
        </a>
      )}
    </>
  );
}

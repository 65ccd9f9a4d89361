/** What the server does by and by: asked after until it has come to its end. */
import { answered, api, Refusal, type Schemas } from "./client";

export type Job = Schemas["JobView"];

const OFTEN_MS = 250;
const SELDOM_MS = 1000;
/** After so many questions they come less often. */
const IMPATIENT = 40;
const MOST_SILENCES = 30;

export const isUnderWay = ({ state }: Job) => state === "waiting" || state === "working";

/** Whether something is there to be fetched when it is done. */
const makesFile = ({ kind }: Job) => kind === "export" || kind === "forms";

export const fileOf = ({ id }: Job) => `/api/jobs/${id}/file`;

/** The job once it is done; throws Refusal where it was refused. Its end having been seen, it is forgotten. */
export async function watched(job: Job, onChange: (job: Job) => void): Promise<Job> {
  let now = job;
  let silences = 0;
  for (let asked = 0; isUnderWay(now); asked++) {
    onChange(now);
    await new Promise((resolve) => setTimeout(resolve, asked < IMPATIENT ? OFTEN_MS : SELDOM_MS));
    try {
      now = await jobOf(now.id);
      silences = 0;
    } catch (thrown) {
      // Another page of the same player has seen its end, and said that it need not be told again.
      if (thrown instanceof Refusal && thrown.status === 404) return { ...now, state: "done" };
      // A server that starts again is no end of a job.
      const isSilent = thrown instanceof Refusal && (thrown.status === 0 || thrown.status >= 500);
      if (!isSilent || ++silences > MOST_SILENCES) throw thrown;
    }
  }
  if (!makesFile(now)) void forget(now.id);
  if (now.state === "refused") throw new Refusal(422, now.says);
  return now;
}

export const jobs = () => answered<Job[]>(api.GET("/api/jobs"));

const jobOf = (job_id: string) =>
  answered<Job>(api.GET("/api/jobs/{job_id}", { params: { path: { job_id } } }));

export async function forget(job_id: string): Promise<void> {
  await answered(api.DELETE("/api/jobs/{job_id}", { params: { path: { job_id } } })).catch(() => undefined);
}

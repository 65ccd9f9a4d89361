/**
 * Strokes under way: tried while the hand moves, kept in the order in which they were meant, never lost between the two.
 *
 * Knows neither the network nor the page: both are given to it.
 */
import { type Mark, type Preview, Refusal, type Stroke, sentence } from "../../api/client";

/** A stroke that is tried. The one on the desk is drawn; one that is meant is kept whatever comes after it. */
export interface Attempt {
  stroke: Stroke;
  /** The place that a line is pulled to: the answer holds the numbers that lead there. */
  pull: [number, number] | null;
  /** Of the history, where it is one of its strokes. */
  number: number | null;
  /** It differs from what is kept. */
  changed: boolean;
  /** What it would do has not been answered yet. */
  asked: boolean;
  problem: string | null;
  /** It is known to change nothing. */
  idle: boolean;
}

/** So long a hand rests, in milliseconds, until all of what it tries is worked out and not only what is in sight. */
export const REST = 250;

/** Where strokes are tried and written. Both throw Refusal. */
export interface Server {
  /** `whole`: also of very much. */
  tries(attempt: Attempt, whole: boolean): Promise<Preview>;
  /** Under which number it is kept. */
  keeps(attempt: Attempt): Promise<number | null>;
}

/** Where it is seen. */
export interface Page {
  /** This is the stroke on the desk from now on. */
  opened(attempt: Attempt, mark: Mark | null): void;
  /** It has other numbers, or another number, under the hand. */
  altered(attempt: Attempt): void;
  /** What it would do is known. */
  tried(attempt: Attempt, answer: Preview): void;
  /** It cannot be: said where it is made. */
  impossible(attempt: Attempt, reason: Refusal): void;
  /** It is kept and the hand has changed nothing since. */
  kept(attempt: Attempt): void;
  /** The take is not as it was thought to be: it is read anew. */
  surprised(): Promise<void>;
  /** Said where nothing nearer can say it. */
  told(text: string, label?: string, run?: () => void): void;
  /** So many changes are being written or wait for it. */
  saving(changes: number): void;
}

export class Attempts {
  private current: Attempt | null = null;
  private waiting: (() => Promise<void>) | null = null;
  private flight: Promise<void> | null = null;
  private rest: ReturnType<typeof setTimeout> | undefined;
  /** How often the take was read anew because it had changed elsewhere. */
  private surprises = 0;
  /** What is meant and not yet written, in its order. */
  private readonly queue: Attempt[] = [];
  /** The same, and what the server did not answer for: it is meant until it is written, refused or let go of. */
  private readonly unsent = new Set<Attempt>();
  private lastTurn: Promise<unknown> = Promise.resolve();
  /** Changes that are under way or wait for their turn. */
  private changes = 0;

  constructor(
    private readonly server: Server,
    private readonly page: Page,
  ) {}

  /** A new stroke, or one of the history, is the one on the desk from now on. */
  open(stroke: Stroke, from?: { number: number; mark: Mark | null }): Attempt {
    const { number, mark } = from ?? { number: null, mark: null };
    this.current = { stroke, pull: null, number, changed: !from, asked: false, problem: null, idle: false };
    this.waiting = null;
    this.page.opened(this.current, mark);
    return this.current;
  }

  /** Whether it is still the one on the desk. */
  isOpen(attempt: Attempt): boolean {
    return attempt === this.current;
  }

  // ---- trying

  /** Show what a stroke would do. The latest wins: of those asked while one is under way, only the last is sent. */
  preview(
    stroke: Stroke,
    pull: [number, number] | null = null,
    answered?: () => void,
    of: number | null = null,
  ): void {
    const mine = this.current ?? this.open(stroke, of === null ? undefined : { number: of, mark: null });
    [mine.stroke, mine.pull, mine.changed, mine.asked] = [stroke, pull, true, true];
    this.page.altered(mine);
    this.waiting = async () => {
      if (mine === this.current && mine.asked) await this.ask(mine, answered);
    };
    this.drain();
  }

  /** What is tried is shown anew on what has come from the server. */
  tryAgain(): void {
    const { current } = this;
    if (current?.changed && !this.waiting) this.preview(current.stroke, current.pull);
  }

  /** Previews are made on a revision: they wait while one is being written. */
  private drain(): void {
    if (this.flight || this.changes || !this.waiting) return;
    const next = this.waiting;
    this.waiting = null;
    this.flight = next().finally(() => {
      this.flight = null;
      this.drain();
    });
  }

  /** How much of it is tried that does not lie in sight is known once the hand rests, and is kept from there at once. */
  private atRest(mine: Attempt): void {
    const { stroke } = mine;
    clearTimeout(this.rest);
    this.rest = setTimeout(() => {
      this.waiting ??= async () => {
        if (mine === this.current && mine.stroke === stroke && this.isTried())
          await this.ask(mine, undefined, true);
      };
      this.drain();
    }, REST);
  }

  private async ask(mine: Attempt, answered?: () => void, whole = false): Promise<void> {
    const { stroke, pull } = mine;
    const isLatest = () => mine.stroke === stroke && mine.pull === pull;
    try {
      const answer = await this.server.tries(mine, whole);
      [mine.problem, mine.idle] = [null, answer.idle];
      if (isLatest()) [mine.stroke, mine.pull, mine.asked] = [answer.stroke, null, false];
      if (mine !== this.current) return;
      this.page.tried(mine, answer);
      answered?.();
      if (!answer.whole) this.atRest(mine);
    } catch (thrown) {
      if (thrown instanceof Refusal && thrown.status === 422 && isLatest()) mine.asked = false;
      if (mine === this.current || this.queue.includes(mine)) await this.refused(thrown, mine);
    }
  }

  // ---- keeping

  /** Keep the stroke that is open: as a new one, or as new numbers for the one it was opened from. It stays open. */
  async keep(): Promise<void> {
    if (this.current) await this.keepIt(this.current);
  }

  /** Keep a stroke at once, without a gesture; the attempt tells what came of it. */
  async keepNow(stroke: Stroke): Promise<Attempt> {
    const mine = this.open(stroke);
    await this.keepIt(mine);
    return mine;
  }

  /** Whether something is tried that is neither kept nor meant. */
  isTried(): boolean {
    return !!this.current?.changed && !this.queue.includes(this.current);
  }

  /** Whether what is tried cannot be. Of numbers that are still asked for nobody knows, also if those before could not. */
  isImpossible(): boolean {
    return !!this.current?.problem && !this.current.asked;
  }

  /** Something else begins: what is tried is kept, unless it cannot be or changes nothing; it is open no longer. */
  close(): void {
    const { current } = this;
    if (current && this.isTried() && !this.isImpossible()) void this.keepIt(current, true);
    this.forget();
  }

  /** Keep what was meant on an earlier visit. */
  async keepAgain(stroke: Stroke, number: number | null): Promise<void> {
    await this.keepIt({
      stroke,
      pull: null,
      number,
      changed: true,
      asked: false,
      problem: null,
      idle: false,
    });
  }

  /** What is not written yet: all that was meant, and what is open and differs from what is kept. */
  unwritten() {
    const told = ({ stroke, number }: Attempt) => ({ stroke, number });
    const { current, unsent } = this;
    const open = current?.changed && !unsent.has(current) ? told(current) : null;
    return { meant: [...unsent].map(told), open };
  }

  /** Also where it is let go of before its turn has come. */
  private async keepIt(mine: Attempt, unlessIdle = false): Promise<void> {
    const seen = this.surprises;
    this.queue.push(mine);
    if (mine.changed) this.unsent.add(mine);
    await this.inTurn(async () => {
      try {
        if (mine.asked) await this.ask(mine);
        if (unlessIdle && mine.idle && mine.number === null) this.unsent.delete(mine);
        // What was meant for the take as it was is not kept on another one unasked.
        else if (mine.changed && !mine.asked && !mine.problem && seen === this.surprises)
          await this.put(mine);
      } finally {
        this.queue.splice(this.queue.indexOf(mine), 1);
        if (mine.problem || seen !== this.surprises) this.unsent.delete(mine);
      }
    });
  }

  /** Write a stroke as a new one, or as new numbers for one of the history, and open it as it is kept. */
  private async put(mine: Attempt): Promise<void> {
    const { stroke } = mine;
    try {
      mine.number = await this.server.keeps({ ...mine });
    } catch (thrown) {
      return await this.refused(thrown, mine);
    }
    this.unsent.delete(mine);
    mine.changed = mine.stroke !== stroke;
    // Unless it was let go of in the meantime, it stays open under the hand; what the hand has changed since, too.
    if (mine !== this.current || mine.number === null) return;
    if (mine.changed) this.page.altered(mine);
    else this.page.kept(mine);
  }

  /** Whatever is being tried is no longer wanted. */
  forget(): void {
    if (this.current && !this.queue.includes(this.current)) this.unsent.delete(this.current);
    this.current = null;
    this.waiting = null;
  }

  /** What is tried is kept, as `close` keeps it, and stays open; resolves when all that was meant is written. */
  async settle(): Promise<void> {
    const { current } = this;
    if (current && this.isTried() && !this.isImpossible()) void this.keepIt(current, true);
    await this.allWritten();
  }

  // ---- one after another

  /** One change of the history after another, each on the revision that the one before has made. */
  inTurn(act: () => Promise<unknown>): Promise<void> {
    this.page.saving(++this.changes);
    const mine = this.lastTurn.then(async () => {
      try {
        await this.flight;
        await act();
      } finally {
        this.page.saving(--this.changes);
        this.drain();
      }
    });
    this.lastTurn = mine.catch(() => undefined);
    return mine;
  }

  /** Wait until all that was meant to be written is. */
  async allWritten(): Promise<void> {
    await this.lastTurn;
  }

  /** Say why not: at the stroke that it is about while that is open, else in a notice. */
  async refused(thrown: unknown, about?: Attempt): Promise<void> {
    const isMeant = about && this.queue.includes(about);
    if (thrown instanceof Refusal && thrown.history) {
      this.surprises++;
      // What was kept already is not offered again.
      const all = [...new Set([...this.queue, ...(about ? [about] : [])])].filter((one) => one.changed);
      await this.page.surprised();
      const text = `${thrown.message} You see it as it is now.`;
      const again = () => all.forEach((one) => void this.keepIt(one));
      if (all.length) this.page.told(text, "Keep it all the same", again);
      else this.page.told(text);
    } else if (about && thrown instanceof Refusal && thrown.status === 422) {
      about.problem = thrown.message;
      if (about === this.current) this.page.impossible(about, thrown);
      else this.page.told(thrown.message);
    } else if (isMeant) this.page.told(sentence(thrown), "Try again", () => void this.keepIt(about));
    else this.page.told(sentence(thrown));
  }
}

/**
 * Pieces of passes on their way to the server. They are kept in the browser until they have arrived, so that neither a
 * closed tab nor a dead server loses what was played.
 */
import { answered, api, passes, Refusal, type Schemas } from "../api/client";

export interface Piece {
  take: string;
  pass: string;
  number: number;
  events: [number, number, string][];
}

interface Begun {
  take: string;
  asked: Schemas["PassAsked"];
}

const PLACE = "lull.passes";
const AGAIN_MS = 2000;

class Waiting {
  private begun: Begun[] = [];
  private pieces: Piece[] = [];
  private sending: Promise<void> | null = null;
  onChange: (unsent: number) => void = () => undefined;

  constructor() {
    try {
      const kept = JSON.parse(localStorage.getItem(PLACE) ?? "{}");
      this.begun = kept.begun ?? [];
      this.pieces = kept.pieces ?? [];
    } catch {
      // What cannot be read was not written by this page.
    }
  }

  /** A pass begins. It is told with the first piece at the latest. */
  async begin(take: string, asked: Schemas["PassAsked"]): Promise<void> {
    this.begun.push({ take, asked });
    this.changed();
    await this.flush();
  }

  add(piece: Piece): void {
    this.pieces.push(piece);
    this.changed();
    void this.flush();
  }

  /** Everything that waits, in order. Throws nothing: what cannot be sent waits on. */
  flush(): Promise<void> {
    this.sending ??= this.send().finally(() => {
      this.sending = null;
      if (this.begun.length || this.pieces.length) window.setTimeout(() => void this.flush(), AGAIN_MS);
    });
    return this.sending;
  }

  private async send(): Promise<void> {
    try {
      while (this.begun.length) {
        const { take, asked } = this.begun[0]!;
        await this.sent(() =>
          api.POST("/api/takes/{take_id}/passes", { params: { path: { take_id: take } }, body: asked }),
        );
        this.begun.shift();
        this.changed();
      }
      while (this.pieces.length) {
        const { take, pass, number, events } = this.pieces[0]!;
        const params = { path: { take_id: take, pass_id: pass } };
        await this.sent(() =>
          api.POST("/api/takes/{take_id}/passes/{pass_id}/pieces", { params, body: { number, events } }),
        );
        this.pieces.shift();
        this.changed();
      }
    } catch {
      // It is tried again.
    }
  }

  /** What the server will never take is let go of: the pass was dropped, or its take is gone. */
  private async sent(ask: () => Parameters<typeof answered>[0]): Promise<void> {
    try {
      await answered(ask());
    } catch (thrown) {
      if (passes(thrown)) throw thrown;
    }
  }

  /** Make strokes of a pass, once all of it has arrived. Throws Refusal. */
  async keep(take: string, pass: string, end: number | null): Promise<Schemas["Kept"]> {
    await this.flush();
    await this.flush();
    if (this.begun.some(({ asked }) => asked.id === pass) || this.pieces.some((one) => one.pass === pass))
      throw new Refusal(0, "Lull's server does not answer.");
    const params = { path: { take_id: take, pass_id: pass } };
    return answered<Schemas["Kept"]>(
      api.POST("/api/takes/{take_id}/passes/{pass_id}/keep", { params, body: { end } }),
    );
  }

  async drop(take: string, pass: string): Promise<void> {
    this.pieces = this.pieces.filter((one) => one.pass !== pass);
    this.changed();
    await this.flush();
    const params = { path: { take_id: take, pass_id: pass } };
    await answered(api.DELETE("/api/takes/{take_id}/passes/{pass_id}", { params })).catch(() => undefined);
  }

  private changed(): void {
    this.onChange(this.pieces.length);
    try {
      if (this.begun.length || this.pieces.length)
        localStorage.setItem(PLACE, JSON.stringify({ begun: this.begun, pieces: this.pieces }));
      else localStorage.removeItem(PLACE);
    } catch {
      // The browser has no room: what is here still goes to the server.
    }
  }
}

export const waiting = new Waiting();

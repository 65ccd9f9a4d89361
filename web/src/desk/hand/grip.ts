/** What is held between pressing and letting go. */

import { holdPhrase, releasePhrase } from "../take/hearing";
import { letGo } from "../take/shaping";
import { HELD_MS, handOf, withAlt } from "./hand";

/** Told where the pointer goes, in pixels of its stave. */
export interface Grip {
  move: (x: number, y: number, event: PointerEvent) => void;
  done: (moved: boolean, event: PointerEvent) => void;
}

const SLOP = 4;

/** The press on a stave: its grip is moved once the pointer has gone far enough to mean it. */
export class Press {
  private held: { grip: Grip; x: number; y: number; moved: boolean } | null = null;
  /** Whether a finger was held still first, and until when that is waited for. */
  private stayed = false;
  private staying = 0;

  /** With `sounds`, the phrase that is shaped is heard while it is held. */
  constructor(private readonly sounds: boolean) {}

  /** What a press begins: asked once more where a finger or a pen is held still, as if Alt were. */
  begin(of: (event: PointerEvent) => Grip | null, x: number, y: number, event: PointerEvent): boolean {
    window.clearTimeout(this.staying);
    this.stayed = false;
    const grip = of(event);
    this.held = grip && { grip, x, y, moved: false };
    if (grip && handOf(event) !== "mouse")
      this.staying = window.setTimeout(() => {
        if (!this.held || this.held.moved) return;
        const freely = of(withAlt(event));
        if (!freely) return;
        this.stayed = true;
        this.held = { grip: freely, x, y, moved: false };
        navigator.vibrate?.(8);
      }, HELD_MS);
    return grip !== null;
  }

  /** Whether anything is held. */
  move(x: number, y: number, event: PointerEvent): boolean {
    const { held } = this;
    if (!held) return false;
    if (!held.moved && Math.hypot(x - held.x, y - held.y) < SLOP) return true;
    held.moved = true;
    held.grip.move(x, y, this.stayed ? withAlt(event) : event);
    if (this.sounds) holdPhrase();
    return true;
  }

  end(event: PointerEvent): void {
    const held = this.drop();
    held?.grip.done(held.moved, this.stayed ? withAlt(event) : event);
  }

  /** What it has shaped so far is let go of as well; whether there was anything held. */
  cancel(): boolean {
    if (!this.drop()) return false;
    letGo();
    return true;
  }

  drop() {
    const { held } = this;
    this.held = null;
    window.clearTimeout(this.staying);
    releasePhrase();
    return held;
  }

  /** Escape lets go of what is held, and of nothing else then. The result ends this. */
  watchEscape(): () => void {
    const escaped = (event: KeyboardEvent) => {
      if (event.key === "Escape" && this.cancel()) event.stopImmediatePropagation();
    };
    window.addEventListener("keydown", escaped, { capture: true });
    return () => window.removeEventListener("keydown", escaped, { capture: true });
  }
}

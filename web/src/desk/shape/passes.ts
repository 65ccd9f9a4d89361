/** Which pass counts where, of several that were played over the same bars. */
import type { Stroke, StrokeView } from "../../api/client";

export type Pass = Extract<Stroke, { kind: "record.pass" }>;
type Span = readonly [number, number];

/** What has to change so that a span is taken from one round, and all others say nothing there. */
export function takenFrom(
  rounds: readonly StrokeView[],
  mine: StrokeView,
  span: Span,
): { number: number; stroke: Stroke; on: boolean }[] {
  const changes = [];
  for (const { number, on, stroke } of rounds) {
    const pass = stroke as Pass;
    const whole = pass.where?.span as Span;
    const cut: Span = [Math.max(span[0], whole[0]), Math.min(span[1], whole[1])];
    const counts = on ? ((pass.only as readonly Span[] | null | undefined) ?? [whole]) : [];
    const made =
      number === mine.number ? joined([...counts, cut]) : counts.flatMap((one) => without(one, cut));
    if (String(made) === String(counts) && on === made.length > 0) continue;
    const all = made.length === 1 && made[0]![0] === whole[0] && made[0]![1] === whole[1];
    const only = made.length ? (all ? null : made.map(([a, b]): [number, number] => [a, b])) : pass.only;
    changes.push({ number, stroke: { ...pass, only } as Stroke, on: made.length > 0 });
  }
  return changes;
}

function without([start, end]: Span, [from, to]: Span): Span[] {
  const left: Span[] = [
    [start, Math.min(end, from)],
    [Math.max(start, to), end],
  ];
  return left.filter(([a, b]) => a < b);
}

function joined(spans: readonly Span[]): Span[] {
  const made: Span[] = [];
  for (const [start, end] of [...spans].sort((a, b) => a[0] - b[0])) {
    const last = made.at(-1);
    if (last && start <= last[1]) made[made.length - 1] = [last[0], Math.max(last[1], end)];
    else made.push([start, end]);
  }
  return made;
}

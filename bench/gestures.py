"""Strokes that are tried, kept and heard: each over as much as a real take holds, beside an empty request."""

from typing import Any, NamedTuple

from playwright.sync_api import Page

from bench.browser import ROUNDS, percentile
from expression.documents import Document

_ROUND_TRIPS = """async ({ takeId, stroke, field, values, rounds, act }) => {
    const token = document.cookie.match(/csrftoken=([^;]+)/)[1];
    const headers = { "Content-Type": "application/json", "X-CSRFToken": token };
    let told;
    const once = async (url, options) => {
        const start = performance.now();
        const answer = await fetch(url, options);
        told = await answer.json();
        if (!answer.ok) throw new Error(`${url}: ${JSON.stringify(told)}`);
        return performance.now() - start;
    };
    const ask = (way, body) =>
        once(`/api/takes/${takeId}/${way}`, { method: "POST", headers, body: JSON.stringify(body) });
    await once(`/api/takes/${takeId}/view`, {});
    let { revision } = told.history;
    const kept = async moved => {
        const taken = await ask("strokes", { revision, stroke: moved, part: 0, where: {} });
        await ask("undo", { revision: told.history.revision });
        revision = told.history.revision;
        return taken;
    };
    const acts = {
        preview: (moved, whole = false) =>
            ask("preview", { revision, stroke: moved, part: 0, sight: [0, 76800], whole }),
        rehearse: moved => ask("rehearse", { revision, stroke: moved, span: [0, 8] }),
        // What the page keeps it has tried before: as far as that is seen, and the whole of it once the hand rests.
        keep: async moved => {
            await acts.preview(moved);
            if (!told.whole) await acts.preview(moved, true);
            return await kept(moved);
        },
        "keep at once": async moved => {
            await acts.preview(moved);
            return await kept(moved);
        },
    };
    const found = [], empty = [];
    for (let round = -10; round < rounds; round++) {
        const moved = { ...stroke, [field]: values[(round + 10) % values.length] };
        const nothing = await once("/api/ping", {});
        const taken = await acts[act](moved);
        if (round >= 0) { empty.push(nothing); found.push(taken); }
    }
    return { found, empty };
}"""

HAIRPIN = {"kind": "velocity.hairpin", "start": 20, "end": 110, "lift": 0.3, "accents": 0.5}
EIGHTHS = [1, -0.25, 0, -0.25, 0.5, -0.25, 0, -0.25]
Gestures = list[tuple[Document, str, list[Any]]]
"""Strokes, with the number that is moved while they are tried and what it becomes."""

VELOCITY_GESTURES: Gestures = [
    ({"kind": "velocity.set"}, "value", [40, 90, "mean"]),
    *(({"kind": "velocity.nudge", "limit": limit}, "by", [40, -30, 70]) for limit in ("stop", "pin", "squeeze")),
    ({"kind": "velocity.scale", "limit": "squeeze"}, "factor", [0.5, 1.5, 3]),
    ({"kind": "velocity.knee", "threshold": 70}, "ratio", [2, 3, 4]),
    (HAIRPIN, "start", [10, 20, 30, 40]),
    ({**HAIRPIN, "peak": 120}, "peak_at", [0.3, 0.5, 0.7]),
    ({**HAIRPIN, "mode": "by", "start": 1}, "end", [0, 0.2, 0.4]),
    ({"kind": "velocity.draw", "accents": 0.5}, "points", [[[0, 40], [10**7, 99]], [[0, 9], [10**6, 30], [10**7, 80]]]),
    ({"kind": "velocity.vary", "limit": "squeeze"}, "amount", [4, 8, 12]),
    ({"kind": "velocity.accent", "pattern": EIGHTHS}, "amount", [10, 20, 30]),
    ({"kind": "velocity.trim", "scale": 0.8}, "offset", [3, 6, 9]),
]  # fmt: skip
"""Every gesture on velocity, and the number that the hand changes in it."""


FRAME = {"kind": "lane.reshape", "lane": "cc:1"}
WHOLE = {"parts": [0], "span": [0, 10**6]}
WAVE = {"kind": "lane.wave", "lane": "cc:1", "rate": 4, "where": WHOLE}
ON_NOTES = {"kind": "lane.shape", "lane": "cc:11", "start": 20, "end": 60, "notes": True, "where": {"parts": [0, 1]}}
LANE_GESTURES: Gestures = [
    (FRAME, "level", [5, 10, -7]),
    (FRAME, "depth", [0.5, 0.8, 1.2]),
    (FRAME, "lean", [[1, 0.5], [0.7, 1], [1, 0.2]]),
    (FRAME, "bow", [10, 20, 30]),
    (FRAME, "drift", [0.2, 0.4, -0.3]),
    (FRAME, "length", [0.8, 1.2, 0.5]),
    ({**FRAME, "limit": "squeeze", "join": "smooth"}, "level", [40, 50, 60]),
    ({"kind": "lane.smooth", "lane": "cc:1"}, "width", [40, 80, 120]),
    (WAVE, "depth", [4, 8, 12]),
    ({**WAVE, "mode": "add"}, "depth", [4, 8, 12]),
    ({"kind": "lane.fade", "lane": "cc:1", "start": 1, "where": WHOLE}, "end", [0.2, 0.4, 0.6]),
]  # fmt: skip
"""Every grip of the frame, and the number that the hand changes."""


LINE = {"parts": [0], "notes": [[0, 1999]]}
AMOUNTS = [0.5, 1, 1.5]
RULES: Gestures = [
    *(
        ({"kind": f"rule.{rule}", "where": LINE}, "amount", AMOUNTS)
        for rule in ("arch", "metre", "gaps", "lead", "swell", "slides")
    ),
    *(({"kind": "play.as", "as": hand, "where": LINE}, "amount", AMOUNTS) for hand in ("struck", "sung")),
]
"""Rules over 2,000 notes, and first shapes of them."""
BENDS: Gestures = [
    ({"kind": "bend.scoop", "where": LINE}, "start", [-1, -2, -3]),
    ({"kind": "bend.fall", "where": LINE}, "end", [-1, -2, -3]),
    ({"kind": "bend.dip", "where": LINE}, "depth", [-1, -2, -3]),
    ({"kind": "bend.glide", "where": LINE}, "lift", [0.2, 0.4, 0.6]),
    ({"kind": "bend.glide", "as": "one", "where": LINE}, "lift", [0.2, 0.4, 0.6]),
    ({"kind": "bend.shake", "where": LINE}, "depth", [20, 30, 40]),
]
"""Gestures of the wheel over 2,000 notes."""
WHEELS: Gestures = [
    ({"kind": "bend.range"}, "semitones", [12, 18, 24]),
    ({"kind": "bend.range", "keep": "travel"}, "semitones", [12, 18, 24]),
    ({"kind": "bend.home"}, "time", [0.1, 0.2, 0.3]),
    ({"kind": "bend.centre"}, "offset", [5, 6, 7]),
]
"""What is done to all of a lane of 40,000 nodes."""


OWN: Gestures = [
    ({"kind": "note.scatter", "lane": "note:pressure", "seed": 2}, "amount", [3, 4, 5]),
    ({"kind": "note.copy", "lane": "note:pressure", "source": 0}, "gain", [0.5, 0.8, 1]),
    ({"kind": "note.start", "lane": "note:pressure"}, "value", [1, 2, 3]),
    ({"kind": "lane.reshape", "lane": "note:pressure"}, "level", [3, 4, 5]),
]
GLIDES: Gestures = [({"kind": "note.glide", "late_ms": 40}, "time", [0.25, 0.5, 0.75])]
PEDALS: Gestures = [
    ({"kind": "pedal.to_lengths"}, "threshold", [62, 63, 64]),
    ({"kind": "pedal.from_lengths"}, "finger_ms", [80, 90, 100]),
    ({"kind": "pedal.legato"}, "lag_ms", [60, 80, 100]),
    ({"kind": "pedal.switch"}, "on", [64, 65, 66]),
    ({"kind": "pedal.press", "where": {"parts": [0], "span": [0, 400_000]}}, "depth", [100, 110, 127]),
]
NOTES: Gestures = [
    ({"kind": "notes.move"}, "ticks", list(range(60, 960, 30))),
    ({"kind": "notes.transpose"}, "keys", list(range(-15, 15))),
    ({"kind": "notes.length"}, "factor", [step / 20 for step in range(5, 35)]),
    ({"kind": "notes.length"}, "gap_ms", list(range(30))),
    ({"kind": "notes.place"}, "keep", [step / 16 for step in range(32)]),
    ({"kind": "notes.loosen"}, "amount_ms", list(range(1, 31))),
    (
        {"kind": "notes.split", "into": 2, "where": {"parts": [0]}},
        "where",
        [{"span": [0, 10**7 + n]} for n in range(30)],
    ),
    ({"kind": "notes.fill"}, "ring", [step / 50 for step in range(30)]),
    ({"kind": "notes.delete"}, "where", [{"span": [0, 10**7 + n]} for n in range(30)]),
    ({"kind": "notes.mute"}, "where", [{"span": [0, 10**7 + n]} for n in range(30)]),
]
"""Strokes on notes themselves, over 20,000 of them: other numbers each time, so that nothing is known from before."""


STRUM: Gestures = [({"kind": "notes.spread"}, "time_ms", list(range(1, 31)))]


class Set(NamedTuple):
    """Strokes over one take, and how many times an empty request each may take (95th percentiles)."""

    heading: str
    take: str
    gestures: Gestures
    budget: float
    act: str = "preview"


def _hairpins(count: int) -> Gestures:
    return [({**HAIRPIN, "where": {"notes": [[0, count - 1]]}}, "start", [20, 30, 40])]


SETS = [
    Set("a hairpin over 200 notes", "Long take", _hairpins(200), 1.4),
    Set("a hairpin over 2,000 notes", "Long take", _hairpins(2_000), 1.4),
    Set("a hairpin over 20,000 notes", "Long take", _hairpins(20_000), 1.4),
    Set("the same, kept, with all that is drawn after it", "Long take", _hairpins(20_000), 2.0, "keep"),
    Set("the same, heard: eight seconds", "Long take", _hairpins(20_000), 2.0, "rehearse"),
    Set("a swell on each of very many notes", "Long take", [(ON_NOTES, "peak", [90, 100, 110])], 1.6),
    Set("19,992 notes in 14 parts, all of them chosen", "Wide", VELOCITY_GESTURES, 1.6),
    Set("the same, kept", "Wide", VELOCITY_GESTURES[6:7], 2.0, "keep"),
    Set("a lane of 40,000 recorded nodes, all of it framed", "Wheel", LANE_GESTURES, 1.6),
    Set("the same, kept", "Wheel", LANE_GESTURES[:1], 2.0, "keep"),
    Set("the same, heard", "Wheel", LANE_GESTURES[:1], 2.0, "rehearse"),
    Set("the wheel over 2,000 notes", "Line", BENDS, 1.7),
    Set("rules of performance over 2,000 notes", "Line", RULES, 1.7),
    Set("a wheel of 40,000 recorded nodes", "Bent", WHEELS, 1.7),
    Set("curves of 2,000 notes, 60,000 nodes", "Pad", OWN, 1.8),
    Set("64 chords of four that glide", "Chords", GLIDES, 1.8),
    Set("the pedal of 10,000 notes", "Pedalled", PEDALS, 1.8),
    Set("20,000 notes of one part, all of them chosen", "Many", NOTES, 1.8),
    Set("20,000 notes of chords", "Chordal", STRUM, 1.8),
    Set("20,000 notes moved, kept", "Many", NOTES[:1], 2.0, "keep"),
    Set("the same, kept before the hand has rested", "Many", NOTES[:1], 2.0, "keep at once"),
]


def measure(page: Page, ids: dict[str, str]) -> None:
    """Each stroke over the take that strains it."""
    for one in SETS:
        print(f"--- {one.heading}")
        for stroke, field, values in one.gestures:
            options = {"takeId": ids[one.take], "stroke": stroke, "field": field, "values": values}
            found = page.evaluate(_ROUND_TRIPS, {**options, "rounds": ROUNDS, "act": one.act})
            middle, most = (percentile(found["found"], share) for share in (0.5, 0.95))
            floor, floor_most = (percentile(found["empty"], share) for share in (0.5, 0.95))
            ways = [str(stroke[name]) for name in ("limit", "mode", "as", "keep") if name in stroke]
            print(
                f"{one.act} of {' '.join([stroke['kind'], field, *ways])}: median {middle:.1f} ms, 95% {most:.1f} ms; "
                f"empty request {floor:.1f}, {floor_most:.1f} ms; ratio of the 95% {most / floor_most:.2f} "
                f"(budget {one.budget})"
            )

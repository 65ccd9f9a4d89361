"""Measurements in headless Chromium against the real server."""

from typing import Any

from playwright.sync_api import Page

from expression.documents import Document

ROUNDS = 150
SECONDS = 4

_ROUND_TRIPS = """async ({ takeId, stroke, field, values, rounds }) => {
    const token = document.cookie.match(/csrftoken=([^;]+)/)[1];
    const headers = { "Content-Type": "application/json", "X-CSRFToken": token };
    const once = async (url, options) => {
        const start = performance.now();
        const answer = await fetch(url, options);
        const told = await answer.json();
        if (!answer.ok) throw new Error(`${url}: ${JSON.stringify(told)}`);
        return performance.now() - start;
    };
    const previews = [], empty = [];
    for (let round = -10; round < rounds; round++) {
        const moved = { ...stroke, [field]: values[(round + 10) % values.length] };
        const body = JSON.stringify({ revision: 0, stroke: moved, part: 0, sight: [0, 61440] });
        const nothing = await once("/api/ping", {});
        const preview = await once(`/api/takes/${takeId}/preview`, { method: "POST", headers, body });
        if (round >= 0) { empty.push(nothing); previews.push(preview); }
    }
    return { previews, empty };
}"""

_IDLE = """async seconds => {
    const start = performance.now();
    let frames = 0;
    for (; performance.now() - start < seconds * 1000; frames++) await new Promise(requestAnimationFrame);
    return frames / seconds;
}"""

_FRAMES = """async ({ seconds, zoom }) => {
    const canvas = document.querySelector("canvas[aria-label^='Notes']");
    const { left, top, width, height } = canvas.getBoundingClientRect();
    const turn = frame => canvas.dispatchEvent(new WheelEvent("wheel", {
        bubbles: true, cancelable: true, clientX: left + width / 2, clientY: top + height / 2,
        deltaY: zoom ? 24 * (frame % 90 < 45 ? -1 : 1) : 40 * (frame % 240 < 120 ? 1 : -1), ctrlKey: zoom,
    }));
    const gaps = [];
    const start = performance.now();
    let before = start;
    for (let frame = 0; performance.now() - start < seconds * 1000; frame++) {
        turn(frame);
        await new Promise(requestAnimationFrame);
        const now = performance.now();
        gaps.push(now - before);
        before = now;
    }
    gaps.sort((a, b) => a - b);
    return { rate: gaps.length / seconds, slow: gaps[Math.floor(gaps.length * 0.95)] };
}"""

_OPENING = """async name => {
    const link = [...document.querySelectorAll("a")].find(a => a.textContent === name);
    const start = performance.now();
    link.click();
    while (!document.querySelector("nav[aria-label=Parts] button")) await new Promise(requestAnimationFrame);
    await new Promise(requestAnimationFrame);
    await new Promise(requestAnimationFrame);
    return performance.now() - start;
}"""


_ASKING = """async ({ asks, rounds }) => {
    const token = document.cookie.match(/csrftoken=([^;]+)/)[1];
    const once = async ({ url, body }) => {
        const start = performance.now();
        const headers = { "Content-Type": "application/json", "X-CSRFToken": token };
        const asked = body ? { method: "POST", headers, body: JSON.stringify(body) } : {};
        const answer = await fetch(url, asked);
        const told = await answer.json();
        if (!answer.ok) throw new Error(`${url}: ${JSON.stringify(told)}`);
        return performance.now() - start;
    };
    const found = asks.map(() => []), empty = [];
    for (let round = -5; round < rounds; round++) {
        const nothing = await once({ url: "/api/ping" });
        if (round >= 0) empty.push(nothing);
        for (let i = 0; i < asks.length; i++) {
            const taken = await once(asks[i]);
            if (round >= 0) found[i].push(taken);
        }
    }
    return { found, empty };
}"""


def percentile(values: list[float], share: float) -> float:
    return sorted(values)[min(int(len(values) * share), len(values) - 1)]


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


def previews(page: Page, take_id: str, counts: tuple[int, ...]) -> None:
    for count in counts:
        _preview(page, take_id, f"a hairpin over {count:>6,} notes", {**HAIRPIN, "where": {"notes": [[0, count - 1]]}},
                 "start", [20, 30, 40])  # fmt: skip


def gestures(page: Page, take_id: str) -> None:
    """Each gesture over every note of a take."""
    for stroke, field, values in VELOCITY_GESTURES:
        mode = stroke.get("limit") or stroke.get("mode") or ("there and back" if "peak" in stroke else "")
        _preview(page, take_id, f"{stroke['kind']} {mode}".strip(), stroke, field, values)


def grips(page: Page, take_id: str) -> None:
    """Each grip of the frame over a whole lane."""
    for stroke, field, values in LANE_GESTURES:
        _preview(page, take_id, f"{stroke['kind']} {field}", stroke, field, values)


def bends(page: Page, line: str, moved: str) -> None:
    """Gestures of the wheel and rules of performance over many notes; ranges, and what is done to all of a lane."""
    for take_id, cases in ((line, BENDS), (line, RULES), (moved, WHEELS)):
        for stroke, field, values in cases:
            mode = stroke.get("as") or stroke.get("keep") or ""
            _preview(page, take_id, f"{stroke['kind']} {mode}".strip(), stroke, field, values)


def own(page: Page, leaned: str, progression: str) -> None:
    """Curves of 2,000 notes with 60,000 nodes; 64 chords that glide into one another."""
    for take_id, cases in ((leaned, OWN), (progression, GLIDES)):
        for stroke, field, values in cases:
            _preview(page, take_id, str(stroke["kind"]), stroke, field, values)


PEDALS: Gestures = [
    ({"kind": "pedal.to_lengths"}, "threshold", [62, 63, 64]),
    ({"kind": "pedal.from_lengths"}, "finger_ms", [80, 90, 100]),
    ({"kind": "pedal.legato"}, "lag_ms", [60, 80, 100]),
    ({"kind": "pedal.switch"}, "on", [64, 65, 66]),
    ({"kind": "pedal.press", "where": {"parts": [0], "span": [0, 400_000]}}, "depth", [100, 110, 127]),
]


def pedals(page: Page, take_id: str) -> None:
    """What a foot does for 10,000 notes."""
    for stroke, field, values in PEDALS:
        _preview(page, take_id, str(stroke["kind"]), stroke, field, values)


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


def notes(page: Page, take_id: str, chords: str) -> None:
    """Each stroke on notes over every note of a take; a strum over every chord of another."""
    for take, cases in ((take_id, NOTES), (chords, STRUM)):
        for stroke, field, values in cases:
            _preview(page, take, f"{stroke['kind']} {field}", stroke, field, values)


_PAGE = """async () => {
    const wait = () => new Promise(requestAnimationFrame);
    const heads = () => document.querySelectorAll("[data-testid=sheet] g.note").length;
    const start = performance.now();
    const gaps = [];
    let before = start;
    document.querySelector("button[title*='staff notation']").click();
    while (!heads()) {
        await wait();
        const now = performance.now();
        gaps.push(now - before);
        before = now;
    }
    await wait();
    const taken = performance.now() - start;
    return { taken, heads: heads(), longest: Math.max(...gaps, performance.now() - before) };
}"""


def engraving(page: Page) -> None:
    """The page of what is in sight: asked for, until it is seen; and what the desk does meanwhile."""
    found = page.evaluate(_PAGE)
    print(
        f"the page of what is in sight, {found['heads']} heads: {found['taken']:.0f} ms after it was asked for "
        f"(budget 700); the longest frame meanwhile {found['longest']:.0f} ms"
    )
    idle = page.evaluate(_IDLE, 1)
    moving = page.evaluate(_FRAMES, {"seconds": SECONDS, "zoom": False})
    print(f"scrolling with the page open: {moving['rate']:.0f} frames a second (the idle page: {idle:.0f})")


def shapes(page: Page, take_id: str) -> None:
    """A swell on each of very many notes."""
    _preview(page, take_id, "lane.shape on each note", ON_NOTES, "peak", [90, 100, 110])


def _preview(page: Page, take_id: str, name: str, stroke: Document, field: str, values: list[Any]) -> None:
    options = {"takeId": take_id, "stroke": stroke, "field": field, "values": values, "rounds": ROUNDS}
    found = page.evaluate(_ROUND_TRIPS, options)
    middle, most = (percentile(found["previews"], share) for share in (0.5, 0.95))
    floor, floor_most = (percentile(found["empty"], share) for share in (0.5, 0.95))
    print(
        f"preview of {name}: median {middle:.1f} ms, 95% {most:.1f} ms; "
        f"empty request {floor:.1f}, {floor_most:.1f} ms; ratio of the 95% {most / floor_most:.2f} (budget 2.5)"
    )


def opening(page: Page, name: str) -> None:
    page.goto("/")
    page.get_by_role("link", name=name).wait_for()
    print(f"from the click to a drawn desk: {page.evaluate(_OPENING, name):.0f} ms (budget 2,000)")


def frames(page: Page) -> None:
    """Scrolling and zooming close by, and with the whole take in sight."""
    for where, keys in (("16 bars", ()), ("half the take", ("w", "+", "+")), ("the whole take", ("w",))):
        for key in keys:
            page.keyboard.press(key)
        for what, zoom in (("scrolling", False), ("zooming", True)):
            idle = page.evaluate(_IDLE, 1)
            found = page.evaluate(_FRAMES, {"seconds": SECONDS, "zoom": zoom})
            print(f"{what}, {where} in sight: {found['rate']:.0f} frames a second, 95% of frames within "
                  f"{found['slow']:.0f} ms (budget 45 a second; the idle page: {idle:.0f})")  # fmt: skip


def asking(page: Page, take_id: str) -> None:
    """Selecting all and reading its facts, and the first rows of the event list, beside an empty request."""
    asks = {
        "select all and read its facts": {"url": f"/api/takes/{take_id}/facts", "body": {"revision": 0, "where": {}}},
        "the event list's first rows": {"url": f"/api/takes/{take_id}/events?first=0&count=100"},
    }
    result = page.evaluate(_ASKING, {"asks": list(asks.values()), "rounds": ROUNDS})
    floor = percentile(result["empty"], 0.95)
    for name, taken in zip(asks, result["found"], strict=True):
        middle, most = percentile(taken, 0.5), percentile(taken, 0.95)
        print(
            f"{name}: median {middle:.1f} ms, 95% {most:.1f} ms; empty request {floor:.1f} ms; "
            f"ratio of the 95% {most / floor:.2f} (budget 2.5)"
        )

"""Playing in and out, measured in headless Chromium: what is lost, how often the page is drawn, when messages come."""

import uuid

from playwright.sync_api import Page

from bench.browser import percentile
from expression.played import unpacked
from expression.status import NOTE_OFF, SYSEX

A_SECOND = 2_000
ROUNDS = 60

_PIECES = """async ({ takeId, pass, events, rounds }) => {
    const token = document.cookie.match(/csrftoken=([^;]+)/)[1];
    const headers = { "Content-Type": "application/json", "X-CSRFToken": token };
    const once = async (url, body) => {
        const start = performance.now();
        const answer = await fetch(url, body ? { method: "POST", headers, body: JSON.stringify(body) } : {});
        await answer.text();
        if (!answer.ok) throw new Error(`${url}: ${answer.status}`);
        return performance.now() - start;
    };
    await once(`/api/takes/${takeId}/passes`, { id: pass, part: 0, start: 0 });
    const pieces = [], empty = [];
    for (let round = 0; round < rounds; round++) {
        empty.push(await once("/api/ping"));
        pieces.push(await once(`/api/takes/${takeId}/passes/${pass}/pieces`, { number: round, events }));
    }
    return { pieces, empty };
}"""

_FLOOD = """async ({ seconds, rate }) => {
    let said = 0, frames = 0;
    const start = performance.now();
    const draws = () => { frames++; if (performance.now() - start < seconds * 1000) requestAnimationFrame(draws); };
    requestAnimationFrame(draws);
    while (performance.now() - start < seconds * 1000) {
        const due = Math.floor(((performance.now() - start) / 1000) * rate);
        for (; said < due; said++) window.lull.say([0xb0, 1 + (said % 4), said % 128], start + (said / rate) * 1000);
        await new Promise(done => setTimeout(done, 4));
    }
    return { said, frames: frames / seconds };
}"""


def pieces(page: Page, take_id: str) -> None:
    """Writing a second of a pass that is played in, beside an empty request."""
    events = [[0, row / A_SECOND, f"b001{row % 128:02x}"] for row in range(A_SECOND)]
    asked = {"takeId": take_id, "pass": str(uuid.uuid4()), "events": events, "rounds": ROUNDS}
    found = page.evaluate(_PIECES, asked)
    most, floor = (percentile(found[name], 0.95) for name in ("pieces", "empty"))
    print(
        f"keeping a piece of {A_SECOND:,} messages: median {percentile(found['pieces'], 0.5):.1f} ms, 95% {most:.1f} "
        f"ms; empty request {floor:.1f} ms; ratio of the 95% {most / floor:.2f} (budget 2.5)"
    )


def flood(page: Page, take_id: str, seconds: float) -> None:
    """Recording as many messages a second as two cables carry: how many are kept, and how often the page is drawn."""
    page.goto(f"/takes/{take_id}")
    page.get_by_role("button", name="Play in").click()
    page.get_by_label("Count-in").select_option("0")
    page.get_by_role("button", name="Record", exact=True).click()
    page.get_by_text("Recording, ").wait_for()
    found = page.evaluate(_FLOOD, {"seconds": seconds, "rate": A_SECOND})
    page.get_by_role("button", name="Stop").click()
    page.get_by_role("list", name="History").get_by_text("Played in").wait_for(timeout=120_000)
    kept = _kept(page, take_id)
    print(
        f"recording {A_SECOND:,} messages a second for {seconds:.0f} s: {found['said'] - kept:,} of {found['said']:,} "
        f"lost, {found['frames']:.0f} frames a second (budget 45)"
    )


def _kept(page: Page, take_id: str) -> int:
    """Messages of the newest pass."""
    strokes = page.request.get(f"/api/takes/{take_id}/view").json()["history"]["strokes"]
    track = unpacked(strokes[-1]["stroke"]["events"])
    return int(((track.status >= NOTE_OFF) & (track.status < SYSEX)).sum())


def output(page: Page, take_id: str, seconds: float) -> None:
    """A cable's worth of messages to the simulated output: when they come against when they are meant."""
    page.goto(f"/takes/{take_id}")
    page.get_by_role("button", name="Play in").click()
    page.get_by_label("Output").select_option("Simulated instrument")
    page.get_by_role("button", name="Play", exact=True).click()
    page.wait_for_timeout(seconds * 1000)
    page.get_by_role("button", name="Stop").click()
    sent = page.evaluate("window.lull.sent()")
    late = sorted(max(one["came"] - one["at"], 0.0) for one in sent)
    data = sum(len(one["bytes"]) for one in sent) / seconds
    print(
        f"{data:,.0f} bytes a second to an output: 95% of {len(sent):,} messages within {percentile(late, 0.95):.2f} "
        f"ms of their time (budget 2)"
    )

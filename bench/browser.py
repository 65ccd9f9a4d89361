"""Measurements in headless Chromium against the real server."""

from playwright.sync_api import Page

ROUNDS = 150
SECONDS = 4

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


def opening(page: Page, name: str) -> None:
    page.goto("/")
    page.get_by_role("link", name=name).wait_for()
    print(f"from the click to a drawn desk: {page.evaluate(_OPENING, name):.0f} ms (budget 500)")


def frames(page: Page) -> None:
    """Scrolling and zooming close by, and with the whole take in sight."""
    for where, keys in (("16 bars", ()), ("half the take", ("w", "+", "+")), ("the whole take", ("w",))):
        for key in keys:
            page.keyboard.press(key)
        for what, zoom in (("scrolling", False), ("zooming", True)):
            idle = page.evaluate(_IDLE, 1)
            found = page.evaluate(_FRAMES, {"seconds": SECONDS, "zoom": zoom})
            print(f"{what}, {where} in sight: {found['rate']:.0f} frames a second, 95% of frames within "
                  f"{found['slow']:.0f} ms (budget 57 a second; the idle page: {idle:.0f})")  # fmt: skip


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

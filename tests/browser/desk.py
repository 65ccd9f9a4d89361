"""The desk as a player uses it: finds its places by what the line at the bottom says, and acts with mouse and keys."""

import re
import time
from collections.abc import Callable
from pathlib import Path
from typing import Any

from django.contrib.auth.models import User
from playwright.sync_api import FloatRect, Locator, Page, Request, Route, expect

from studio.services import takes

# Machines that are busy with other things are slow, not wrong.
PATIENCE = 60
QUIET_ROUNDS = 3
LONGEST_TIMER = 2.0
"""Seconds: what a page means to do later than that, nobody waits for (see `AWAITED` in conftest)."""


def until(page: Page, ready: Callable[[], object]) -> None:
    """Wait for what no locator can say."""
    deadline = time.monotonic() + PATIENCE
    while not ready():
        assert time.monotonic() < deadline, "waited in vain"
        page.wait_for_timeout(50)


def act_on(page: Page, lane: str) -> None:
    """Shape acts on a lane, by its key."""
    page.get_by_label("Lane that Shape acts on").click()
    page.get_by_role("combobox", name="Lane by number, name or another word for it").fill(lane)
    page.keyboard.press("Enter")


_borders: dict[tuple[object, ...], float] = {}
"""Where borders were found before: most takes of the tests are as long as each other."""


def border(key: tuple[object, ...], low: float, high: float, within: float, reached: Callable[[float], bool]) -> float:
    """The first place between two that is reached, found by halving; where it was the last time is tried first."""
    key = (*key, low, high)
    guess = _borders.get(key)
    if guess is not None and reached(guess):
        if not reached(guess - within):
            return guess
        high = guess
    while high - low > within:
        middle = (low + high) / 2
        if reached(middle):
            high = middle
        else:
            low = middle
    _borders[key] = high
    return high


class Desk:
    """One page with a take open."""

    def __init__(self, page: Page, player: User) -> None:
        self.page = page
        self.player = player
        self.take_id = ""
        self._asked: set[Request] = set()
        page.on("request", lambda request: self._asked.add(request))
        page.on("requestfinished", lambda request: self._asked.discard(request))
        page.on("requestfailed", lambda request: self._asked.discard(request))
        # What a page has sent as it went is not told of any more.
        page.on("framenavigated", lambda _: self._asked.clear())

    def open(self, data: bytes, name: str = "take.mid") -> "Desk":
        self.take_id = str(takes.add(self.player, name, data).pk)
        return self.reopen()

    def reopen(self) -> "Desk":
        self.page.goto(f"/takes/{self.take_id}")
        # (What is waited for is looked for at every frame; what is expected, after 100 ms and then more seldom.)
        self.page.get_by_role("heading", level=1).wait_for()
        self.page.get_by_role("navigation", name="Parts").get_by_role("button").first.wait_for()
        self.page.evaluate("document.fonts.ready.then(() => undefined)")
        return self

    # ---- places

    def canvas(self, label: str) -> Locator:
        return self.page.locator(f"canvas[aria-label^='{label}']")

    def box(self, label: str) -> FloatRect:
        box = self.canvas(label).bounding_box()
        assert box is not None
        return box

    def hint(self) -> str:
        return self.page.get_by_test_id("hint").inner_text()

    def expect_hint(self, words: str) -> None:
        expect(self.page.get_by_test_id("hint")).to_contain_text(words)

    def x_of(self, bar: int, beat: int = 1) -> float:
        """The first pixel of a beat, found by hovering along the ruler."""
        ruler = self.box("Ruler")
        y = ruler["y"] + ruler["height"] / 2

        def reached(x: float) -> bool:
            self.page.mouse.move(x, y)
            place = re.match(r"(\d+):(\d+)", self.hint())
            assert place, self.hint()
            return (int(place[1]), int(place[2])) >= (bar, beat)

        return border(("Ruler", bar, beat), ruler["x"] + 97, ruler["x"] + ruler["width"] - 1, 0.5, reached)

    def y_of(self, velocity: int) -> float:
        """The height of a velocity on the lane, found by hovering."""
        lane = self.box("Velocity")

        def reached(y: float) -> bool:
            self.page.mouse.move(lane["x"] + lane["width"] - 3, y)
            shown = re.match(r"\d+:\d+\s+(\d+) ", self.hint())
            assert shown, self.hint()
            return int(shown[1]) <= velocity

        return border(("Velocity", velocity), lane["y"] + 1, lane["y"] + lane["height"] - 1, 0.25, reached) + 0.3

    # ---- gestures

    def drag(self, start: tuple[float, float], *via: tuple[float, float], release: bool = True) -> None:
        self.page.mouse.move(*start)
        self.page.mouse.down()
        for place in via:
            self.page.mouse.move(*place, steps=6)
        if release:
            self.page.mouse.up()

    def span(self, first_bar: int, bar_after: int) -> None:
        y = self.box("Ruler")["y"] + 15
        self.drag((self.x_of(first_bar) + 2, y), (self.x_of(bar_after) + 2, y))

    def until(self, ready: Callable[[], object]) -> None:
        until(self.page, ready)

    def quiet(self) -> None:
        """Wait until all that the page has asked for is answered, also what it keeps a moment later."""
        rounds, since = 0, time.monotonic()
        deadline = since + PATIENCE
        while rounds < QUIET_ROUNDS:
            assert time.monotonic() < deadline, f"the page is never quiet: {[one.url for one in self._asked]}"
            awaited = self.page.evaluate("awaits()")
            rounds = 0 if self._asked or awaited else rounds + 1
            if self._asked:
                since = time.monotonic()
            # A page that plays means to do something all the time; what it meant to do before has been done by now.
            elif time.monotonic() - since > LONGEST_TIMER:
                return

    def late(self, what: str, milliseconds: int = 300) -> None:
        """Requests to an address arrive late, as they do from far away."""

        def hold(route: Route) -> None:
            self.page.wait_for_timeout(milliseconds)
            route.continue_()

        self.page.route(what, hold)

    def hairpin(self, start: tuple[float, int], end: tuple[float, int], release: bool = True) -> None:
        """Drag on the velocity lane from (x, velocity) to (x, velocity)."""
        places = [(x, self.y_of(velocity)) for x, velocity in (start, end)]
        middle = ((places[0][0] + places[1][0]) / 2, (places[0][1] + places[1][1]) / 2)
        self.drag(places[0], middle, places[1], release=release)

    def act_on(self, lane: str) -> None:
        act_on(self.page, lane)

    def press(self, *keys: str) -> None:
        for key in keys:
            self.page.keyboard.press(key)

    def type(self, words: str) -> None:
        """Type what all that are chosen are to become, and keep it."""
        self.entry("Velocities").fill(words)
        self.entry("Velocities").press("Enter")

    def bead(self, part: int, note: int) -> tuple[float, float]:
        """Where a note's bead lies on the velocity lane."""
        view = self.api("view")["parts"][part]
        ticks = sum(view["start"][: note + 1])
        place = self.x_at(ticks)
        return place, self.y_of(view["velocity"][note])

    def x_at(self, tick: int) -> float:
        """Where a tick of a take in four quarters lies: between two beats found on the ruler."""
        beat, rest = divmod(tick, 960)
        left = self.x_of(beat // 4 + 1, beat % 4 + 1)
        return left + (self.x_of((beat + 1) // 4 + 1, (beat + 1) % 4 + 1) - left) * rest / 960

    # ---- what is shown

    def entry(self, label: str) -> Locator:
        return self.page.get_by_role("region", name="Shape").get_by_label(label, exact=True)

    def number(self, label: str) -> float:
        return float(self.entry(label).input_value())

    def facts(self) -> str:
        return self.page.get_by_test_id("facts").inner_text()

    @property
    def strokes(self) -> Locator:
        return self.page.get_by_role("list", name="History").get_by_role("listitem")

    def expect_strokes(self, *labels: str) -> None:
        expect(self.strokes).to_have_count(len(labels))
        for index, label in enumerate(labels):
            expect(self.strokes.nth(index)).to_contain_text(label)

    def button(self, name: str) -> Locator:
        return self.page.get_by_role("button", name=name, exact=True)

    # ---- behind the page

    def api(self, path: str) -> Any:
        return self.page.request.get(f"/api/takes/{self.take_id}/{path}").json()

    def keep(self, stroke: dict[str, Any]) -> None:
        """Keep a stroke as another window would, and read the take again."""
        body = {"revision": self.api("view")["history"]["revision"], "stroke": stroke}
        answered = self.page.evaluate(
            """async ([id, body]) => (await fetch(`/api/takes/${id}/strokes`, {method: "POST",
                body: JSON.stringify(body), headers: {"Content-Type": "application/json",
                          "X-CSRFToken": document.cookie.match(/csrftoken=([^;]+)/)[1]}})).status""",
            [self.take_id, body],
        )
        assert answered == 200
        self.reopen()

    def velocities(self, part: int = 0) -> list[int]:
        return list(self.api("view")["parts"][part]["velocity"])

    def expect_velocities(self, *expected: int) -> None:
        """Wait until the server holds these, or nothing more is to come."""
        self.quiet()
        assert self.velocities() == list(expected)

    def download(self) -> bytes:
        with self.page.expect_download() as waiting:
            self.page.get_by_role("link", name="Download .mid").click()
        return Path(waiting.value.path()).read_bytes()

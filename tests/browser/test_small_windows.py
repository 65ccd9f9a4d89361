"""A small window, a finger and a pen: the desk folds, holding still does what Alt does, hints speak of the hand."""

import pytest
from playwright.sync_api import Page, expect

from demo.fog_signal import the_stair
from tests.browser.desk import Desk
from tests.browser.test_accessible import violations
from tests.files import file_of, phrase

EIGHT = file_of(phrase([30, 40, 50, 60, 70, 80, 90, 100]))
SIZES = [(390, 844), (820, 1180), (640, 400)]
"""A phone, a tablet on end, and a window of 1280 by 800 at 200%."""


class Finger:
    """What a finger does, as the browser hears it from a screen."""

    def __init__(self, page: Page) -> None:
        self.page, self.line = page, page.context.new_cdp_session(page)

    def _told(self, kind: str, *places: tuple[float, float]) -> None:
        points = [{"x": x, "y": y, "id": 1} for x, y in places]
        self.line.send("Input.dispatchTouchEvent", {"type": kind, "touchPoints": points})

    def down(self, place: tuple[float, float]) -> None:
        self._told("touchStart", place)

    def up(self) -> None:
        self._told("touchEnd")

    def swipe(self, start: tuple[float, float], end: tuple[float, float], still: int = 0) -> None:
        self.down(start)
        self.page.wait_for_timeout(still)
        for step in range(1, 5):
            at = (start[0] + (end[0] - start[0]) * step / 4, start[1] + (end[1] - start[1]) * step / 4)
            self._told("touchMove", at)
        self.up()


@pytest.mark.parametrize("size", SIZES)
def test_the_desk_folds_instead_of_scrolling_sideways(page: Page, desk: Desk, size: tuple[int, int]) -> None:
    page.set_viewport_size({"width": size[0], "height": size[1]})
    desk.open(the_stair())
    assert page.evaluate("document.documentElement.scrollWidth <= innerWidth")
    for label in ("Ruler", "Notes", "Velocity"):
        box = desk.box(label)
        assert box["x"] >= 0
        assert box["x"] + box["width"] <= size[0]
    # The staves have room for notes and velocities, whatever the window.
    assert desk.box("Notes")["height"] > 40
    assert desk.box("Velocity")["height"] > 60
    panel = page.get_by_role("button", name="Panel", exact=True)
    if panel.get_attribute("aria-pressed") == "false":
        panel.click()
    page.get_by_role("button", name="Fade in", exact=True).click()
    desk.press("Enter")
    desk.expect_strokes("Fade")
    sheet = page.locator("aside").bounding_box()
    assert sheet is not None
    assert sheet["width"] == size[0]
    assert sheet["y"] >= desk.box("Ruler")["y"] + desk.box("Ruler")["height"]
    assert violations(page) == []


@pytest.mark.parametrize("still", [0, 700])
def test_a_finger_held_still_chooses_off_the_grid(desk: Desk, still: int) -> None:
    desk.open(EIGHT)
    y = desk.box("Ruler")["y"] + 15
    start, end = desk.x_of(1, 2) + 13, desk.x_of(2) + 21
    Finger(desk.page).swipe((start, y), (end, y), still)
    desk.button("Fade in").click()
    desk.press("Enter")
    desk.expect_strokes("Fade")
    first, last = desk.api("view")["history"]["strokes"][0]["stroke"]["where"]["span"]
    assert (first % 480 == 0 and last % 480 == 0) is (still == 0)


def test_hints_speak_of_the_hand(desk: Desk) -> None:
    page = desk.open(EIGHT).page
    hint = page.get_by_test_id("hint")
    ruler = desk.box("Ruler")
    place = (ruler["x"] + 300, ruler["y"] + 15)
    page.mouse.move(*place)
    expect(hint).to_contain_text("click to play from here, drag to choose a span (Alt: off the grid)")
    finger = Finger(page)
    finger.down(place)
    expect(hint).to_contain_text("tap to play from here, drag to choose a span (hold still first: off the grid)")
    finger.up()
    page.keyboard.press("Space")
    notes = desk.box("Notes")
    finger.down((notes["x"] + notes["width"] - 8, notes["y"] + 8))
    expect(hint).to_contain_text("drag to choose notes")
    expect(hint).not_to_contain_text("Shift")
    finger.up()


def test_a_pen_says_by_its_pressure_how_hard(desk: Desk) -> None:
    page = desk.open(EIGHT).page
    desk.press("d")
    notes = desk.box("Notes")
    line = page.context.new_cdp_session(page)
    x, y = desk.x_of(3, 2), notes["y"] + 12
    for kind, at, force in (
        ("Pressed", x, 0.3),
        ("Moved", x + 8, 0.75),
        ("Moved", x + 20, 0.5),
        ("Released", x + 20, 0),
    ):
        told = {"type": f"mouse{kind}", "x": at, "y": y, "pointerType": "pen", "force": force}
        line.send("Input.dispatchMouseEvent", {**told, "button": "left", "buttons": 1, "clickCount": 1})
    desk.expect_strokes("put in")
    (note,) = desk.api("view")["history"]["strokes"][0]["stroke"]["notes"]
    assert note["velocity"] == round(0.75 * 127)

"""Fourteen journeys through the desk, one per task that a player has: in how many steps, and how long the page takes.

A step is a click, a press of a key, a drag, a number or words that are typed. The seconds are the page's alone.
"""

import os
import re
import subprocess
import sys
import time
from collections.abc import Callable

from playwright.sync_api import Locator, Page, expect, sync_playwright

from demo.fog_signal import the_stair
from launcher.install import chromium
from launcher.postgres import free_port
from launcher.serving import CHROMIUM_FLAGS, serving, working

FOG = "The fog signal: "


class Walk:
    """A hand on the page, whose steps are counted."""

    def __init__(self, page: Page) -> None:
        self.page = page
        self.steps = 0

    def click(self, place: Locator | str, **how: bool) -> None:
        """A click on a place, or on the button of a name."""
        self.steps += 1
        (self.button(place) if isinstance(place, str) else place).click(**how)  # type: ignore[arg-type]

    def button(self, name: str) -> Locator:
        return self.page.get_by_role("button", name=name, exact=True).first

    def press(self, *keys: str) -> None:
        for key in keys:
            self.steps += 1
            self.page.keyboard.press(key)

    def type(self, field: str, value: str) -> None:
        self.steps += 1
        self.page.get_by_label(field, exact=True).fill(value)
        self.page.get_by_label(field, exact=True).press("Enter")

    def choose(self, field: str, value: str) -> None:
        self.steps += 1
        self.page.get_by_label(field, exact=True).select_option(value)

    def drag(self, canvas: str, start: tuple[float, float], end: tuple[float, float]) -> None:
        """Over a canvas, from one share of it to another."""
        self.steps += 1
        box = self.page.locator(f"canvas[aria-label^='{canvas}']").bounding_box()
        assert box
        (x0, y0), (x1, y1) = (
            (box["x"] + 96 + x * (box["width"] - 96), box["y"] + y * box["height"]) for x, y in (start, end)
        )
        self.page.mouse.move(x0, y0)
        self.page.mouse.down()
        self.page.mouse.move(x1, y1, steps=8)
        self.page.mouse.up()

    def lane(self, words: str) -> None:
        """Shape acts on a lane, by any word for it."""
        self.click(self.page.get_by_label("Lane that Shape acts on"))
        self.steps += 2
        self.page.get_by_role("combobox", name="Lane by number, name or another word for it").fill(words)
        self.page.keyboard.press("Enter")

    def take(self, name: str) -> None:
        """Into a take from the library; the way there is no step of the journey."""
        self.page.goto("/")
        self.page.evaluate("sessionStorage.clear()")
        self.page.get_by_role("link", name=FOG + name).click()
        expect(self.page.get_by_role("navigation", name="Parts").get_by_role("button").first).to_be_visible()

    def strokes(self, more: int) -> None:
        """Until the history has so many."""
        expect(self.page.get_by_role("list", name="History").get_by_role("switch")).to_have_count(more)

    def count(self) -> int:
        return self.page.get_by_role("list", name="History").get_by_role("switch").count()


def file_to_file(walk: Walk) -> None:
    walk.page.goto("/")
    walk.steps += 1
    file = {"name": "Brought.mid", "mimeType": "audio/midi", "buffer": the_stair()}
    walk.page.locator("input[type=file]").first.set_input_files(file)  # type: ignore[arg-type]
    walk.click(walk.page.get_by_role("link", name="Brought"))
    with walk.page.expect_download():
        walk.click(walk.page.get_by_role("link", name="Download .mid"))


def hairpin(walk: Walk) -> None:
    walk.take("the keeper's log")
    there = walk.count()
    walk.drag("Ruler", (0.5, 0.5), (0.7, 0.5))
    walk.press("h")
    walk.type("End", "112")
    walk.click("Keep")
    walk.strokes(there + 1)


def hairpin_by_keys(walk: Walk) -> None:
    walk.take("the keeper's log")
    there = walk.count()
    walk.press("j")
    walk.steps += 1
    walk.page.keyboard.type("9-12")
    walk.press("Enter", "h")
    expect(walk.page.locator("[data-numbers] input").first).to_be_focused()
    for number in ("38", "112"):
        walk.steps += 1
        walk.page.keyboard.type(number)
        walk.press("Tab")
    walk.press("Enter")
    walk.strokes(there + 1)


def controller(walk: Walk) -> None:
    walk.take("the stair")
    there = walk.count()
    walk.click(walk.page.get_by_text("Add a lane …"))
    walk.type("Lane by number or name", "74")
    walk.press("d")
    walk.steps += 1
    box = walk.page.locator("[data-lane='cc:74'] canvas").bounding_box()
    assert box
    walk.page.mouse.move(box["x"] + 300, box["y"] + box["height"] * 0.8)
    walk.page.mouse.down()
    walk.page.mouse.move(box["x"] + 600, box["y"] + box["height"] * 0.2, steps=12)
    walk.page.mouse.up()
    walk.strokes(there + 1)


def bend(walk: Walk) -> None:
    walk.take("the lamp room")
    there = walk.count()
    walk.press("Control+a")
    walk.lane("pitch wheel")
    walk.click("Glide")
    walk.click("Keep")
    walk.strokes(there + 1)


def pedal(walk: Walk) -> None:
    walk.take("the lens room")
    walk.click("Reed box")
    there = walk.count()
    walk.lane("damper")
    walk.click("Follow harmony")
    walk.click("Keep")
    walk.strokes(there + 1)


def curves_of_notes(walk: Walk) -> None:
    walk.take("the reed loft")
    walk.press("Control+a")
    there = walk.count()
    walk.lane("note pressure")
    walk.click("There and back")
    walk.click("Keep")
    walk.strokes(there + 1)


def notes(walk: Walk) -> None:
    walk.take("the stair")
    there = walk.count()
    walk.press("Control+a")
    walk.click("Legato")
    walk.click("Keep")
    walk.strokes(there + 1)


def before_and_after(walk: Walk) -> None:
    walk.take("the watch room")
    walk.press("Control+a", "h")
    walk.click("Keep")
    walk.click("Before")
    walk.click("After")
    walk.click(walk.page.get_by_role("list", name="History").get_by_role("switch").last)


def play_in(walk: Walk) -> None:
    walk.take("the keeper's log")
    there = walk.count()
    walk.press("y")
    walk.choose("Plays", "line")
    walk.click(walk.page.get_by_label("Plays whenever I record"))
    walk.choose("Count-in", "0")
    walk.click("Record")
    expect(walk.page.get_by_text("Recording, ")).to_be_visible()
    walk.page.wait_for_timeout(2500)
    walk.click("Stop")
    walk.strokes(there + 1)


def take_home(walk: Walk) -> None:
    walk.take("the reed loft")
    walk.click(walk.page.get_by_label("Take it home in another form"))
    walk.choose("Form", "MPE: each note a channel")
    with walk.page.expect_download():
        walk.click(walk.page.get_by_role("link", name="Take the MIDI file"))


def first_shape(walk: Walk) -> None:
    walk.take("the watch room")
    walk.click("Reed box")
    there = walk.count()
    walk.click("First shape")
    walk.click("Keep")
    walk.strokes(there + 1)
    walk.click(walk.page.get_by_role("button", name=re.compile("^What As if .* is made of")).last)
    walk.click(walk.page.get_by_role("switch", name=re.compile("^Metre, of ")).last)
    walk.click(walk.page.locator("[data-phrase='1']"))
    walk.press("Alt+ArrowRight")


def hand(walk: Walk) -> None:
    walk.take("the watch room")
    walk.click("Reed box")
    there = walk.count()
    walk.click("Like a hand")
    expect(walk.page.get_by_label("Hand", exact=True)).to_be_visible()
    walk.click("Keep")
    walk.strokes(there + 1)


def check_up(walk: Walk) -> None:
    walk.take("the watch room")
    there = walk.count()
    walk.click("Check-up")
    found = walk.page.get_by_role("list", name="What was found").get_by_role("listitem")
    walk.click(found.filter(has_text="stiff").first.get_by_role("button").last)
    walk.click("Keep")
    walk.strokes(there + 1)


JOURNEYS: dict[str, Callable[[Walk], None]] = {
    "from a file to a file": file_to_file,
    "a hairpin by mouse": hairpin,
    "a hairpin by keys, with its numbers": hairpin_by_keys,
    "a controller drawn": controller,
    "a line that glides": bend,
    "a pedal": pedal,
    "curves of notes": curves_of_notes,
    "notes that are bound": notes,
    "before and after, and a stroke switched off": before_and_after,
    "a line played in": play_in,
    "taken home as MPE": take_home,
    "a first shape, a rule off, a phrase moved": first_shape,
    "a hand given to chords": hand,
    "a stiff spot mended": check_up,
}


def walked() -> None:
    """Print each with its steps and seconds, in a fresh library with the demo's takes."""
    environment = dict(os.environ)
    port = free_port()
    address = f"http://127.0.0.1:{port}"
    with serving(port, environment), working(environment), sync_playwright() as playwright:
        command = [sys.executable, "manage.py", "demo", "--address", address]
        link = subprocess.run(command, check=True, env=environment, capture_output=True, text=True).stdout.strip()
        chrome = playwright.chromium.launch(executable_path=str(chromium()), args=CHROMIUM_FLAGS)
        page = chrome.new_page(viewport={"width": 1280, "height": 800}, base_url=address)
        page.goto(link)
        page.wait_for_url("**/")
        for name, journey in JOURNEYS.items():
            walk, began = Walk(page), time.monotonic()
            try:
                journey(walk)
                print(f"{name:46}{walk.steps:4} steps{time.monotonic() - began:7.1f} s", flush=True)
            except Exception as stopped:
                print(f"{name:46} stopped after {walk.steps} steps: {str(stopped).splitlines()[0]}", flush=True)
        chrome.close()

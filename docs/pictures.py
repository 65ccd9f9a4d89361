"""The pictures in docs/screenshots, taken of the demo takes in a fresh library: `./lull pictures`."""

import io
import os
import subprocess
import sys
from collections.abc import Callable
from pathlib import Path
from typing import Literal

import numpy as np
import soundfile
from playwright.sync_api import Page, expect, sync_playwright

from bench.__main__ import fresh_database
from demo.fog_signal import TAKES
from launcher.install import chromium
from launcher.postgres import free_port
from launcher.serving import CHROMIUM_FLAGS, serving, working

OUT = Path(__file__).parent / "screenshots"
SIZE = {"width": 1280, "height": 800}


def library(page: Page) -> None:
    expect(page.get_by_role("list", name="Takes").locator(":scope > li")).to_have_count(len(TAKES))


def hairpin(page: Page) -> None:
    """Bars 9 to 12 of the keeper's log build, and the build starts late."""
    page.get_by_role("link", name="The fog signal: the keeper's log").click()
    expect(page.get_by_role("navigation", name="Parts").get_by_role("button").first).to_be_visible()
    _span(page, 9, 13)
    page.get_by_role("button", name="Hairpin", exact=True).click()
    _numbers(page, ("Start", "38"), ("End", "112"), ("Lift", "0.35"))
    expect(page.get_by_role("switch")).to_have_count(1)


def act_on(page: Page, lane: str) -> None:
    """Shape acts on a lane, by its key."""
    page.get_by_label("Lane that Shape acts on").click()
    page.get_by_role("combobox", name="Lane by number, name or another word for it").fill(lane)
    page.keyboard.press("Enter")


def _numbers(page: Page, *typed: tuple[str, str]) -> None:
    for label, value in typed:
        page.get_by_label(label, exact=True).fill(value)
        page.get_by_label(label, exact=True).press("Enter")


def _open(page: Page, take: str, *parts: str) -> None:
    page.goto("/")
    # What the picture before has left open is not to be taken up again.
    page.evaluate("sessionStorage.clear()")
    page.get_by_role("link", name=take).click()
    expect(page.get_by_role("navigation", name="Parts").get_by_role("button").first).to_be_visible()
    for index, part in enumerate(parts):
        modifiers: list[Literal["Shift"]] = ["Shift"] if index else []
        page.get_by_role("button", name=part, exact=True).click(modifiers=modifiers)


def drum_and_events(page: Page) -> None:
    """A drum part by its voices, one of them chosen; and the list of events."""
    _open(page, "The fog signal: the stair", "Frame drum")
    page.keyboard.press("e")
    page.get_by_label("Kind of event").select_option("note")
    page.wait_for_timeout(300)
    box = page.locator("canvas[aria-label^='Notes of']").bounding_box()
    assert box
    page.mouse.click(box["x"] + 40, box["y"] + box["height"] * 0.6)
    page.wait_for_timeout(300)


def frame(page: Page) -> None:
    """A recorded mod wheel in its frame, bowed."""
    _open(page, "The fog signal: the stair", "Bowed glass")
    page.locator("[data-lane='cc:1'] button").first.click()
    _span(page, 7, 13)
    grip = page.locator("[data-grip=bow]")
    grip.focus()
    for _ in range(3):
        page.keyboard.press("PageUp")
    expect(page.get_by_role("switch")).to_have_count(1)


def glide(page: Page) -> None:
    """A line that glides from note to note, and the range that this needs."""
    _open(page, "The fog signal: the lamp room", "Bowed glass")
    page.keyboard.press("Control+a")
    act_on(page, "bend")
    page.get_by_role("button", name="Glide", exact=True).click()
    page.get_by_test_id("beyond").get_by_role("button").click()
    expect(page.get_by_role("switch")).to_have_count(2)
    page.get_by_role("list", name="History").get_by_role("button", name="Glide").first.click()


def pedal_depth(page: Page) -> None:
    """A pedal that is pressed in part, the threshold from which it holds, and the tails of what it holds."""
    _open(page, "The fog signal: the lens room", "Reed box")
    act_on(page, "cc:64")
    for _ in range(2):
        page.keyboard.press("+")


def trace(page: Page) -> None:
    """A horn recorded beside the take, and its loudness about to become a lane."""
    _open(page, "The fog signal: the lamp room", "Bowed glass")
    _add_lane(page, "11")
    page.get_by_label("Load a WAV …").set_input_files(
        {"name": "Foghorn.wav", "mimeType": "audio/wav", "buffer": _horn()}
    )
    expect(page.get_by_text("Foghorn.wav")).to_be_visible(timeout=30_000)
    page.get_by_role("button", name="Loudness to this lane", exact=True).click()
    expect(page.get_by_role("button", name="Keep", exact=True)).to_be_visible()


def _horn() -> bytes:
    """Three blasts of a low tone, each dying away, in 30 seconds."""
    rate = 16_000
    time = np.arange(30 * rate) / rate
    blast = np.clip(time % 10, 0, 6) / 6
    loud = np.sin(np.pi * blast) ** 2 * (1 - time / 45)
    out = io.BytesIO()
    soundfile.write(out, loud * np.sin(2 * np.pi * 92 * time), rate, format="WAV", subtype="PCM_16")
    return out.getvalue()


def _add_lane(page: Page, words: str) -> None:
    page.get_by_text("Add a lane …").click()
    page.get_by_label("Lane by number or name").fill(words)
    page.get_by_label("Lane by number or name").press("Enter")


def chords(page: Page) -> None:
    """Chords about to bend into each other, with the threads of their voices."""
    _open(page, "The fog signal: the reed loft", "Reed box")
    page.keyboard.press("Control+a")
    act_on(page, "note:pitch")
    page.get_by_role("button", name="Chords glide", exact=True).click()
    _numbers(page, ("Apart (ms)", "140"), ("Beats", "1"))


def close_up(page: Page) -> None:
    """One note large, with all of its curves."""
    _open(page, "The fog signal: the reed loft", "Reed box")
    for key in ("ArrowRight", "ArrowRight", "c"):
        page.keyboard.press(key)
    expect(page.get_by_role("region", name="Lanes of the close-up")).to_be_visible()


def strum(page: Page) -> None:
    """Chords that have been strummed for the ear: written where they were, as the outlines and the page show."""
    _open(page, "The fog signal: the stair", "Reed box")
    _span(page, 1, 4)
    page.keyboard.press("v")
    page.get_by_role("button", name="Strum", exact=True).click()
    _numbers(page, ("Each (ms)", "70"))
    page.get_by_role("button", name="Done", exact=True).click()
    page.keyboard.press("Escape")
    _with_page(page)


def cues(page: Page) -> None:
    """Keys that tell an instrument how to play, in a strip of their own; one of them open, to be named."""
    _open(page, "The fog signal: the rope locker", "Reed box")
    _with_page(page)
    page.get_by_role("region", name="Cues").get_by_role("button").nth(1).click()


def _with_page(page: Page) -> None:
    page.get_by_role("button", name="Page", exact=True).click()
    expect(page.get_by_test_id("sheet").locator("g.note").first).to_be_attached()


def phrases(page: Page) -> None:
    """A line that was programmed, with a first shape: open in the panel, and unfolded in the history."""
    _open(page, "The fog signal: the watch room", "Bowed glass")
    page.get_by_role("button", name="First shape", exact=True).click()
    page.get_by_label("Way", exact=True).select_option("sung")
    page.get_by_role("button", name="Keep", exact=True).click()
    page.get_by_role("button", name="What As if sung is made of").click()
    page.locator("[data-phrase='1']").click()


def hand(page: Page) -> None:
    """The keeper's reeds, measured, give their force and time to chords that nobody played."""
    _open(page, "The fog signal: the watch room", "Reed box")
    page.get_by_role("button", name="Like a hand", exact=True).click()
    expect(page.get_by_label("Hand", exact=True)).to_be_visible()


def check_up(page: Page) -> None:
    """What is broken and what sounds programmed in a stiff take, and how its part is played beside others."""
    _open(page, "The fog signal: the watch room", "Reed box")
    page.get_by_role("button", name="Check-up", exact=True).click()
    expect(page.get_by_role("list", name="What was found").get_by_role("listitem").first).to_be_visible()
    expect(page.get_by_text("Louder an octave up")).to_be_visible()


def comparison(page: Page) -> None:
    """The line beside what it was before its first shape: in numbers, and note by note."""
    _open(page, "The fog signal: the watch room", "Bowed glass")
    _found(page, "compare with what")
    expect(page.get_by_role("list", name="Measures that differ").get_by_role("listitem").first).to_be_visible()


def way_out(page: Page) -> None:
    """Every form in which a take can be taken home, and what will not sound as drawn in this one."""
    _open(page, "The fog signal: the reed loft", "Reed box")
    page.get_by_label("Take it home in another form").click()
    page.get_by_label("Form", exact=True).select_option("plain: one channel a part")
    expect(page.get_by_text("The cable: at most")).to_be_visible()


def _found(page: Page, words: str) -> None:
    page.keyboard.press("/")
    page.get_by_label("What it does").fill(words)
    page.keyboard.press("Enter")


def recording(page: Page) -> None:
    """The inside player plays a line over the reed box, bar by bar, while it is recorded."""
    _rig(page, "line")
    page.get_by_role("button", name="Record", exact=True).click()
    expect(page.get_by_text("Recording, ")).to_be_visible()
    page.wait_for_timeout(6000)


def passes(page: Page) -> None:
    """Rounds of a loop, one of them open: which of them counts where."""
    page.get_by_role("button", name="Stop").click()
    expect(page.get_by_role("button", name="Record", exact=True)).to_be_enabled()
    _rig(page, "line")
    _span(page, 3, 5)
    page.get_by_role("button", name="Repeat span").click()
    page.get_by_role("button", name="in place", exact=True).click()
    page.get_by_role("button", name="Record", exact=True).click()
    page.wait_for_timeout(15_500)
    page.get_by_role("button", name="Stop").click()
    expect(page.get_by_role("button", name="Record", exact=True)).to_be_enabled()
    page.get_by_role("button", name="Play in").click()
    items = page.get_by_role("list", name="History").get_by_role("listitem")
    rounds = items.filter(has_text="bars 3–4")
    expect(rounds.nth(1)).to_be_visible()
    rounds.first.get_by_role("button").first.click()
    expect(page.get_by_role("button", name="This one sounds")).to_be_visible()
    page.get_by_role("button", name="This one sounds").scroll_into_view_if_needed()


def instruments(page: Page) -> None:
    """A worn rig is listened to: what it does by itself, and what puts it right."""
    _rig(page, "line")
    for worn in ("The wheel rests at +37", "Volume moves by itself", "The foot trembles"):
        page.get_by_label(worn).check()
    page.get_by_role("button", name="Listen first").click()
    expect(page.get_by_role("button", name="Ignore it").first).to_be_visible(timeout=10_000)
    page.get_by_role("button", name="Listen first").scroll_into_view_if_needed()


def _rig(page: Page, line: str) -> None:
    _open(page, "The fog signal: the keeper's log", "Thumb piano")
    if page.get_by_role("region", name="Play in").count() == 0:
        page.get_by_role("button", name="Play in").click()
    page.get_by_label("Count-in").select_option("0")
    page.get_by_label("Plays", exact=True).select_option(line)
    page.get_by_label("Plays whenever I record").check()


VIEWS: dict[str, Callable[[Page], None]] = {
    "library": library,
    "hairpin": hairpin,
    "frame-drum-and-events": drum_and_events,
    "frame": frame,
    "strum": strum,
    "cues": cues,
    "glide": glide,
    "pedal-depth": pedal_depth,
    "trace": trace,
    "chords-glide": chords,
    "close-up": close_up,
    "phrases": phrases,
    "hand": hand,
    "check-up": check_up,
    "comparison": comparison,
    "way-out": way_out,
    "recording": recording,
    "passes": passes,
    "instruments": instruments,
}


def _span(page: Page, first: int, after: int) -> None:
    """Drag along the ruler between the starts of two bars of the opening view, which shows sixteen."""
    box = page.locator("canvas[aria-label^='Ruler']").bounding_box()
    assert box
    gutter, air = 96, 0.02
    bar = (box["width"] - gutter) / (16 * (1 + 2 * air))
    y = box["y"] + 15
    page.mouse.move(box["x"] + gutter + (first - 1) * bar + 2, y)
    page.mouse.down()
    page.mouse.move(box["x"] + gutter + (after - 1) * bar + 2, y, steps=5)
    page.mouse.up()


def main() -> None:
    """Take all of them, one after another in one visit."""
    os.environ["DATABASE_URL"] = fresh_database()
    environment = dict(os.environ)
    subprocess.run([sys.executable, "manage.py", "migrate", "--verbosity", "0"], check=True, env=environment)
    OUT.mkdir(exist_ok=True)
    port = free_port()
    address = f"http://127.0.0.1:{port}"
    with serving(port, environment), working(environment), sync_playwright() as playwright:
        command = [sys.executable, "manage.py", "demo", "--address", address]
        link = subprocess.run(command, check=True, env=environment, capture_output=True, text=True).stdout.strip()
        browser = playwright.chromium.launch(executable_path=str(chromium()), args=CHROMIUM_FLAGS)
        page = browser.new_page(viewport=SIZE, base_url=address)
        page.goto(link)
        page.wait_for_url("**/")
        for name, show in VIEWS.items():
            show(page)
            page.wait_for_timeout(400)
            page.screenshot(path=OUT / f"{name}.png")
        browser.close()


if __name__ == "__main__":
    main()

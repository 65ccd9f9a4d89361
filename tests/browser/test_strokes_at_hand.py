"""What can be done with a stroke that is kept: another name, other bars; and a file with fewer messages."""

import io
import re
from pathlib import Path

import mido
from playwright.sync_api import expect

from tests.browser.desk import Desk
from tests.files import file_of, phrase

SIXTEEN = file_of(phrase([64] * 16, gap=480))


def menu(desk: Desk, item: str | re.Pattern[str], stroke: int = 1) -> None:
    desk.page.get_by_label(f"More for stroke {stroke}").click()
    desk.page.get_by_role("menuitem", name=item).click()


def test_a_stroke_gets_a_name_and_other_bars(desk: Desk) -> None:
    desk.open(SIXTEEN)
    desk.keep({"kind": "velocity.set", "where": {"parts": [0], "span": [0, 3840]}, "value": 100})
    menu(desk, "Give it a name")
    entry = desk.page.get_by_label("Name of the stroke")
    entry.fill("The lamp turns")
    entry.press("Enter")
    desk.expect_strokes("The lamp turns")
    desk.span(3, 4)
    menu(desk, "Move it to bar 3:1")
    desk.quiet()
    assert desk.velocities() == [64] * 8 + [100] * 4 + [64] * 4
    desk.expect_strokes("The lamp turns")
    # Undo takes back where it is, then what it is called.
    desk.button("Undo").click()
    desk.quiet()
    assert desk.velocities() == [100] * 4 + [64] * 12
    desk.button("Undo").click()
    desk.quiet()
    expect(desk.strokes.first).not_to_contain_text("The lamp turns")


def test_a_stroke_that_lies_on_notes_says_why_it_stays(desk: Desk) -> None:
    desk.open(SIXTEEN)
    desk.keep({"kind": "lane.ramp", "lane": "note:pitch", "where": {"parts": [0], "notes": [[0, 3]]}, "end": 2})
    desk.span(3, 4)
    menu(desk, re.compile("Move it to bar 3"))
    expect(desk.page.get_by_text("choose others and do it once more there")).to_be_visible()


def test_a_file_with_fewer_messages(desk: Desk) -> None:
    desk.open(SIXTEEN)
    desk.keep(
        {"kind": "lane.ramp", "lane": "cc:11", "where": {"parts": [0], "span": [0, 15000]}, "start": 0, "end": 127}
    )

    def count(data: bytes) -> int:
        return sum(message.type == "control_change" for message in mido.MidiFile(file=io.BytesIO(data)))

    whole = count(desk.download())
    desk.page.get_by_label("Take it home in another form").click()
    desk.page.get_by_label("Ways may be off by").select_option("4 steps")
    with desk.page.expect_download() as waiting:
        desk.page.get_by_role("link", name="Take the MIDI file").click()
    thinned = count(Path(waiting.value.path()).read_bytes())
    assert 10 < thinned < whole / 4


def test_the_numbers_of_last_time_are_offered_again(desk: Desk) -> None:
    desk.open(SIXTEEN)
    desk.span(1, 2)
    desk.button("Hairpin").click()
    expect(desk.button("As last time")).to_have_count(0)
    for label, value in (("Start", "31"), ("End", "97"), ("Lift", "0.4")):
        desk.entry(label).fill(value)
        desk.entry(label).press("Enter")
    desk.quiet()
    desk.span(3, 4)
    desk.button("Hairpin").click()
    expect(desk.entry("End")).not_to_have_value("97")
    desk.button("As last time").click()
    expect(desk.entry("Start")).to_have_value("31")
    expect(desk.entry("End")).to_have_value("97")
    expect(desk.entry("Lift")).to_have_value("0.4")
    # The place is the one that was chosen now.
    expect(desk.button("As last time")).to_have_count(0)
    desk.button("Keep").click()
    desk.quiet()
    assert desk.velocities()[8] == 31
    assert desk.velocities()[4:8] == [64] * 4

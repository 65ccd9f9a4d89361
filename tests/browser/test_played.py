"""A stiff line becomes a played one: a first shape, and its rules one by one."""

import io
import re

import mido
from playwright.sync_api import expect

from demo.fog_signal import the_watch_room
from tests.browser.desk import Desk
from tests.files import file_of, phrase

STIFF = [80] * 24


class TestFirstShape:
    def test_a_stiff_line_is_played_and_one_rule_is_switched_off(self, desk: Desk) -> None:
        desk.open(file_of(phrase(STIFF)))
        recorded = desk.download()
        desk.button("First shape").click()
        desk.button("Keep").click()
        desk.expect_strokes("As if struck")
        desk.quiet()
        played = desk.velocities()
        assert len(set(played)) > 4
        desk.strokes.first.get_by_role("button", name=re.compile("^As if struck")).click()
        desk.entry("Metre").fill("0")
        desk.entry("Metre").press("Enter")
        desk.quiet()
        assert desk.velocities() != played
        desk.page.get_by_label("Way").select_option("bowed")
        desk.quiet()
        desk.button("Done").click()
        desk.expect_strokes("As if bowed")
        desk.button("Undo").click()
        desk.button("Undo").click()
        desk.button("Undo").click()
        desk.quiet()
        assert desk.download() == recorded

    def test_one_rule_alone_is_begun_from_its_key(self, desk: Desk) -> None:
        desk.open(file_of(phrase(STIFF)))
        desk.page.get_by_role("button", name="One rule …").click()
        desk.page.get_by_role("menuitem", name="Phrase arch").click()
        expect(desk.page.get_by_role("region", name="Shape").get_by_role("heading", name="Phrase arch")).to_be_visible()
        desk.button("Keep").click()
        desk.expect_strokes("Phrase arch 1")
        desk.quiet()
        velocities = desk.velocities()
        assert velocities[0] < 80 < max(velocities)

    def test_search_finds_it_by_what_it_does(self, desk: Desk) -> None:
        desk.open(file_of(phrase(STIFF))).press("/")
        desk.page.get_by_label("What it does").fill("humanize")
        found = desk.page.get_by_role("list", name="Actions found")
        expect(found.get_by_role("button").filter(has_text="First shape")).to_be_visible()
        desk.page.get_by_label("What it does").fill("swing")
        expect(found.get_by_role("button").filter(has_text="Swing")).to_be_visible()

    def test_a_first_shape_opens_into_its_rules_and_one_is_switched_off(self, desk: Desk) -> None:
        desk.open(file_of(phrase(STIFF)))
        desk.button("First shape").click()
        desk.button("Keep").click()
        desk.quiet()
        played = desk.velocities()
        desk.button("What As if struck is made of").click()
        rules = desk.page.get_by_role("list", name="What As if struck is made of")
        expect(rules.get_by_role("listitem")).to_have_count(9)
        metre = rules.get_by_role("switch", name="Metre, of As if struck")
        expect(metre).to_be_checked()
        metre.click()
        expect(metre).not_to_be_checked()
        desk.quiet()
        assert desk.velocities() != played
        metre.click()
        desk.quiet()
        assert desk.velocities() == played

    def test_what_the_rules_did_to_a_note_is_told_under_the_pointer(self, desk: Desk) -> None:
        desk.open(file_of(phrase(STIFF)))
        desk.button("First shape").click()
        desk.button("Keep").click()
        desk.quiet()
        x, y = desk.bead(0, 0)
        desk.page.mouse.move(x, y)
        expect(desk.page.get_by_text("· Phrase arch")).to_be_visible()
        told = desk.hint()
        assert "Metre +" in told
        assert "Phrase arch −" in told


def test_a_programmed_take_becomes_a_played_one(desk: Desk) -> None:
    """First shape, one rule off, one phrase elsewhere: and the file says so."""
    desk.open(the_watch_room(), "watch.mid")
    desk.button("First shape").click()
    desk.page.get_by_label("Way", exact=True).select_option("sung")
    desk.button("Keep").click()
    desk.expect_strokes("As if sung")
    desk.button("What As if sung is made of").click()
    rules = desk.page.get_by_role("list", name="What As if sung is made of")
    rules.get_by_role("switch", name="Metre, of As if sung").click()
    desk.quiet()
    before = desk.velocities()
    phrases = desk.page.get_by_role("group", name="Phrases").get_by_role("button")
    expect(phrases).to_have_count(6)
    phrases.nth(1).focus()
    desk.page.keyboard.press("Alt+ArrowRight")
    expect(phrases.nth(1)).to_have_accessible_name(re.compile(r"from 5:2"))
    desk.quiet()
    # What was made before the phrase was moved stays, until it is shaped anew.
    assert desk.velocities() == before
    desk.button("Shape it anew").click()
    desk.expect_strokes("Phrase begins", "As if sung")
    desk.quiet()
    assert desk.velocities() != before
    file = mido.MidiFile(file=io.BytesIO(desk.download()))
    glass = next(track for track in file.tracks if track.name == "Bowed glass")
    assert len({one.velocity for one in glass if one.type == "note_on"}) > 10
    assert {"pitchwheel", "control_change"} <= {one.type for one in glass}

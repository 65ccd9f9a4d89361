"""Phrases on the page: chosen, moved, joined and split by hand, and acted over one by one."""

import pytest
from playwright.sync_api import Locator, expect

from tests.browser.desk import Desk
from tests.files import file_of

QUARTER = 480


def breathing() -> bytes:
    """Four lines of four quarters, with a quarter's rest after each."""
    import mido

    track, wait = [], 0
    for step in range(16):
        track.append(mido.Message("note_on", note=60 + step % 4, velocity=80, time=wait))
        track.append(mido.Message("note_off", note=60 + step % 4, velocity=0, time=QUARTER * 9 // 10))
        wait = QUARTER // 10 + (QUARTER if step % 4 == 3 else 0)
    return file_of(track, ticks=QUARTER)


class Phrases:
    """The brackets under the marks."""

    def __init__(self, desk: Desk) -> None:
        self.desk = desk.open(breathing())
        self.all = desk.page.get_by_role("group", name="Phrases").get_by_role("button")

    def one(self, number: int) -> Locator:
        return self.all.nth(number - 1)

    def expect(self, *places: str) -> None:
        """They begin at these places."""
        expect(self.all).to_have_count(len(places))
        for number, place in enumerate(places, 1):
            expect(self.one(number)).to_have_accessible_name(f"Phrase {number}, from {place}")

    def expect_chosen(self, count: int) -> None:
        """So many notes are chosen."""
        expect(self.desk.page.get_by_test_id("facts")).to_have_text(f"{count} notes")


@pytest.fixture
def phrases(desk: Desk) -> Phrases:
    return Phrases(desk)


def test_a_click_chooses_the_notes_of_a_phrase_and_shift_those_of_another_too(phrases: Phrases) -> None:
    phrases.expect("1:1", "2:2", "3:3", "4:4")
    phrases.one(2).click()
    phrases.expect_chosen(4)
    phrases.one(4).click(modifiers=["Shift"])
    phrases.expect_chosen(8)


def test_what_the_next_key_begins_is_for_the_phrase_that_was_chosen(phrases: Phrases) -> None:
    """Keys that come faster than the page has time for, as while it is busy."""
    phrases.expect("1:1", "2:2", "3:3", "4:4")
    phrases.desk.quiet()
    phrases.desk.page.evaluate(
        """() => {
            for (const key of ["z", "z", "h"])
                document.body.dispatchEvent(new KeyboardEvent("keydown", { key, bubbles: true, cancelable: true }));
        }"""
    )
    phrases.desk.button("Keep").click()
    phrases.desk.quiet()
    changed = [at for at, one in enumerate(phrases.desk.velocities()) if one != 80]
    assert changed
    assert set(changed) <= {4, 5, 6, 7}


def test_a_key_chooses_one_phrase_after_another(phrases: Phrases) -> None:
    phrases.desk.press("z")
    phrases.expect_chosen(4)
    phrases.desk.press("z")
    phrases.desk.press("h")
    phrases.desk.quiet()
    phrases.desk.button("Keep").click()
    phrases.desk.quiet()
    changed = [at for at, one in enumerate(phrases.desk.velocities()) if one != 80]
    assert changed
    assert set(changed) <= {4, 5, 6, 7}


def test_a_phrase_is_moved_joined_and_split_by_keys_and_keeps_the_focus(phrases: Phrases) -> None:
    phrases.one(1).focus()
    phrases.desk.page.keyboard.press("ArrowRight")
    expect(phrases.one(2)).to_be_focused()
    phrases.desk.page.keyboard.press("Alt+ArrowRight")
    phrases.expect("1:1", "2:3", "3:3", "4:4")
    expect(phrases.one(2)).to_be_focused()
    phrases.desk.page.keyboard.press("Delete")
    phrases.expect("1:1", "3:3", "4:4")
    expect(phrases.one(1)).to_be_focused()
    phrases.desk.expect_strokes("Phrase begins", "Phrase goes on")
    phrases.desk.button("Undo").click()
    phrases.expect("1:1", "2:3", "3:3", "4:4")


def test_the_beginning_of_a_phrase_is_dragged_to_another_note(phrases: Phrases) -> None:
    box, first = phrases.one(2).bounding_box(), phrases.one(1).bounding_box()
    assert box
    assert first
    quarter = (box["x"] - first["x"]) / 5
    mouse = phrases.desk.page.mouse
    mouse.move(box["x"] + 2, box["y"] + 12)
    mouse.down()
    mouse.move(box["x"] + 1.5 * quarter, box["y"] + 12, steps=4)
    mouse.move(box["x"] + 2.1 * quarter, box["y"] + 12, steps=4)
    mouse.up()
    phrases.expect("1:1", "2:4", "3:3", "4:4")


def test_a_double_click_begins_one(phrases: Phrases) -> None:
    box = phrases.one(1).bounding_box()
    assert box
    phrases.one(1).dblclick(position={"x": box["width"] / 2, "y": 12})
    phrases.expect("1:1", "1:3", "2:2", "3:3", "4:4")


def test_from_the_panel_what_is_chosen_is_one_phrase(phrases: Phrases) -> None:
    phrases.one(2).click()
    phrases.one(3).click(modifiers=["Shift"])
    phrases.desk.page.get_by_role("button", name="One rule …").click()
    phrases.desk.page.get_by_role("menuitem", name="One phrase").click()
    phrases.desk.button("Keep").click()
    phrases.expect("1:1", "2:2", "4:4")


def test_a_hairpin_is_drawn_over_each_phrase(phrases: Phrases) -> None:
    phrases.desk.press("Control+a")
    phrases.desk.press("h")
    phrases.desk.page.get_by_role("radio", name="each phrase").click()
    phrases.desk.button("Keep").click()
    phrases.desk.quiet()
    velocities = phrases.desk.velocities()
    assert velocities[:4] == velocities[4:8] == velocities[8:12] == velocities[12:]
    assert velocities[0] < velocities[3]

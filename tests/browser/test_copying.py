"""Notes copied and pasted, with what lies under them."""

import numpy as np
from playwright.sync_api import expect

from expression.midi.read import read
from tests.browser.desk import Desk
from tests.browser.test_lanes import BEAT, LaneBox, with_wheel
from tests.files import NOTE, file_of, phrase

WHEELED = with_wheel(range(10, 42), gap=240)
LONG = file_of(phrase([64] * 32))


def onsets(desk: Desk, part: int = 0) -> list[tuple[float, int]]:
    """(beat, velocity) of every note in the file that is taken home."""
    notes = read(desk.download()).parts[part].notes
    return [(start / BEAT, int(velocity)) for start, velocity in zip(notes.start, notes.velocity, strict=True)]


def test_a_bar_is_copied_and_pasted_twice(desk: Desk) -> None:
    desk.open(LONG)
    notes = desk.box("Notes of")
    desk.drag((desk.x_of(3) - 4, notes["y"] + 2), (desk.x_of(4) - 4, notes["y"] + notes["height"] - 2))
    expect(desk.page.get_by_test_id("facts")).to_have_text("4 notes")
    desk.press("Control+c")
    expect(desk.page.get_by_role("status").last).to_contain_text("4 notes copied")
    # At the start of another span; then, with none, behind what was just put down.
    desk.span(7, 8)
    desk.press("Control+v")
    desk.expect_strokes("4 notes copied")
    expect(desk.page.get_by_test_id("facts")).to_have_text("4 notes")
    desk.press("Escape", "Escape", "Control+v")
    desk.expect_strokes("4 notes copied", "4 notes copied")
    expect(desk.page.get_by_test_id("facts")).to_have_text("4 notes")
    assert [beat for beat, _ in onsets(desk)] == [*range(24), *np.repeat(range(24, 32), 2)]
    desk.press("Control+z", "Control+z")
    expect(desk.button("Undo")).to_be_disabled()
    assert len(onsets(desk)) == 32


def test_hasty_pastes_follow_each_other_and_none_is_lost(desk: Desk) -> None:
    desk.open(LONG)
    desk.late("**/strokes")
    desk.span(3, 4)
    desk.press("Control+c")
    expect(desk.page.get_by_role("status").last).to_contain_text("4 notes copied")
    desk.span(7, 8)
    desk.press("Control+v", "Escape", "Escape", "Control+v", "Control+v", "Escape")
    desk.expect_strokes("Notes copied", "Notes copied", "Notes copied")
    assert [beat for beat, _ in onsets(desk)] == [*range(24), *np.repeat(range(24, 32), 2), *range(32, 36)]


def test_copies_are_notes_like_all_others(desk: Desk) -> None:
    desk.open(WHEELED)
    desk.press("Control+a")
    desk.button("Copy notes").click()
    expect(desk.entry("Bar")).to_have_value("5")
    desk.entry("Repeated").fill("2")
    desk.button("Keep").click()
    desk.expect_strokes("16 notes copied, 2 times")
    expect(desk.page.get_by_test_id("facts")).to_have_text("32 notes")
    desk.type("90")
    desk.expect_strokes("16 notes copied, 2 times", "Set to 90")
    assert [velocity for _, velocity in onsets(desk)] == [64] * 16 + [90] * 32
    # The wheel came along, and stays when it is told to.
    ticks = [tick for tick, _ in lane(desk)]
    assert max(ticks) > 16 * BEAT
    desk.strokes.get_by_role("button", name="16 notes copied").first.click()
    desk.page.get_by_label("What lies under them comes along").uncheck()
    desk.button("Done").click()
    # What was changed last is kept before the stroke is let go of.
    expect(desk.button("Done")).to_be_hidden()
    assert len(onsets(desk)) == 48
    assert max(tick for tick, _ in lane(desk)) <= 16 * BEAT
    # Without its notes the later stroke lies idle; nothing is lost.
    desk.page.get_by_role("switch").first.click()
    expect(desk.page.get_by_text("reaches no notes").first).to_be_visible()
    assert [velocity for _, velocity in onsets(desk)] == [64] * 16


def lane(desk: Desk) -> list[tuple[int, int]]:
    (found,) = (lane for lane in desk.api("lanes?part=0")["lanes"] if lane["key"] == "cc:1")
    at = 0
    return [(at := at + step, value) for step, value in zip(found["tick"], found["value"], strict=True)]


def test_to_another_part_and_onto_keys_that_are_down(desk: Desk) -> None:
    held = [NOTE("note_on", note=note, velocity=50, channel=1) for note in range(60, 72)]
    held += [NOTE("note_off", note=note, channel=1, time=0 if note > 60 else 8 * 480) for note in range(60, 72)]
    desk.open(file_of(phrase([64] * 8), held)).press("Control+a")
    desk.button("Copy notes").click()
    desk.page.get_by_label("Part", exact=True).select_option("1")
    desk.entry("Bar").fill("1")
    expect(desk.page.get_by_role("alert")).to_contain_text("the keys are down already")
    desk.entry("Bar").fill("3")
    expect(desk.page.get_by_role("alert")).to_be_hidden()
    desk.button("Keep").click()
    desk.expect_strokes("8 notes copied")
    assert [beat for beat, _ in onsets(desk, 1)][12:] == list(range(8, 16))


def test_a_span_of_a_lane_is_pasted_on_another(desk: Desk) -> None:
    desk.open(WHEELED)
    LaneBox(desk, "cc:1")
    desk.press("Control+c")
    expect(desk.page.get_by_role("status").last).to_contain_text("Choose notes to copy, or a span on a lane")
    desk.span(1, 2)
    LaneBox(desk, "cc:1")
    desk.page.locator("[data-lane='cc:1'] canvas").click(position={"x": 400, "y": 5})
    desk.span(1, 2)
    desk.press("Control+c")
    expect(desk.page.get_by_role("status").last).to_contain_text("span of the lane is copied")
    desk.span(4, 5)
    desk.press("Control+v")
    desk.expect_strokes("Mod wheel copied")
    assert [value for tick, value in lane(desk) if 12 * BEAT <= tick < 16 * BEAT] == list(range(10, 18))


def test_paste_before_anything_is_copied(desk: Desk) -> None:
    desk.open(file_of(phrase([64] * 4))).press("Control+v")
    expect(desk.page.get_by_role("status").last).to_contain_text("Nothing is copied yet")


def test_what_was_played_early_is_early_again_at_the_start_of_another_span(desk: Desk) -> None:
    early = phrase([64] * 32)
    early[8] = early[8].copy(time=early[8].time - 15)
    early[9] = early[9].copy(time=early[9].time + 15)
    desk.open(file_of(early))
    desk.span(2, 3)
    desk.press("Control+c")
    expect(desk.page.get_by_role("status").last).to_contain_text("4 notes copied")
    desk.span(7, 8)
    desk.press("Control+v")
    desk.expect_strokes("Notes copied")
    assert desk.number("Bar") == 7
    assert [round(beat * BEAT) for beat, _ in onsets(desk)[24:32]][::2] == [
        24 * BEAT - 30, *range(25 * BEAT, 28 * BEAT, BEAT),
    ]  # fmt: skip

"""Velocity by hand: beads dragged into the end of the range, typed words, builds across parts, fades both ways."""

import re

import numpy as np
import pytest
from playwright.sync_api import Page, expect

from expression.history import shape
from expression.midi.read import read
from expression.strokes import parse_stroke
from tests.browser.desk import Desk
from tests.browser.test_sound import FLAT, Listener, brightness, loudness, render
from tests.files import file_of, phrase

GROUP = [60, 90, 110, 80]
FOUR = file_of(phrase(GROUP))
THREE = file_of(*(phrase([64] * 16, channel=channel, pitch=48 + 12 * channel) for channel in range(3)))


@pytest.mark.parametrize(
    ("limit", "up", "says"),
    [
        ("stop", [77, 107, 127, 97], "1 at the end"),
        ("pin", [100, 127, 127, 120], "2 at the end"),
        ("squeeze", [100, 116, 127, 111], "1 at the end"),
    ],
)
def test_a_group_dragged_into_the_end_and_back(desk: Desk, limit: str, up: list[int], says: str) -> None:
    desk.open(FOUR).press("Control+a")
    desk.page.get_by_role("radio", name=limit).click()
    x, y = desk.bead(0, 0)
    top = desk.y_of(100)
    desk.drag((x, y), (x + 2, (y + top) / 2), (x, top), release=False)
    expect(desk.page.get_by_test_id("tip")).to_contain_text(f"{up[0]} ")
    expect(desk.page.get_by_test_id("tip")).to_contain_text(says)
    expect(desk.page.get_by_test_id("facts")).to_contain_text(says.replace("at the end", "at the end of the range"))
    # Back within the same gesture: every difference is there again.
    desk.page.mouse.move(x, y, steps=4)
    expect(desk.page.get_by_test_id("tip")).to_have_text(re.compile(r"^60 "))
    desk.page.mouse.move(x, top, steps=4)
    expect(desk.page.get_by_test_id("tip")).to_contain_text(f"{up[0]} ")
    desk.page.mouse.up()
    desk.expect_strokes("Nudge by +40")
    desk.expect_velocities(*up)


def test_the_limit_can_be_changed_while_the_group_is_held(desk: Desk) -> None:
    desk.open(FOUR).press("Control+a")
    x, y = desk.bead(0, 0)
    desk.drag((x, y), (x, desk.y_of(100)), release=False)
    expect(desk.page.get_by_test_id("tip")).to_contain_text("2 at the end")
    desk.press("l")
    expect(desk.page.get_by_role("radio", name="squeeze")).to_be_checked()
    expect(desk.page.get_by_test_id("facts")).to_contain_text("1 at the end")
    desk.page.mouse.up()
    desk.expect_velocities(100, 116, 127, 111)


def test_one_bead_by_itself_and_escape_lets_go_of_it(desk: Desk) -> None:
    desk.open(FOUR)
    x, y = desk.bead(0, 2)
    desk.drag((x, y), (x, desk.y_of(40)), release=False)
    expect(desk.page.get_by_test_id("tip")).to_contain_text("40 pp (−70)")
    desk.press("Escape")
    expect(desk.page.get_by_test_id("tip")).to_be_hidden()
    desk.page.mouse.up()
    assert desk.velocities() == GROUP
    desk.drag((x, y), (x, desk.y_of(41)))
    desk.expect_velocities(60, 90, 41, 80)


def test_by_keys_and_by_wheel_as_one_stroke_each(desk: Desk) -> None:
    desk.open(FOUR).press("Control+a", "ArrowUp", "ArrowUp", "Shift+ArrowDown")
    desk.expect_strokes("Nudge by −8")
    desk.expect_velocities(52, 82, 102, 72)
    desk.press("Escape")
    lane = desk.box("Velocity")
    desk.page.mouse.move(lane["x"] + 300, lane["y"] + 60)
    desk.page.keyboard.down("Alt")
    for _ in range(3):
        desk.page.mouse.wheel(0, -100)
    desk.page.keyboard.up("Alt")
    desk.expect_strokes("Nudge by −8", "Nudge by +3")
    desk.expect_velocities(55, 85, 105, 75)


@pytest.mark.parametrize(
    ("typed", "label", "made"),
    [
        ("25", "Set to 25", [25] * 4),
        ("+12", "Nudge by +12", [72, 102, 122, 92]),
        ("-5", "Nudge by −5", [55, 85, 105, 75]),
        ("80%", "Scale to 80%", [48, 72, 88, 64]),
    ],
)
def test_what_is_typed_is_seen_before_it_is_kept(desk: Desk, typed: str, label: str, made: list[int]) -> None:
    desk.open(FOUR).press("Control+a")
    desk.entry("Velocities").fill(typed)
    expect(desk.page.get_by_text("highest").locator("xpath=../dd")).to_have_text(str(max(made)))
    assert desk.velocities() == GROUP
    desk.entry("Velocities").press("Enter")
    desk.expect_strokes(label)
    desk.expect_velocities(*made)


def test_facts_from_before_a_stroke_was_tried_come_too_late(desk: Desk) -> None:
    desk.open(FOUR)
    desk.late("facts", 500)
    desk.press("Control+a")
    desk.page.wait_for_timeout(100)  # The choice has settled: its facts are asked for.
    desk.entry("Velocities").fill("+12")
    highest = desk.page.get_by_text("highest").locator("xpath=../dd")
    expect(highest).to_have_text("122")
    desk.page.wait_for_timeout(800)
    expect(highest).to_have_text("122")


@pytest.mark.parametrize(
    ("typed", "told"),
    [
        ("loud", "Type a velocity (64), a step (+12 or -5) or a percentage (80%)."),
        ("%", "Type a velocity"),
        ("300", "Velocity must be 1 to 127, not 300."),
        ("0", "Velocity must be 1 to 127, not 0."),
        ("+400", "A step is at most 127 either way."),
        ("+80%", "A percentage has no sign"),
        ("6.5", "Velocities are whole numbers."),
        ("1e999", "Type a velocity"),
    ],
)
def test_wrong_words_are_told_at_once_and_change_nothing(desk: Desk, typed: str, told: str) -> None:
    desk.open(FOUR).press("Control+a")
    desk.entry("Velocities").fill(typed)
    expect(desk.page.get_by_role("alert")).to_contain_text(told)
    desk.entry("Velocities").press("Enter")
    expect(desk.strokes).to_have_count(0)
    assert desk.velocities() == GROUP


def test_all_in_front_are_levelled_out_with_one_click(desk: Desk) -> None:
    desk.open(FOUR)
    desk.button("Level out").click()
    desk.button("Keep").click()
    desk.expect_strokes("Level out to the mean")
    desk.expect_velocities(*[85] * 4)
    desk.page.get_by_role("radio", name="lowest").click()
    desk.expect_velocities(*[60] * 4)


def test_a_build_across_three_parts(desk: Desk) -> None:
    desk.open(THREE).press("a", "Control+a")
    desk.hairpin((desk.x_of(1) + 1, 30), (desk.x_of(4, 4), 110))
    desk.expect_strokes("Hairpin 30 → 110")
    expected = [int(value) for value in np.floor(30 + np.arange(16) * 80 / 15 + 0.5)]
    assert [desk.velocities(part) for part in range(3)] == [expected] * 3


def test_there_and_back_in_one_drag_with_its_peak_moved(desk: Desk) -> None:
    desk.open(file_of(phrase([64] * 9))).press("Control+a", "t")
    desk.hairpin((desk.x_of(1) + 1, 40), (desk.x_of(3), 100))
    desk.expect_strokes("Swell 40 → 100 → 40")
    assert desk.velocities() == [40, 55, 70, 85, 100, 85, 70, 55, 40]
    peak = desk.page.locator("[data-grip=peak]").bounding_box()
    assert peak
    desk.drag((peak["x"] + 10, peak["y"] + 10), (desk.x_of(1, 3) + 1, desk.y_of(120)))
    desk.expect_strokes("Swell 40 → 120 → 40")
    assert desk.number("Peak at") == pytest.approx(0.25, abs=0.02)
    desk.expect_velocities(40, 80, *desk.velocities()[2:])
    assert desk.velocities()[2] == 120
    assert desk.velocities()[-1] == 40


def test_drawn_by_hand_and_a_stretch_of_it_again(desk: Desk) -> None:
    desk.open(file_of(phrase([64] * 16))).press("d")
    y = {level: desk.y_of(level) for level in (30, 110)}
    left, right = desk.x_of(1) + 2, desk.x_of(4, 4) + 4
    desk.page.keyboard.down("Shift")
    desk.drag((left, y[30]), (right, y[110]))
    desk.page.keyboard.up("Shift")
    desk.expect_strokes("Drawn 30 → 110")
    straight = desk.velocities()
    assert straight == sorted(straight)
    assert (straight[0], straight[-1]) == (30, 110)
    # Freehand over bar 2 only.
    desk.drag((desk.x_of(2) - 3, y[110]), (desk.x_of(2, 3), y[30]), (desk.x_of(2, 4) + 5, y[110]))
    expect(desk.strokes).to_have_count(2)
    again = desk.velocities()
    assert again[:4] + again[8:] == straight[:4] + straight[8:]
    assert again[4] > 100
    assert again[6] < 40
    # Ctrl held, the pointer chooses instead.
    desk.page.keyboard.down("Control")
    desk.page.mouse.click(*desk.bead(0, 3))
    desk.page.keyboard.up("Control")
    expect(desk.page.get_by_test_id("facts")).to_contain_text("1 note")


def test_depth_knee_and_vary_open_with_their_numbers(desk: Desk) -> None:
    desk.open(FOUR).press("Control+a")
    desk.button("Depth").click()
    desk.entry("Factor").fill("0.5")
    desk.button("Keep").click()
    desk.expect_strokes("Depth 50% about the mean")
    desk.expect_velocities(73, 88, 98, 83)
    desk.button("Done").click()
    desk.button("Soft knee").click()
    desk.page.get_by_role("radio", name="the quiet up").click()
    for label, value in (("Threshold", "90"), ("Ratio", "100"), ("Knee", "0")):
        desk.entry(label).fill(value)
    desk.button("Keep").click()
    expect(desk.strokes).to_have_count(2)
    desk.expect_velocities(90, 90, 98, 90)
    desk.button("Done").click()
    desk.button("Vary").click()
    desk.button("Keep").click()
    expect(desk.strokes).to_have_count(3)
    first = desk.velocities()
    desk.button("Another roll").click()
    desk.quiet()
    assert desk.velocities() != first
    strokes = [parse_stroke(one["stroke"]) for one in desk.api("view")["history"]["strokes"]]
    assert desk.velocities() == shape(read(FOUR), strokes).parts[0].notes.velocity.tolist()


def test_accents_from_a_pattern_and_the_wrong_one_refused(desk: Desk) -> None:
    desk.open(file_of(phrase([64] * 8))).press("Control+a")
    desk.button("Accents").click()
    desk.page.get_by_label("Steps of").select_option("4")
    desk.entry("Amount").fill("20")
    step = desk.page.get_by_role("slider", name="Step 2")
    step.focus()
    for _ in range(3):
        step.press("PageUp")
    desk.button("Keep").click()
    desk.expect_strokes("Accents by 20")
    made = desk.velocities()
    assert made[:4] == made[4:]
    assert (made[0], made[1]) == (84, 79)


def test_ghosts_by_rule_in_one_stroke(desk: Desk) -> None:
    desk.open(file_of(phrase(GROUP * 2)))
    desk.page.get_by_label("Rule", exact=True).select_option(label="by velocity")
    desk.page.get_by_role("form", name="Choose by rule").get_by_label("To", exact=True).fill("85")
    expect(desk.page.get_by_test_id("rule")).to_have_text("4 notes")
    desk.button("Make ghosts").click()
    desk.expect_strokes("Set to 22")
    desk.expect_velocities(*[22, 90, 110, 22] * 2)


def test_the_trim_of_a_part_is_opened_again(desk: Desk) -> None:
    desk.open(FOUR)
    desk.button("Trim part").click()
    desk.entry("Offset").fill("10")
    desk.button("Keep").click()
    desk.expect_strokes("Trim 100% +10")
    desk.button("Done").click()
    desk.button("Trim part").click()
    assert desk.number("Offset") == 10
    desk.entry("Offset").fill("-20")
    desk.entry("Offset").press("Enter")
    desk.expect_strokes("Trim 100% −20")
    desk.expect_velocities(40, 70, 90, 60)


def test_a_fade_as_touch_darkens_and_as_volume_does_not(desk: Desk) -> None:
    pitches = [60 + step % 12 for step in range(16)]
    desk.open(FLAT)
    flat = render(desk, patch="reed box")
    desk.span(1, 5)
    desk.button("Fade out").click()
    expect(desk.page.get_by_text("their tone changes as well")).to_be_visible()
    desk.button("Keep").click()
    desk.expect_strokes("Fade 100% → 0%")
    touch = render(desk, patch="reed box")
    assert set(desk.velocities()) != {64}

    desk.page.get_by_role("radio", name="volume").click()
    expect(desk.page.get_by_text("the tone stays as it was struck")).to_be_visible()
    desk.expect_strokes("Volume fade 100% → 0%")
    expect(desk.page.locator("[data-lane='cc:7']")).to_be_visible()
    volume = render(desk, patch="reed box")
    assert set(desk.velocities()) == {64}

    for faded in (touch, volume):
        level = loudness(faded) - loudness(flat)
        assert (np.diff(level[:14]) < 0.5).all()
        assert level[12] < -12
    dark = brightness(touch, pitches)[:12] / brightness(flat, pitches)[:12]
    same = brightness(volume, pitches)[:12] / brightness(flat, pitches)[:12]
    assert dark[11] < 0.9
    assert np.abs(same - 1).max() < 0.06
    # Before and after: the recording itself is heard again.
    assert np.allclose(render(desk, patch="reed box", before=0), flat, atol=1e-6)


def test_a_phrase_is_heard_though_the_hand_rests_before_the_first_answer(page: Page, desk: Desk) -> None:
    desk.open(file_of(phrase([64] * 4)))
    desk.press("Control+a")
    x, y = desk.bead(0, 0)
    desk.late("**/preview")
    page.mouse.move(x, y)
    page.mouse.down()
    page.mouse.move(x, y - 20)
    expect(desk.button("Stop")).to_be_visible()
    desk.press("Escape")
    expect(desk.button("Play")).to_be_visible()


def test_a_dragged_phrase_goes_round_with_the_values_of_the_moment(page: Page, desk: Desk) -> None:
    desk.open(file_of(phrase([64] * 4)))
    desk.press("Control+a")
    listener = Listener(desk)
    x, y = desk.bead(0, 0)
    desk.drag((x, y), (x, desk.y_of(100)), release=False)
    expect(desk.button("Stop")).to_be_visible()
    desk.until(lambda: 100 in listener.velocities())
    page.mouse.up()
    expect(desk.button("Play")).to_be_visible()
    desk.expect_velocities(*[100] * 4)

    page.get_by_label("Sound what I touch").uncheck()
    listener.answers.clear()
    desk.drag((x, desk.y_of(100)), (x, desk.y_of(90)), release=False)
    desk.quiet()
    page.mouse.up()
    desk.expect_velocities(*[90] * 4)
    assert not listener.answers

"""The journeys of the one who has a take in which bars 9 to 12 should build."""

import re

import pytest
from playwright.sync_api import Page, expect

from demo.fog_signal import the_keepers_log
from expression.history import shape
from expression.midi.read import read
from expression.midi.write import write
from expression.strokes import parse_stroke
from tests.browser.desk import Desk
from tests.files import file_of, phrase

EIGHT = file_of(phrase([64] * 32))


def ramp(desk: Desk) -> list[int]:
    """The velocities of the thumb piano in bars 9 to 12."""
    part = read(the_keepers_log()).parts[0]
    inside = (part.notes.start >= 8 * 3840 - 60) & (part.notes.start < 12 * 3840 - 60)
    return [value for value, within in zip(desk.velocities(), inside.tolist(), strict=True) if within]


def test_from_the_file_to_the_file(page: Page, desk: Desk, tmp_path: object) -> None:
    page.get_by_test_id("files").set_input_files(
        {"name": "The keeper's log.mid", "mimeType": "audio/midi", "buffer": the_keepers_log()}
    )
    page.get_by_role("link", name="The keeper's log").click()
    expect(page.get_by_role("heading", level=1)).to_have_text("The keeper's log")
    desk.take_id = page.url.rsplit("/", 1)[1]

    desk.span(9, 13)
    expect(page.get_by_test_id("facts")).to_contain_text("32 notes")
    desk.hairpin((desk.x_of(9) + 3, 40), (desk.x_of(13) - 6, 112))
    desk.expect_strokes("Hairpin 40 → 112")
    expect(desk.strokes.first).to_contain_text("bars 9–12")
    assert (desk.number("Start"), desk.number("End"), desk.number("Lift")) == (40, 112, 0)
    straight = ramp(desk)
    assert straight == sorted(straight)
    assert (straight[0], straight[-1]) == (40, 112)

    desk.press("Control+z")
    expect(desk.strokes).to_have_text("Hairpin 40 → 112")
    assert set(ramp(desk)) == {64}
    desk.press("Control+Shift+z")
    desk.expect_strokes("Hairpin 40 → 112")
    assert ramp(desk) == straight

    page.get_by_role("button", name="Open Hairpin 40 → 112").click()
    lift = page.locator("[data-grip=lift]")
    grip = lift.bounding_box()
    assert grip
    middle = (grip["x"] + grip["width"] / 2, grip["y"] + grip["height"] / 2)
    desk.drag(middle, (middle[0], desk.y_of(52)))
    expect(lift).to_have_attribute("aria-valuenow", re.compile(r"^0\.[345]"))
    expect(desk.entry("Lift")).to_have_value(re.compile(r"^0\.[345]"))
    desk.quiet()
    late = ramp(desk)
    assert (late[0], late[-1]) == (40, 112)
    assert sum(late) < sum(straight) - 200
    assert late == sorted(late)

    strokes = [parse_stroke(one["stroke"]) for one in desk.api("view")["history"]["strokes"]]
    assert len(strokes) == 1
    assert desk.download() == write(shape(read(the_keepers_log()), strokes))


def test_the_notes_follow_while_the_line_is_drawn_and_escape_lets_go(desk: Desk) -> None:
    desk.open(EIGHT).press("Control+a")
    desk.hairpin((desk.x_of(2), 30), (desk.x_of(4), 100), release=False)
    expect(desk.page.get_by_text("Hairpinnew")).to_be_visible()
    expect(desk.page.get_by_test_id("facts")).to_contain_text("9 notes")
    desk.press("Escape")
    expect(desk.page.get_by_text("Hairpinnew")).to_be_hidden()
    desk.page.mouse.up()
    desk.quiet()
    assert desk.velocities() == [64] * 32
    assert desk.api("view")["history"]["can_undo"] == 0


def test_typing_the_numbers_does_the_same(desk: Desk) -> None:
    desk.open(EIGHT)
    desk.span(1, 9)
    desk.button("Hairpin").click()
    for label, value in (("Start", "20"), ("End", "84"), ("Lift", "0.25"), ("Ease", "0.5")):
        desk.entry(label).fill(value)
        desk.entry(label).press("Enter")
    desk.expect_strokes("Hairpin 20 → 84")
    desk.quiet()
    stroke = {"kind": "velocity.hairpin", "start": 20, "end": 84, "lift": 0.25, "ease": 0.5}
    expected = shape(read(EIGHT), [parse_stroke({**stroke, "where": {"span": [0, 8 * 3840]}})])
    assert desk.velocities() == expected.parts[0].notes.velocity.tolist()

    # Changed where it stands: the same stroke, another number, and one step to undo.
    desk.entry("End").fill("127")
    desk.entry("End").press("Enter")
    desk.expect_strokes("Hairpin 20 → 127")
    desk.button("Undo").click()
    desk.expect_strokes("Hairpin 20 → 84", "Hairpin 20 → 127: end 84 → 127")


@pytest.mark.parametrize(
    ("label", "typed", "told"),
    [
        ("End", "300", "End must be 0 to 127, not 300"),
        ("Lift", "-2", "Lift must be -1 to 1, not -2"),
        ("Floor", "0", "Floor must be a whole number from 1 to 127, not 0"),
    ],
)
def test_a_number_out_of_range_is_told_in_place_and_changes_nothing(
    desk: Desk, label: str, typed: str, told: str
) -> None:
    desk.open(EIGHT).press("Control+a", "h")
    desk.entry(label).fill(typed)
    expect(desk.page.get_by_role("alert")).to_contain_text(told)
    expect(desk.entry(label)).to_have_attribute("aria-invalid", "true")
    expect(desk.button("Keep")).to_be_disabled()
    assert desk.velocities() == [64] * 32


def test_hasty_gestures_follow_each_other_and_none_is_lost(page: Page, desk: Desk) -> None:
    desk.open(EIGHT).press("d")
    bars = [(desk.x_of(bar, 1) - 6, desk.x_of(bar, 4) + 6) for bar in range(2, 6)]
    heights = [desk.y_of(velocity) for velocity in (30, 60, 90, 120)]
    desk.late("**/strokes")
    desk.late("**/preview")
    for (start, end), y in zip(bars, heights, strict=True):
        desk.drag((start, y), (end, y))
        desk.press("Escape")
    expect(desk.strokes).to_have_count(4)
    assert desk.velocities()[4:20] == [velocity for velocity in (30, 60, 90, 120) for _ in range(4)]
    expect(page.get_by_role("region", name="Shape").get_by_role("heading", level=3)).to_have_count(0)


def test_what_did_not_arrive_is_tried_again(page: Page, desk: Desk) -> None:
    desk.open(EIGHT).press("Control+a")
    page.route("**/strokes", lambda route: route.abort(), times=1)
    desk.button("Level out").click()
    desk.button("Keep").click()
    notice = page.get_by_role("status")
    expect(notice).to_contain_text("does not answer")
    desk.press("Escape")
    notice.get_by_role("button", name="Try again").click()
    desk.expect_strokes("Level")


def test_a_grip_moves_an_end_in_height_and_time(desk: Desk) -> None:
    desk.open(EIGHT).press("Control+a")
    desk.hairpin((desk.x_of(2), 40), (desk.x_of(5), 100))
    desk.expect_strokes("Hairpin 40 → 100")
    grip = desk.page.locator("[data-grip=end]").bounding_box()
    assert grip
    desk.drag((grip["x"] + 10, grip["y"] + 10), (desk.x_of(7), desk.y_of(90)))
    desk.expect_strokes("Hairpin 40 → 90")
    expect(desk.strokes.first).to_contain_text("bars 2–7")
    expect(desk.page.get_by_test_id("facts")).to_contain_text("21 notes")
    desk.quiet()
    assert desk.velocities()[24] == 90
    assert desk.api("view")["history"]["can_undo"] == 2


def test_grips_answer_to_the_keyboard(desk: Desk) -> None:
    desk.open(EIGHT).press("Control+a", "h")
    start = desk.page.get_by_role("slider", name="Where the line starts")
    start.focus()
    before = float(start.get_attribute("aria-valuenow") or 0)
    desk.press("ArrowDown", "ArrowDown", "PageDown")
    expect(start).to_have_attribute("aria-valuenow", f"{before - 12:g}")


def test_the_mark_reopens_the_stroke_and_the_switch_turns_it_off(desk: Desk) -> None:
    desk.open(EIGHT).press("Control+a")
    desk.hairpin((desk.x_of(1, 2), 20), (desk.x_of(6), 90))
    desk.expect_strokes("Hairpin 20 → 90")
    shaped = desk.velocities()
    desk.press("Escape", "Escape")
    expect(desk.page.locator("[data-grip]")).to_have_count(0)

    desk.page.get_by_role("switch", name="Hairpin 20 → 90").click()
    expect(desk.page.get_by_role("switch")).not_to_be_checked()
    assert desk.velocities() == [64] * 32
    desk.reopen()
    expect(desk.page.get_by_role("switch")).not_to_be_checked()
    desk.page.get_by_role("switch").click()
    expect(desk.page.get_by_role("switch")).to_be_checked()
    assert desk.velocities() == shaped

    desk.page.get_by_role("button", name="Open Hairpin 20 → 90").click()
    expect(desk.page.locator("[data-grip]")).to_have_count(3)
    assert desk.number("Start") == 20


def test_undo_goes_all_the_way_back_after_a_reload(desk: Desk) -> None:
    desk.open(EIGHT).press("Control+a")
    for step in range(1, 6):
        desk.press("ArrowUp")
        expect(desk.strokes).to_have_count(step)
        desk.press("Escape")
    assert desk.velocities() == [69] * 32
    desk.reopen()
    expect(desk.strokes).to_have_count(5)
    for left in range(4, -1, -1):
        desk.press("Control+z")
        expect(desk.page.get_by_role("switch")).to_have_count(left)
    assert desk.velocities() == [64] * 32
    expect(desk.button("Undo")).to_be_disabled()
    desk.button("Redo").click()
    expect(desk.page.get_by_role("switch")).to_have_count(1)


def test_set_and_nudge_from_shape(desk: Desk) -> None:
    desk.open(file_of(phrase([100, 110, 120]))).press("Control+a")
    desk.page.get_by_role("radio", name="stop").click()
    desk.type("+20")
    desk.expect_strokes("Nudge by +20")
    desk.expect_velocities(107, 117, 127)
    desk.page.get_by_role("radio", name="pin").click()
    expect(desk.page.get_by_test_id("facts")).to_contain_text("2 at the end")
    desk.expect_velocities(120, 127, 127)
    desk.press("Escape")
    desk.type("33")
    desk.expect_strokes("Nudge by +20", "Set to 33")
    desk.expect_velocities(33, 33, 33)


def test_choosing_by_click_shift_and_marquee(desk: Desk) -> None:
    desk.open(EIGHT)
    notes = desk.box("Notes of")
    # A note's height is where the line at the bottom names it.
    x = desk.x_of(2) + 6
    heights = []
    for y in range(int(notes["y"]) + 4, int(notes["y"] + notes["height"]) - 4, 3):
        desk.page.mouse.move(x, y)
        if "velocity 64 mp" in desk.hint():
            heights.append(y)
    assert heights
    desk.page.mouse.click(x, heights[len(heights) // 2])
    expect(desk.page.get_by_test_id("facts")).to_have_text("1 note")
    lane_y = desk.y_of(64)
    desk.page.mouse.move(desk.x_of(2, 2) + 1, lane_y)
    desk.page.keyboard.down("Shift")
    desk.page.mouse.click(desk.x_of(2, 2) + 1, lane_y)
    expect(desk.page.get_by_test_id("facts")).to_have_text("2 notes")
    desk.page.mouse.click(desk.x_of(2, 2) + 1, lane_y)
    desk.page.keyboard.up("Shift")
    expect(desk.page.get_by_test_id("facts")).to_have_text("1 note")
    desk.drag((desk.x_of(3) - 4, notes["y"] + 2), (desk.x_of(5) - 4, notes["y"] + notes["height"] - 2))
    expect(desk.page.get_by_test_id("facts")).to_have_text("8 notes")
    desk.page.mouse.click(desk.x_of(7) - 8, notes["y"] + 3)
    expect(desk.page.get_by_test_id("facts")).to_be_hidden()


def test_a_change_made_elsewhere_is_never_overwritten(desk: Desk, page: Page) -> None:
    desk.open(EIGHT).press("Control+a")
    other = page.request.post(
        f"/api/takes/{desk.take_id}/strokes",
        data={"revision": 0, "stroke": {"kind": "velocity.set", "value": 90, "where": {"notes": [[0, 3]]}}},
        headers={"X-CSRFToken": next(c["value"] for c in page.context.cookies() if c["name"] == "csrftoken")},
    )
    assert other.ok
    desk.button("Level out").click()
    expect(page.get_by_role("status")).to_contain_text("changed elsewhere")
    desk.expect_strokes("Set to 90")
    assert desk.velocities()[:5] == [90, 90, 90, 90, 64]


def test_two_windows_at_one_take(desk: Desk, page: Page) -> None:
    desk.open(EIGHT)
    second = Desk(page.context.new_page(), desk.player)
    second.take_id = desk.take_id
    second.reopen()
    second.press("Control+a", "ArrowUp")
    second.expect_strokes("Nudge by +1")
    desk.press("Control+a", "h")
    expect(page.get_by_role("status")).to_contain_text("changed elsewhere")
    desk.expect_strokes("Nudge by +1")
    desk.button("Keep it all the same").or_(desk.button("Keep")).first.click()
    expect(desk.strokes).to_have_count(2)
    assert desk.api("view")["history"]["revision"] == 2


def test_a_take_that_is_not_there(page: Page) -> None:
    page.goto("/takes/00000000-0000-0000-0000-000000000000")
    expect(page.get_by_text("There is no such take in your library.")).to_be_visible()
    page.get_by_role("link", name="Back to the library").click()
    expect(page.get_by_text("Nothing recorded yet")).to_be_visible()


def test_moving_through_the_take(desk: Desk) -> None:
    desk.open(the_keepers_log())
    ruler = desk.box("Ruler")
    edge = (ruler["x"] + 100, ruler["y"] + 15)

    def bar_at_the_left() -> int:
        desk.page.mouse.move(edge[0] + 1, edge[1])
        desk.page.mouse.move(*edge)
        place = re.match(r"(\d+):", desk.hint())
        assert place
        return int(place[1])

    assert bar_at_the_left() == 1
    desk.page.mouse.wheel(0, 800)
    expect(desk.page.get_by_test_id("hint")).to_contain_text(re.compile(r"."))
    scrolled = bar_at_the_left()
    assert scrolled > 5
    desk.page.keyboard.down("Control")
    desk.page.mouse.wheel(0, -600)
    desk.page.keyboard.up("Control")
    assert bar_at_the_left() == scrolled
    desk.press("PageDown", "PageDown")
    assert bar_at_the_left() > scrolled
    overview = desk.box("Overview")
    y = overview["y"] + 19
    desk.drag((overview["x"] + 300, y), (overview["x"] + 900, y))
    assert bar_at_the_left() > 60
    desk.press("w")
    assert bar_at_the_left() == 1


def test_every_key_is_on_one_sheet(desk: Desk) -> None:
    desk.open(EIGHT).press("?")
    sheet = desk.page.get_by_role("dialog", name="Keys")
    expect(sheet).to_contain_text("Choose all notes of the part in front")
    desk.press("Escape")
    expect(sheet).to_be_hidden()


def test_parts_come_to_the_front(desk: Desk) -> None:
    desk.open(the_keepers_log())
    desk.button("Reed box").click()
    desk.press("Control+a")
    expect(desk.page.get_by_test_id("facts")).to_contain_text("380 notes")
    desk.press(",", "Control+a")
    expect(desk.page.get_by_test_id("facts")).to_contain_text("626 notes")

"""Lanes by form and button: steps and switches, waves, copies, moves, smoothing, what is done to many nodes at once."""

import numpy as np
import pytest
from playwright.sync_api import Page, expect

from demo.fog_signal import the_stair
from tests.browser.desk import Desk, act_on
from tests.browser.test_lanes import BEAT, PLAIN, LaneBox, add_lane, sent, with_wheel
from tests.lanes import BUMP, SLOW


def nodes(desk: Desk, key: str = "cc:1", part: int = 0) -> list[tuple[float, float]]:
    """(beat, value) of every node of a lane, as it is kept."""
    found = [lane for lane in desk.api(f"lanes?part={part}")["lanes"] if lane["key"] == key]
    if not found:
        return []
    return list(zip((np.cumsum(found[0]["tick"]) / BEAT).tolist(), found[0]["value"], strict=True))


def test_lines_that_jump_do_not_slide(page: Page, desk: Desk) -> None:
    desk.open(PLAIN)
    lane = add_lane(desk, "74", "cc:74")
    desk.press("d")
    page.get_by_role("radio", name="jump in steps").click()
    for beat, value in ((1, 16), (3, 64), (4, 112)):
        page.mouse.click(desk.x_of(1, beat), lane.y(value))
    expect(desk.strokes).to_have_count(3)
    assert sent(desk.download(), 74) == [(0, 16), (2 * 480, 64), (3 * 480, 112)]


def test_what_was_drawn_is_there_with_one_answer(page: Page, desk: Desk) -> None:
    """From the release on one request brings all that is drawn: the lane, its shapes, the history, what was before."""
    desk.open(PLAIN)
    lane = add_lane(desk, "74", "cc:74")
    desk.press("d")
    with page.expect_response(lambda answer: answer.url.endswith("/preview")):
        desk.drag((desk.x_of(1), lane.y(20)), (desk.x_of(2), lane.y(90)), release=False)
    page.wait_for_timeout(500)
    asked: list[str] = []
    page.on("request", lambda request: asked.append(f"{request.method} {request.url.rsplit('/', 1)[1]}"))
    page.mouse.up()
    expect(desk.strokes).to_have_count(1)
    desk.quiet()
    # What is wrong on any lane is looked for once the hand has rested, the desk is kept as it is arranged, and what is
    # heard while it is dragged is asked for as it sounds. The browser gets the icon of its tab when it likes.
    rested = ("GET unplayed", "GET proof", "PUT arrangement", "POST rehearse", "GET lull.svg")
    assert [one for one in asked if not one.startswith(rested)] == ["POST strokes"]
    asked.clear()
    desk.press("Escape", "Control+z")
    expect(desk.button("Redo")).to_be_enabled()
    desk.quiet()
    assert [one for one in asked if not one.startswith(rested)] == ["POST undo"]


def test_with_ctrl_held_the_pointer_does_the_other_thing(page: Page, desk: Desk) -> None:
    desk.open(PLAIN)
    lane = add_lane(desk, "74", "cc:74")
    page.keyboard.down("Control")
    page.mouse.click(desk.x_of(2), lane.y(64))
    page.keyboard.up("Control")
    desk.expect_strokes("Timbre to 64")
    desk.press("Escape", "Escape", "d")
    page.keyboard.down("Control")
    desk.drag((desk.x_of(1, 2), lane.y(30)), (desk.x_of(1, 4), lane.y(30)))
    page.keyboard.up("Control")
    expect(page.get_by_text("These act within the span.")).to_be_visible()
    expect(desk.strokes).to_have_count(1)


def test_a_switch_is_on_or_off_and_never_a_slope(page: Page, desk: Desk) -> None:
    desk.open(PLAIN)
    lane = add_lane(desk, "65", "cc:65")
    for slope in ("Ramp", "Swell", "Frame", "Smooth", "Distil"):
        expect(desk.button(slope)).to_be_hidden()
    desk.press("d")
    desk.drag((desk.x_of(1, 2), lane.y(5)), (desk.x_of(2, 2), lane.y(120)), (desk.x_of(3, 2), lane.y(5)))
    desk.expect_strokes("Portamento")
    found = [value for _, value in sent(desk.download(), 65)]
    assert found == [0, 127, 0]


def test_one_node_is_deleted_and_then_many(page: Page, desk: Desk) -> None:
    desk.open(with_wheel([20, 60, 100, 60], gap=480))
    lane = LaneBox(desk, "cc:1")
    page.mouse.click(desk.x_of(1, 2), lane.y(60))
    expect(desk.entry("Value")).to_have_value("60")
    desk.press("Delete", "Enter")
    desk.expect_strokes("Mod wheel erased")
    assert nodes(desk) == [(0, 20), (2, 100), (3, 60)]
    desk.press("Escape", "Escape")
    desk.drag((desk.x_of(1, 3) - 8, desk.box("Ruler")["y"] + 15), (desk.x_of(2), desk.box("Ruler")["y"] + 15))
    desk.press("Delete", "Enter")
    expect(desk.strokes).to_have_count(2)
    # What was held at the end of the span is held there again: outside nothing changes.
    (first, back) = nodes(desk)
    assert first == (0, 20)
    assert back == (4, 60)


def test_a_way_is_eased_with_shift(page: Page, desk: Desk) -> None:
    desk.open(PLAIN)
    lane = add_lane(desk, "74", "cc:74")
    desk.button("Ramp").click()
    desk.entry("Start").fill("10")
    desk.entry("Start").press("Enter")
    desk.expect_strokes("Timbre 10 → 100")
    desk.press("Escape", "Escape")
    end = desk.api("view")["end"]
    middle = (desk.x_at(round(end / 2)), lane.y(55))
    page.keyboard.down("Shift")
    desk.drag(middle, (middle[0], middle[1] - 40))
    page.keyboard.up("Shift")
    expect(desk.strokes).to_have_count(2)
    way = desk.api("lanes?part=0")["lanes"][0]["bent"]
    assert way["ease"] == [pytest.approx(0.5, abs=0.06)]
    assert way["lift"] == [0]


def test_a_wave_in_beats_with_its_depth_growing(page: Page, desk: Desk) -> None:
    desk.open(PLAIN)
    add_lane(desk, "74", "cc:74")
    desk.span(1, 5)
    desk.button("Wave").click()
    for label, value in (("Rate", "4"), ("Depth", "0"), ("Depth at end", "40")):
        desk.entry(label).fill(value)
        desk.entry(label).press("Enter")
    desk.expect_strokes("Timbre sine, every 4 beats")
    found = sent(desk.download(), 74)
    # What lies between the ticks of the recording is written at a finer resolution.
    bar_ticks = 4 * BEAT
    height = [max(abs(value - 64) for tick, value in found if tick // bar_ticks == bar) for bar in range(4)]
    assert height == sorted(height)
    assert height[0] < 12
    assert height[3] > 28


def test_a_copy_is_fitted_to_another_span_and_turned_round(page: Page, desk: Desk) -> None:
    desk.open(with_wheel([10, 20, 40, 80], gap=480))
    LaneBox(desk, "cc:1")
    desk.span(1, 2)
    desk.button("Copy").click()
    expect(desk.entry("Bar")).to_have_value("2")
    desk.button("Keep").click()
    desk.expect_strokes("Mod wheel copied")
    assert nodes(desk)[4:8] == [(4, 10), (5, 20), (6, 40), (7, 80)]
    page.get_by_role("radio", name="in time").click()
    desk.span(3, 5)
    desk.button("Fit it to the span").click()
    desk.expect_strokes("bars 3–4")
    copied = [node for node in nodes(desk) if 8 <= node[0] < 16]
    assert copied == [(8, 80), (10, 40), (12, 20), (14, 10)]


def test_the_wheel_becomes_expression_and_may_stay(page: Page, desk: Desk) -> None:
    desk.open(with_wheel([10, 20, 40, 80], gap=480))
    was = nodes(desk)
    LaneBox(desk, "cc:1")
    desk.button("Move").click()
    desk.button("Keep").click()
    desk.expect_strokes("Mod wheel to Expression")
    assert nodes(desk, "cc:11") == was
    assert nodes(desk) == []
    page.get_by_label("The original stays").check()
    desk.expect_strokes("Mod wheel to Expression, kept")
    assert nodes(desk) == was
    page.get_by_label("Becomes").select_option("pressure")
    desk.expect_strokes("Mod wheel to Channel pressure, kept")
    assert nodes(desk, "cc:11") == []
    assert nodes(desk, "pressure") == was


def test_a_jittery_wheel_is_steadied(desk: Desk) -> None:
    jitter = [64 + (9 if step % 2 else -9) for step in range(60)]
    desk.open(with_wheel(jitter, gap=12))
    LaneBox(desk, "cc:1")
    desk.button("Smooth").click()
    desk.button("Keep").click()
    desk.expect_strokes("Mod wheel smoothed over 80 ms")
    # Near its ends less is looked at, to both sides alike.
    steady = [value for beat, value in nodes(desk) if 0.15 < beat < 1.3]
    assert np.ptp(steady) < 4
    assert np.mean(steady) == pytest.approx(64, abs=1)


@pytest.mark.parametrize(("join", "jumps"), [("may jump", True), ("smooth", False)])
def test_the_edges_of_a_frame_jump_or_join(page: Page, desk: Desk, join: str, jumps: bool) -> None:
    desk.open(with_wheel([64] * 200, gap=48))
    LaneBox(desk, "cc:1")
    desk.span(2, 4)
    desk.button("Frame").click()
    desk.entry("Level").fill("40")
    desk.entry("Level").press("Enter")
    desk.expect_strokes("Mod wheel: level +40")
    page.get_by_role("radio", name=join).click()
    desk.quiet()
    desk.expect_strokes("Mod wheel: level +40")
    values = [value for _, value in nodes(desk)]
    assert max(values) == pytest.approx(104, abs=1)
    assert (max(np.abs(np.diff(values))) > 30) == jumps


@pytest.mark.parametrize("limit", ["stop", "pin", "squeeze"])
def test_a_frame_at_the_end_of_the_range(page: Page, desk: Desk, limit: str) -> None:
    desk.open(with_wheel(BUMP, gap=96))
    highest, lowest = max(BUMP), min(BUMP)
    LaneBox(desk, "cc:1")
    page.get_by_role("radio", name=limit, exact=True).click()
    desk.button("Frame").click()
    desk.entry("Level").fill("60")
    desk.entry("Level").press("Enter")
    expect(desk.strokes).to_have_count(1)
    values = [value for _, value in nodes(desk)]
    assert max(values) == 127
    assert min(values) == (lowest + 127 - highest if limit == "stop" else lowest + 60)
    # Pinned, the top is flat; squeezed, what was higher is still higher.
    at_top = sum(value == 127 for value in values)
    assert at_top > BUMP.count(highest) if limit == "pin" else at_top == BUMP.count(highest)


def test_a_lead_in_at_the_standards_default(page: Page, desk: Desk) -> None:
    desk.open(PLAIN)
    add_lane(desk, "74", "cc:74")
    desk.button("Lead-in at 64").click()
    desk.expect_strokes("Timbre lead-in 64")
    assert sent(desk.download(), 74) == [(0, 64)]
    expect(desk.button("Lead-in at 64")).to_be_hidden()


def test_the_lane_that_is_meant_is_in_sight(page: Page, desk: Desk) -> None:
    desk.open(the_stair())
    lanes = page.get_by_role("region", name="Lanes")

    def whole(key: str) -> bool:
        row, around = page.locator(f"[data-lane='{key}']").bounding_box(), lanes.bounding_box()
        assert row
        assert around
        return around["y"] - 1 <= row["y"] and row["y"] + row["height"] <= around["y"] + around["height"] + 1

    for key in ("bend", "pressure"):
        page.locator(f"[data-lane='{key}']").get_by_role("button").first.click()
    add_lane(desk, "74", "cc:74")
    assert whole("cc:74")
    assert not whole("bend")
    act_on(page, "bend")
    assert whole("bend")
    assert not whole("cc:74")


def test_a_framed_recording_is_distilled_and_a_flat_one_has_nothing_to_save(page: Page, desk: Desk) -> None:
    desk.open(with_wheel(SLOW, gap=12))
    LaneBox(desk, "cc:1")
    desk.span(1, 2)
    desk.button("Frame").click()
    desk.entry("Bow").fill("20")
    desk.entry("Bow").press("Enter")
    desk.expect_strokes("Mod wheel: bow +20")
    framed = len(nodes(desk))
    desk.press("Escape", "Escape")
    desk.button("Distil").click()
    expect(page.get_by_test_id("saving")).to_contain_text(f"{framed} nodes become")
    desk.button("Keep").click()
    desk.expect_strokes("Mod wheel: bow +20", "Mod wheel distilled within 1")
    assert len(nodes(desk)) < framed / 3
    desk.open(with_wheel([10, 90], gap=4 * 480))
    LaneBox(desk, "cc:1")
    desk.button("Distil").click()
    expect(page.get_by_test_id("saving")).to_have_text("Within this tolerance there is nothing to save.")

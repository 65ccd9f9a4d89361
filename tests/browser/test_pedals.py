"""Pedals by mouse and keys: pressed and lifted on the lane, tails that grow, lengths, harmony; and how they sound."""

from itertools import pairwise
from typing import Any

import mido
import numpy as np
from playwright.sync_api import expect

from demo.fog_signal import the_lens_room
from expression.receiver import receive
from tests.browser.desk import Desk
from tests.browser.test_lanes import add_lane
from tests.browser.test_sound import RATE, render
from tests.expression.test_delta import spread
from tests.files import file_of, phrase

M = mido.Message
BAR = 3840


def short_notes() -> bytes:
    """Four bars of quarters that are let go at once, each on a key of its own."""
    return file_of([message.copy(note=60 + at // 2) for at, message in enumerate(phrase([80] * 16))])


def tails(desk: Desk) -> dict[int, int]:
    """Of the notes (rows) that ring on, until when they sound."""
    part = desk.api("view")["parts"][0]
    rings, ends = part["rings"], np.cumsum(part["start"]) + part["length"]
    rows = [row for first, last in rings["row"] for row in range(first, last + 1)] if rings else []
    return {row: int(ends[row]) + on for row, on in zip(rows, spread(rings["on"]), strict=True)} if rings else {}


def pedal(desk: Desk, part: int = 0) -> list[tuple[int, float]]:
    lane = next(one for one in desk.api(f"lanes?part={part}")["lanes"] if one["key"] == "cc:64")
    return list(zip(np.cumsum(lane["tick"]).tolist(), lane["value"], strict=True))


def lifts(made: list[tuple[int, float]]) -> list[int]:
    """Where the pedal comes up."""
    return [tick for (_, before), (tick, value) in pairwise(made) if before and not value]


def heard(desk: Desk) -> list[tuple[int, int, int]]:
    return sorted((round(note.start), note.pitch, round(note.end)) for note in receive(desk.download()).notes)


def test_drawn_for_a_bar_lifted_in_it_and_its_end_moved(desk: Desk) -> None:
    desk.open(short_notes())
    lane = add_lane(desk, "64", "cc:64")
    assert not tails(desk)
    y = lane.y(64)
    desk.drag((desk.x_of(2) + 1, y), (desk.x_of(3) + 1, y))
    desk.expect_strokes("Sustain pedal pressed")
    assert pedal(desk) == [(0, 0), (BAR, 127), (2 * BAR, 0)]
    # The four notes of the bar ring on to its end.
    assert tails(desk) == dict.fromkeys(range(4, 8), 2 * BAR)
    # Lifted for a beat within it, and the end drawn out by a beat.
    desk.drag((desk.x_of(2, 2) + 1, y), (desk.x_of(2, 3) + 1, y))
    desk.expect_strokes("Sustain pedal pressed", "Sustain pedal lifted")
    assert pedal(desk) == [(0, 0), (BAR, 127), (BAR + 960, 0), (BAR + 1920, 127), (2 * BAR, 0)]
    desk.page.mouse.move(desk.x_of(3), y)
    desk.expect_hint("comes up")
    desk.drag((desk.x_of(3), y), (desk.x_of(3, 2) + 1, y))
    desk.expect_strokes("Sustain pedal pressed", "Sustain pedal lifted", "Sustain pedal pressed")
    assert pedal(desk)[-1] == (2 * BAR + 960, 0)


def test_pressed_by_one_key_over_a_span_and_over_chosen_notes(desk: Desk) -> None:
    desk.open(short_notes())
    desk.span(2, 3)
    desk.press("k")
    desk.button("Keep").click()
    desk.expect_strokes("Sustain pedal pressed")
    assert pedal(desk) == [(0, 0), (BAR, 127), (2 * BAR, 0)]
    desk.press("Shift+k")
    desk.button("Keep").click()
    desk.expect_strokes("Sustain pedal pressed", "Sustain pedal lifted")
    assert all(value == 0 for _, value in pedal(desk))


def test_a_recorded_pedal_becomes_lengths_and_is_there_again_after_undo(desk: Desk) -> None:
    desk.open(the_lens_room())
    before, ringing = heard(desk), tails(desk)
    assert len(ringing) > 30
    desk.act_on("cc:64")
    desk.button("Into lengths").click()
    expect(desk.page.get_by_role("region", name="Shape")).to_contain_text("notes grow, the longest to")
    desk.button("Keep").click()
    desk.expect_strokes("Pedal into lengths")
    assert not tails(desk)
    after = heard(desk)
    assert [one[:2] for one in after] == [one[:2] for one in before]
    assert max(abs(one[2] - other[2]) for one, other in zip(after, before, strict=True)) <= 1
    desk.button("Undo").click()
    desk.quiet()
    assert tails(desk) == ringing


def test_eight_bars_are_pedalled_by_their_harmony_and_one_change_is_moved(desk: Desk) -> None:
    desk.open(the_lens_room())
    desk.page.get_by_role("button", name="Thumb piano").first.click()
    desk.span(1, 9)
    desk.act_on("cc:64")
    desk.button("Follow harmony").click()
    expect(desk.page.get_by_role("region", name="Shape")).to_contain_text("Pressed 3 times.")
    desk.button("Keep").click()
    desk.expect_strokes("Pedal by the harmony")
    desk.button("Done").click()
    made = pedal(desk, 1)
    ups = lifts(made)
    # One change is moved by hand: it comes up a beat earlier.
    box = desk.page.locator("[data-lane='cc:64'] canvas").bounding_box()
    assert box
    y = box["y"] + box["height"] / 2
    desk.drag((desk.x_at(ups[0]), y), (desk.x_of(4, 4) + 1, y))
    desk.expect_strokes("Pedal by the harmony", "Sustain pedal lifted")
    moved = lifts(pedal(desk, 1))
    assert moved[0] == 4 * BAR - 960 and moved[1:] == ups[1:]


def test_where_there_is_depth_a_press_is_taken_deeper_or_less_deep(desk: Desk) -> None:
    desk.open(the_lens_room())
    desk.act_on("cc:64")
    before = pedal(desk)
    canvas = desk.page.locator("[data-lane='cc:64'] canvas").bounding_box()
    assert canvas
    x, y = desk.x_of(2, 3), canvas["y"] + canvas["height"] * 0.6
    desk.page.mouse.move(x, y)
    desk.expect_hint("pressed deeper")
    desk.drag((x, y), (x + 2, y + 20))
    expect(desk.strokes).to_have_count(1)
    after = pedal(desk)
    # All of the press in bar 2 is less deep by as much; the others are as they were.
    lower = {tick: old - new for (tick, old), (_, new) in zip(before, after, strict=True) if old != new}
    assert min(lower) > BAR and max(lower) < 2 * BAR
    most = max(lower.values())
    assert most > 5 and sum(one == most for one in lower.values()) > 0.8 * len(lower)


def level(sound: np.ndarray, start: float, end: float) -> float:
    piece = sound[int(start * RATE) : int(end * RATE)]
    return float(10 * np.log10((piece**2).mean() + 1e-12))


def one_note(*pedals: tuple[int, int, int], length: int = 240) -> bytes:
    """A note that is let go after a quarter of a second; pedals as (tick, controller, value)."""
    events = [(0, 2, M("note_on", note=60, velocity=90)), (length, 1, M("note_off", note=60))]
    events += [(tick, 0, M("control_change", control=number, value=value)) for tick, number, value in pedals]
    events.sort(key=lambda one: one[:2])
    now, told = 0, []
    for tick, _, message in events:
        told.append(message.copy(time=tick - now))
        now = tick
    return file_of([*told, M("note_on", note=20, velocity=1, time=1920), M("note_off", note=20, time=10)])


def test_pedal_and_lengths_sound_alike(desk: Desk) -> None:
    desk.open(the_lens_room())
    desk.keep({"kind": "pedal.switch", "where": {"parts": [0]}})
    with_pedal = render(desk, end=12.0, patch="reed box")
    desk.keep({"kind": "pedal.to_lengths", "where": {"parts": [0]}})
    with_lengths = render(desk, end=12.0, patch="reed box")
    for second in np.arange(0, 12, 0.5):
        one, other = (level(sound, second, second + 0.5) for sound in (with_pedal, with_lengths))
        assert abs(one - other) < 0.5 or max(one, other) < -60, second


def test_depth_damps_sostenuto_holds_and_soft_is_softer(desk: Desk) -> None:
    def late(*pedals: tuple[int, int, int], **more: Any) -> float:
        desk.open(one_note(*pedals, **more))
        return level(render(desk, end=1.5, patch="bowed glass"), 1.0, 1.4)

    let_go, deep, half = late(), late((0, 64, 127)), late((0, 64, 70))
    assert let_go + 6 < half < deep - 3
    # Sostenuto holds the key that is down as it is pressed; pressed before, it holds nothing.
    assert abs(late((100, 66, 127)) - deep) < 0.5
    assert abs(late((0, 66, 127)) - let_go) < 0.5
    assert late((0, 64, 127), (0, 67, 127)) < deep - 2

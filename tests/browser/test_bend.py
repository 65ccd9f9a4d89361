"""The wheel: drawn as pitch, with a range that is said, gestures on notes, and faults that are mended."""

import io
import math
import re

import mido
import numpy as np
import pytest
from playwright.sync_api import expect

from demo.fog_signal import the_bellows_room, the_lamp_room
from expression.receiver import receive
from tests.browser.desk import Desk
from tests.browser.test_lanes import LaneBox, add_lane
from tests.browser.test_sound import RATE, render
from tests.files import file_of, phrase

LINE = file_of(phrase([80] * 8))


def bends(data: bytes) -> list[mido.Message]:
    return [m for track in mido.MidiFile(file=io.BytesIO(data)).tracks for m in track if m.type == "pitchwheel"]


def parameters(data: bytes) -> list[tuple[int, int]]:
    tracks = mido.MidiFile(file=io.BytesIO(data)).tracks
    return [(m.control, m.value) for track in tracks for m in track
            if m.type == "control_change" and m.control in (6, 38, 98, 99, 100, 101)]  # fmt: skip


def heard(data: bytes, seconds: float) -> float:
    """Semitones that a receiver is bent by at a moment (120 quarters a minute)."""
    found = receive(data)
    (channel,) = found.channels.values()
    return float(channel.bend.at(seconds * 2 * found.division))


def test_a_line_drawn_to_the_octave_is_told_and_heard_after_one_click(desk: Desk) -> None:
    desk.open(LINE)
    lane = add_lane(desk, "bend", "bend")
    desk.press("d")
    box = lane.box
    top, middle = box["y"] + 24, box["y"] + 22 + (box["height"] - 31) / 2
    desk.page.keyboard.down("Shift")
    desk.drag((desk.x_of(1, 1), middle), (desk.x_of(1, 4), top))
    desk.page.keyboard.up("Shift")
    desk.expect_strokes("Pitch bend drawn 0 → 2")
    # By its number the end goes to the octave: drawn beyond the range, said, and kept with a wider one.
    where = {"parts": [0], "span": [0, 3840]}
    ramp = {"kind": "lane.ramp", "lane": "bend", "where": where, "start": 0, "end": 12}
    desk.keep(ramp)
    desk.act_on("bend")
    fault = desk.page.get_by_test_id("unplayed").filter(has_text="drawn 12.00 semitones away")
    fault.get_by_role("button", name="Set the range to 12").click()
    desk.expect_strokes("Pitch bend drawn 0 → 2", "Pitch bend 0 → 12", "Bend range 12")
    data = desk.download()
    assert parameters(data) == [(101, 0), (100, 0), (6, 12), (38, 0), (101, 127), (100, 127)]
    assert abs(heard(data, 1.99) - 12) < 0.1
    assert abs(heard(data, 1.0) - 6) < 0.1


def test_a_glide_between_notes_late_and_lazy_is_kept_with_the_range_it_needs(desk: Desk) -> None:
    notes = [*phrase([90], pitch=60), *phrase([90], pitch=67)]
    desk.open(file_of([message for message in notes if not message.is_meta]))
    desk.press("Control+a")
    desk.act_on("bend")
    desk.button("Glide").click()
    desk.entry("Leaves at").fill("0.8")
    desk.entry("Lift").fill("0.6")
    beyond = desk.page.get_by_test_id("beyond")
    expect(beyond).to_contain_text("Further than the wheel goes")
    beyond.get_by_role("button", name="Keep, with a range of 7").click()
    desk.expect_strokes("Glide", "Bend range 7")
    data = desk.download()
    ends = receive(data).notes[0].key_up / (2 * receive(data).division)
    for share in (0.3, 0.6, 0.9):
        drawn = 7 * math.expm1(8 * 0.6 * share) / math.expm1(8 * 0.6)
        # Two milliseconds lie between two events at least.
        assert abs(heard(data, ends * (0.8 + 0.2 * share)) - drawn) < 0.1 + 7 * 0.3 * share**4
    assert heard(data, ends * 0.75) == 0


def test_a_vibrato_grows_by_keys_alone(desk: Desk) -> None:
    desk.open(file_of([mido.Message("note_on", note=60, velocity=90), mido.Message("note_off", note=60, time=1920)]))
    desk.press("Control+a", "/")
    desk.page.get_by_label("What it does").fill("vibrato")
    desk.press("Enter")
    grows = desk.entry("Grows to ¢")
    grows.focus()
    grows.fill("100")
    desk.press("Enter")
    desk.expect_strokes("Shake 5.5 Hz, ±30 → 100 cents")
    values = [abs(message.pitch) for message in bends(desk.download())]
    early, late = max(values[: len(values) // 4]), max(values[-len(values) // 4 :])
    assert late > 1.8 * early


def test_a_wheel_that_never_comes_home_is_told_and_mended(desk: Desk) -> None:
    desk.open(the_lamp_room())
    lane = LaneBox(desk, "bend")
    lane.row.locator("canvas").hover()
    expect(desk.page.get_by_test_id("hint")).to_contain_text("semitones")
    desk.act_on("bend")
    fault = desk.page.get_by_test_id("unplayed").filter(has_text="never comes home")
    fault.get_by_role("button", name="Bring it home").click()
    desk.expect_strokes("Wheel home in the rests")
    assert bends(desk.download())[-1].pitch == 0


def semitone_y(lane: LaneBox, value: float, reach: float) -> float:
    """Where a bend lies on a lane that is drawn between `reach` semitones either way."""
    box = lane.box
    return box["y"] + 22 + (reach - value) / (2 * reach) * (box["height"] - 31)


def pitch_at(sound: np.ndarray, seconds: float, near: float) -> float:
    """The pitch of a sound about a moment, as a (broken) note number: the peak of its spectrum near an expected one."""
    window = sound[int((seconds - 0.2) * RATE) : int((seconds + 0.2) * RATE)]
    size = 2**19
    spectrum = np.abs(np.fft.rfft(window * np.hanning(len(window)), size))
    hertz = 440 * 2 ** ((near - 69) / 12)
    low, high = (int(hertz * factor * size / RATE) for factor in (0.94, 1.06))
    peak = low + int(np.argmax(spectrum[low:high]))
    return float(69 + 12 * np.log2(peak * RATE / size / 440))


def test_drawn_by_hand_to_the_octave_with_a_range_of_2_it_is_told_widened_and_heard(desk: Desk) -> None:
    held = mido.Message("note_on", note=57, velocity=100)
    desk.open(file_of([held, mido.Message("note_off", note=57, time=8 * 480)]))
    lane = add_lane(desk, "bend", "bend")
    canvas = lane.row.locator("canvas")
    # From afar there is room for an octave: the scale goes as far as it is asked to.
    canvas.hover()
    desk.page.keyboard.down("Alt")
    for _ in range(8):
        desk.page.mouse.wheel(0, 100)
    desk.page.keyboard.up("Alt")
    desk.press("d")
    box = lane.box
    desk.page.mouse.move(desk.x_of(2, 1), box["y"] + 30)
    expect(desk.page.get_by_test_id("hint")).to_contain_text(re.compile(r"here \+\d+\.\d\d semitones, "))

    def shown(y: float) -> float:
        desk.page.mouse.move(desk.x_of(2, 1), y)
        desk.page.wait_for_timeout(50)
        found = re.search(r"here (.)(\d+\.\d+)", desk.hint())
        assert found
        return float(found[2]) * (1 if found[1] == "+" else -1)

    top, bottom = shown(box["y"] + 30), shown(box["y"] + 100)
    octave = box["y"] + 30 + (top - 12) / (top - bottom) * 70
    centre = box["y"] + 30 + top / (top - bottom) * 70
    assert top > 12 > bottom
    desk.page.keyboard.down("Shift")
    desk.drag((desk.x_of(1, 1), centre), (desk.x_of(1, 4), octave))
    desk.page.keyboard.up("Shift")
    # A straight line comes to a note, not near it.
    desk.expect_strokes("Pitch bend drawn 0 → 12")
    beyond = desk.page.get_by_test_id("beyond")
    expect(beyond).to_contain_text("Further than the wheel goes")
    beyond.get_by_role("button", name="Keep, with a range of 12").click()
    desk.expect_strokes("Pitch bend drawn 0 → 12", "Bend range 12")
    data = desk.download()
    assert abs(heard(data, 0.75) - 6) < 0.03
    sound = render(desk, end=4.0)
    assert abs(pitch_at(sound, 3.0, 69) - 69) < 0.05


@pytest.mark.parametrize("semitones", [2, 12, 48])
def test_held_bends_sound_at_the_pitch_they_are_drawn_at(desk: Desk, semitones: int) -> None:
    bend = 1.5 if semitones == 2 else 5.37 if semitones == 12 else 17.63
    desk.open(file_of([mido.Message("note_on", note=57, velocity=100), mido.Message("note_off", note=57, time=3840)]))
    desk.keep({"kind": "bend.range", "semitones": semitones})
    where = {"parts": [0], "span": [0, 7680]}
    desk.keep({"kind": "lane.ramp", "lane": "bend", "where": where, "start": bend, "end": bend})
    desk.keep(
        {"kind": "lane.ramp", "lane": "bend", "where": {**where, "span": [3840, 7680]}, "start": -bend, "end": -bend}
    )
    sound = render(desk, end=4.0)
    assert abs(pitch_at(sound, 1.0, 57 + bend) - 57 - bend) < 0.05
    assert abs(pitch_at(sound, 3.0, 57 - bend) - 57 + bend) < 0.05
    # A play that follows another finds the range that this has left: what is in force is sent first all the same.
    again = render(desk, end=4.0, after=[0, 4.0])
    assert abs(pitch_at(again, 1.0, 57 + bend) - 57 - bend) < 0.05


def test_a_glide_sounds_without_steps(desk: Desk) -> None:
    """A step of pitch is a burst of noise far from the partials: a glide has no more of it than a held note."""
    desk.open(file_of([mido.Message("note_on", note=57, velocity=100), mido.Message("note_off", note=57, time=3840)]))
    desk.keep({"kind": "bend.range", "semitones": 12})
    still = render(desk, end=3.0)
    desk.keep({"kind": "lane.ramp", "lane": "bend", "where": {"parts": [0], "span": [0, 7680]}, "start": 0, "end": 4})
    moving = render(desk, end=3.0)

    def rough(sound: np.ndarray) -> float:
        cut = sound[RATE // 2 : 2 * RATE]
        spectrum = np.abs(np.fft.rfft(cut * np.hanning(len(cut)))) ** 2
        return float(10 * np.log10(spectrum[int(8000 * len(cut) / RATE) :].sum() / spectrum.sum()))

    assert rough(moving) < max(rough(still) + 6, -70)


def test_by_keys_a_node_goes_beyond_the_range_and_is_kept_with_a_wider_one(desk: Desk) -> None:
    desk.open(LINE)
    lane = add_lane(desk, "bend", "bend")
    lane.row.locator("canvas").focus()
    desk.press("Enter")
    desk.expect_strokes("Pitch bend to 0")
    desk.press("Shift+ArrowUp", "Shift+ArrowUp", "Shift+ArrowUp")
    desk.expect_strokes("Pitch bend to 3")
    wider = desk.page.get_by_role("button", name="Keep, with a range of 3")
    wider.focus()
    desk.press("Enter")
    desk.expect_strokes("Pitch bend to 3", "Bend range 3")
    assert abs(heard(desk.download(), 1.0) - 3) < 0.01


def test_the_lane_is_looked_at_closely_by_keys_and_all_of_it_again(desk: Desk) -> None:
    desk.open(LINE)
    lane = add_lane(desk, "bend", "bend")
    canvas = lane.row.locator("canvas")
    canvas.focus()
    desk.page.mouse.move(desk.x_of(1, 2), lane.box["y"] + 23)
    expect(desk.page.get_by_test_id("hint")).to_contain_text("here +1.9")
    desk.press("+", "+", "+", "+", "+", "+", "+", "+")
    desk.page.mouse.move(desk.x_of(1, 2) + 1, lane.box["y"] + 23)
    expect(desk.page.get_by_test_id("hint")).to_contain_text("here +0.05")
    desk.press("0")
    desk.page.mouse.move(desk.x_of(1, 2), lane.box["y"] + 23)
    expect(desk.page.get_by_test_id("hint")).to_contain_text("here +1.9")


def test_a_gesture_is_taken_by_its_grips_and_the_ribbon_bends_under_the_hand(desk: Desk) -> None:
    desk.open(file_of([mido.Message("note_on", note=60, velocity=90), mido.Message("note_off", note=60, time=1920)]))
    desk.press("Control+a")
    desk.act_on("bend")
    desk.button("Scoop").click()
    lane = LaneBox(desk, "bend")
    notes = desk.page.locator("canvas[aria-label^='Notes']").first
    desk.quiet()
    before = notes.screenshot()
    x, y = lane.grip("start")
    desk.drag((x, y), (x, semitone_y(lane, -1, 2)), release=False)
    expect(desk.entry("From (semitones)")).to_have_value("-1")
    desk.until(lambda: notes.screenshot() != before)
    desk.page.mouse.up()
    desk.expect_strokes("Scoop from −1")
    x, y = lane.grip("time")
    desk.drag((x, y), (desk.x_of(1, 3), y))
    expect(desk.entry("Time (beats)")).to_have_value("2")
    grip = lane.row.locator("[data-grip=lift]")
    grip.focus()
    desk.press("ArrowUp")
    expect(desk.entry("Lift")).not_to_have_value("0")


def test_a_drag_comes_to_notes_of_a_scale_or_wherever_alt_lets_it(desk: Desk) -> None:
    desk.open(file_of([mido.Message("note_on", note=60, velocity=90), mido.Message("note_off", note=60, time=1920)]))
    lane = add_lane(desk, "bend", "bend")
    desk.press("d")
    desk.page.mouse.click(desk.x_of(1, 2), semitone_y(lane, 1.1, 2))
    desk.expect_strokes("Pitch bend to 1")
    # In C minor there is no C sharp: the nearest is D.
    desk.press("Escape")
    desk.page.get_by_label("Drags to").select_option("scale")
    desk.page.get_by_label("Scale", exact=True).select_option("minor")
    desk.page.mouse.click(desk.x_of(1, 3), semitone_y(lane, 1.1, 2))
    desk.expect_strokes("Pitch bend to 1", "Pitch bend to 2")
    desk.press("Escape")
    desk.page.keyboard.down("Alt")
    desk.page.mouse.click(desk.x_of(1, 4), semitone_y(lane, -0.4, 2))
    desk.page.keyboard.up("Alt")
    expect(desk.strokes.last).to_contain_text(re.compile(r"Pitch bend to −0\.[34]\d?"))


def test_the_proof_says_where_the_bytes_are_off_and_goes_there(desk: Desk) -> None:
    desk.open(the_bellows_room())
    desk.act_on("bend")
    proof = desk.page.get_by_test_id("proof")
    expect(proof).to_contain_text("hears it exactly as it is drawn")
    desk.keep({"kind": "bend.fall", "end": -5, "time": 1.5, "where": {"notes": [[8, 8]]}})
    desk.act_on("bend")
    expect(proof).to_contain_text(re.compile(r"hears it \d{3}\.\d? cents|hears it \d{3} cents"))
    proof.get_by_role("button", name="at 9:4").click()
    fault = desk.page.get_by_test_id("unplayed").filter(has_text="no more than that is heard")
    fault.get_by_role("button", name="Set the range to 5").click()
    desk.button("Done").click()
    expect(proof).to_contain_text(re.compile(r"hears it [0-2](\.\d)? cents"))
    expect(desk.page.get_by_test_id("bend-range")).to_contain_text("Range ±5")


def test_a_range_that_is_too_narrow_is_refused_and_one_click_takes_the_least_that_would_do(desk: Desk) -> None:
    desk.open(LINE)
    desk.keep({"kind": "bend.scoop", "start": -5, "where": {"parts": [0]}})
    desk.act_on("bend")
    desk.button("Range").click()
    desk.entry("Semitones").fill("3")
    expect(desk.page.get_by_role("alert")).to_contain_text("a range of 5 at least keeps the sound")
    desk.button("Take 5").click()
    expect(desk.entry("Semitones")).to_have_value("5")
    desk.button("Keep").click()
    desk.expect_strokes("Scoop from −5", "Bend range 5")
    assert parameters(desk.download())[2] == (6, 5)


def test_an_instrument_that_is_set_by_hand_is_named_and_told_nothing(desk: Desk) -> None:
    desk.open(LINE)
    desk.press("Control+a")
    desk.act_on("bend")
    desk.button("Scoop").click()
    desk.button("Keep").click()
    desk.press("Escape")
    desk.button("Instrument").click()
    desk.page.get_by_role("radio", name="by hand").click()
    desk.button("Keep").click()
    desk.button("Done").click()
    expect(desk.page.get_by_test_id("by-hand")).to_contain_text("to 2 semitones by hand")
    assert parameters(desk.download()) == []


def test_what_acts_on_a_wheel_from_elsewhere_is_named_where_it_does(desk: Desk) -> None:
    desk.open(the_bellows_room())
    desk.page.get_by_role("button", name="Glass drone").first.click()
    desk.act_on("bend")
    expect(desk.page.get_by_test_id("in-force")).to_contain_text("bend from Drone's wheel at 2:1")
    expect(desk.page.get_by_test_id("in-force")).to_contain_text("reset (121) at 10:3")


def test_what_a_file_will_not_say_is_told_where_it_is_taken_and_mended_with_one_click(desk: Desk) -> None:
    desk.open(LINE)
    where = {"parts": [0], "span": [0, 3840]}
    desk.keep({"kind": "lane.ramp", "lane": "bend", "where": where, "start": 0, "end": 7})
    desk.download()
    notice = desk.page.get_by_role("status").filter(has_text="Not as drawn in this file")
    expect(notice).to_contain_text("Pitch bend is drawn 7.00 semitones away")
    notice.get_by_role("button", name="Set the range to 7").click()
    desk.expect_strokes("Pitch bend 0 → 7", "Bend range 7")
    assert abs(heard(desk.download(), 1.99) - 7) < 0.1

"""The wheel: drawn as pitch, with a range that is said, gestures on notes, and faults that are mended."""

import io
import math

import mido
from playwright.sync_api import expect

from demo.fog_signal import the_lamp_room
from expression.receiver import receive
from tests.browser.desk import Desk
from tests.browser.test_lanes import LaneBox, add_lane
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
    revision = desk.api("view")["history"]["revision"]
    desk.page.evaluate(
        """([id, body]) => fetch(`/api/takes/${id}/strokes`, {method: "POST", body: JSON.stringify(body),
            headers: {"Content-Type": "application/json",
                      "X-CSRFToken": document.cookie.match(/csrftoken=([^;]+)/)[1]}})""",
        [desk.take_id, {"revision": revision, "stroke": ramp}],
    )
    desk.reopen()
    desk.page.get_by_label("Lane that Shape acts on").select_option("bend")
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
    desk.page.get_by_label("Lane that Shape acts on").select_option("bend")
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
    desk.button("Keep").click()
    desk.expect_strokes("Shake 5.5 Hz, ±30 → 100 cents")
    values = [abs(message.pitch) for message in bends(desk.download())]
    early, late = max(values[: len(values) // 4]), max(values[-len(values) // 4 :])
    assert late > 1.8 * early


def test_a_wheel_that_never_comes_home_is_told_and_mended(desk: Desk) -> None:
    desk.open(the_lamp_room())
    lane = LaneBox(desk, "bend")
    lane.row.locator("canvas").hover()
    expect(desk.page.get_by_test_id("hint")).to_contain_text("semitones")
    desk.page.get_by_label("Lane that Shape acts on").select_option("bend")
    fault = desk.page.get_by_test_id("unplayed").filter(has_text="never comes home")
    fault.get_by_role("button", name="Bring it home").click()
    desk.expect_strokes("Wheel home in the rests")
    assert bends(desk.download())[-1].pitch == 0

"""Lanes by mouse: drawn, framed, swelled, cleaned, led in; and what is heard of it."""

from typing import Any

import mido
import numpy as np
import pytest
from playwright.sync_api import FloatRect, Locator, Page, expect

from demo.fog_signal import the_lamp_room, the_watch_room
from demo.hum import hummed
from expression.midi.read import read
from tests.browser.desk import Desk
from tests.browser.test_sound import RATE, render
from tests.expression.test_sound import tone, wav
from tests.files import events, file_of, phrase
from tests.lanes import BUMP, SLOW, wheel

BEAT = 960
PLAIN = file_of(phrase([64] * 16))


def with_wheel(values: Any, control: int = 1, gap: int = 24, start: int = 0, notes: int = 16) -> bytes:
    tracks = [mido.MidiTrack(phrase([64] * notes)), mido.MidiTrack(wheel(values, gap, start, control))]
    return file_of([message for message in mido.merge_tracks(tracks) if not message.is_meta])


class LaneBox:
    """An open lane, and where its values and beats lie."""

    def __init__(self, desk: Desk, key: str) -> None:
        self.desk, self.key = desk, key
        self.row: Locator = desk.page.locator(f"[data-lane='{key}']")
        if self.row.locator("[data-testid='frame'], span.rounded").count() == 0:
            self.row.get_by_role("button").first.click()
        self.row.locator("canvas").hover()

    @property
    def box(self) -> FloatRect:
        box = self.row.locator("canvas").bounding_box()
        assert box
        return box

    def y(self, value: float) -> float:
        box = self.box
        return box["y"] + 22 + (127 - value) / 127 * (box["height"] - 31)

    def grip(self, name: str) -> tuple[float, float]:
        grip = self.row.locator(f"[data-grip={name}]").bounding_box()
        assert grip
        return grip["x"] + grip["width"] / 2, grip["y"] + grip["height"] / 2


def add_lane(desk: Desk, words: str, key: str) -> LaneBox:
    desk.page.get_by_text("Add a lane …").click()
    desk.page.get_by_label("Lane by number or name").fill(words)
    desk.page.get_by_label("Lane by number or name").press("Enter")
    return LaneBox(desk, key)


def sent(data: bytes, control: int) -> list[tuple[int, int]]:
    return [
        (tick, message[2])
        for track in events(data)
        for tick, message in track
        if message[0] & 0xF0 == 0xB0 and message[1] == control
    ]


def test_a_rise_drawn_with_snap_on_has_no_stairs_in_the_file(desk: Desk) -> None:
    desk.open(PLAIN)
    lane = add_lane(desk, "74", "cc:74")
    desk.press("d")
    desk.page.keyboard.down("Shift")
    desk.drag((desk.x_of(1, 2), lane.y(16)), (desk.x_of(4, 3), lane.y(112)))
    desk.page.keyboard.up("Shift")
    desk.expect_strokes("Timbre drawn 16 → 112")
    found = sent(desk.download(), 74)
    assert {step for step in np.diff([value for _, value in found]).tolist() if step} == {1}
    assert (found[0][1], found[-1][1]) == (16, 112)


def test_freehand_becomes_few_nodes_and_a_click_puts_down_one(desk: Desk) -> None:
    desk.open(PLAIN)
    lane = add_lane(desk, "74", "cc:74")
    desk.press("d")
    left, right = desk.x_of(1, 3), desk.x_of(4)
    way = [(left + (right - left) * step / 40, lane.y(64 + 50 * np.sin(step / 40 * np.pi))) for step in range(41)]
    desk.page.mouse.move(*way[0])
    desk.page.mouse.down()
    for place in way:
        desk.page.mouse.move(*place)
    desk.page.mouse.up()
    expect(desk.strokes).to_have_count(1)
    (drawn,) = desk.api("lanes?part=0")["lanes"]
    assert 3 <= len(drawn["tick"]) <= 12
    assert max(drawn["value"]) == pytest.approx(114, abs=3)
    desk.page.mouse.click(desk.x_of(4, 3), lane.y(32))
    desk.expect_strokes("Timbre drawn", "Timbre to 32")
    # The key between the two states; and a click on a node opens its number.
    desk.press("d")
    desk.page.mouse.click(desk.x_of(4, 3), lane.y(32))
    expect(desk.entry("Value")).to_have_value("32")
    desk.entry("Value").fill("40")
    desk.entry("Value").press("Enter")
    expect(desk.strokes).to_have_count(3)
    assert desk.api("lanes?part=0")["lanes"][0]["value"][-1] == 40


def test_a_node_is_moved_and_a_way_is_pulled(desk: Desk) -> None:
    desk.open(PLAIN)
    lane = add_lane(desk, "74", "cc:74")
    desk.press("d")
    desk.page.keyboard.down("Shift")
    desk.drag((desk.x_of(1, 2), lane.y(16)), (desk.x_of(4), lane.y(112)))
    desk.page.keyboard.up("Shift")
    desk.expect_strokes("Timbre drawn")
    desk.press("d", "Escape")
    # Near a round value it is drawn to that; Alt lets go.
    desk.drag((desk.x_of(4), lane.y(112)), (desk.x_of(4), lane.y(95)))
    expect(desk.strokes).to_have_count(2)
    assert desk.api("lanes?part=0")["lanes"][0]["value"] == [16, 96]
    middle = (desk.x_of(1, 2) + desk.x_of(4)) / 2
    desk.press("Escape")
    desk.drag((middle, lane.y(56)), (middle, lane.y(30)))
    expect(desk.strokes).to_have_count(3)
    (lift,) = desk.api("lanes?part=0")["lanes"][0]["bent"]["lift"]
    assert lift > 0.2


def test_a_recorded_wheel_is_framed_and_bowed(page: Page, desk: Desk) -> None:
    desk.open(with_wheel(BUMP, gap=96))
    before = desk.api("lanes?part=0")["lanes"][0]
    lane = LaneBox(desk, "cc:1")
    desk.span(1, 3)
    expect(page.get_by_test_id("frame")).to_be_visible()
    x, y = lane.grip("bow")
    desk.drag((x, y), (x, y - 30))
    expect(desk.strokes).to_have_count(1)
    expect(desk.strokes.first).to_contain_text("Mod wheel: bow +")
    assert desk.number("Bow") > 20
    after = desk.api("lanes?part=0")["lanes"][0]
    assert max(after["value"]) > max(before["value"]) + 10
    # All grips act together in one stroke, and each can be typed.
    x, y = lane.grip("right")
    desk.drag((x, y), (x, y + 25))
    expect(desk.strokes.first).to_contain_text("lean 100–")
    desk.entry("Level").fill("5")
    desk.entry("Level").press("Enter")
    expect(desk.strokes.first).to_contain_text("level +5")
    expect(desk.strokes).to_have_count(1)
    desk.page.locator("[data-grip=drift]").focus()
    desk.press("ArrowRight")
    expect(desk.strokes.first).to_contain_text("drift +0.05")
    outside = [node for node in zip(np.cumsum(after["tick"]), after["value"], strict=True) if node[0] > 8 * BEAT]
    assert outside == [
        node for node in zip(np.cumsum(before["tick"]), before["value"], strict=True) if node[0] > 8 * BEAT
    ]


def test_a_swell_on_every_held_note(desk: Desk) -> None:
    desk.open(PLAIN)
    add_lane(desk, "pressure", "pressure")
    desk.button("On each note").click()
    expect(desk.entry("Delay (ms)")).to_have_value("80")
    desk.button("Keep").click()
    desk.expect_strokes("Channel pressure 0 → 90 → 0 on each note")
    (lane,) = desk.api("lanes?part=0")["lanes"]
    assert sum(value == 90 for value in lane["value"]) == 16


def test_flicker_is_found_and_taken_away_in_the_demo(page: Page, desk: Desk) -> None:
    desk.open(the_lamp_room())
    LaneBox(desk, "cc:1")
    found = page.get_by_test_id("unplayed")
    expect(found).to_contain_text("Mod wheel flickers between neighbouring values in bar 3")
    found.get_by_role("button", name="Show it").click()
    found.get_by_role("button", name="Take it away").click()
    desk.expect_strokes("Mod wheel: what nobody played is gone")
    expect(found).to_be_hidden()
    wheel_before = [value for _, value in sent(the_lamp_room(), 1)]
    assert len(sent(desk.download(), 1)) == len(wheel_before) - 17


def test_distilling_tells_what_it_saves_before_it_is_kept(page: Page, desk: Desk) -> None:
    desk.open(with_wheel(SLOW, gap=12))
    LaneBox(desk, "cc:1")
    desk.button("Distil").click()
    expect(page.get_by_test_id("saving")).to_contain_text("301 nodes become")
    assert desk.api("view")["history"]["strokes"] == []
    desk.button("Keep").click()
    desk.expect_strokes("Mod wheel distilled within 1")
    assert len(desk.api("lanes?part=0")["lanes"][0]["tick"]) < 40
    assert len(desk.api("before?part=0")["lanes"][0]["tick"]) == 301


def test_the_span_is_erased_and_all_is_cleared(desk: Desk) -> None:
    desk.open(with_wheel(BUMP, gap=96))
    LaneBox(desk, "cc:1")
    desk.span(1, 2)
    desk.press("Delete", "Enter")
    desk.expect_strokes("Mod wheel erased")
    assert min(np.cumsum(desk.api("lanes?part=0")["lanes"][0]["tick"])) >= 4 * BEAT
    desk.press("Escape", "Escape")
    desk.button("Erase all").click()
    desk.button("Keep").click()
    expect(desk.strokes).to_have_count(2)
    assert desk.api("lanes?part=0")["lanes"] == []


def centroid(sound: np.ndarray) -> float:
    spectrum = np.abs(np.fft.rfft(sound * np.hanning(len(sound))))
    return float((spectrum * np.fft.rfftfreq(len(sound), 1 / RATE)).sum() / spectrum.sum())


def test_without_a_lead_in_the_filter_stays_open_and_with_one_it_is_closed(page: Page, desk: Desk) -> None:
    """The timbre opens late; played again, the first notes find it open. Real gear does the same."""
    desk.open(with_wheel([20, 60, 127], control=74, gap=480, start=4 * 480))
    end = desk.api("view")["seconds"]

    def first_note(again: bool) -> float:
        more: dict[str, Any] = {"after": [0, end]} if again else {}
        return centroid(render(desk, end=1.0, patch="reed box", **more))

    fresh, left_over = first_note(False), first_note(True)
    assert left_over > 1.15 * fresh
    LaneBox(desk, "cc:74")
    expect(page.get_by_text("It has no value before the first note: the instrument starts")).to_be_visible()
    desk.button("As it begins").click()
    desk.expect_strokes("Timbre lead-in")
    expect(page.get_by_text("It has no value before the first note: the instrument starts")).to_be_hidden()
    closed = first_note(True)
    assert closed == pytest.approx(first_note(False), rel=0.01)
    assert closed < fresh


def test_a_route_makes_a_lane_move_something_in_the_synth(desk: Desk) -> None:
    desk.open(with_wheel([0, 127], control=20, gap=8 * 480))
    lane = LaneBox(desk, "cc:20")
    assert lane.key == "cc:20"
    plain = render(desk, patch="reed box")
    desk.page.get_by_label("Also move").select_option("level")
    desk.entry("level").fill("-1")
    desk.entry("level").press("Enter")
    desk.quiet()
    routes = desk.api("view")["arrangement"]["parts"]["0"]["routes"]
    assert routes == [{"lane": "cc:20", "target": "level", "amount": -1}]
    routed = render(desk, patch="reed box", routes=[routes])
    assert np.abs(routed[: 3 * RATE]).max() == pytest.approx(np.abs(plain[: 3 * RATE]).max(), rel=0.01)
    assert np.abs(routed[5 * RATE :]).max() < 0.05 * np.abs(plain[5 * RATE :]).max()


@pytest.mark.parametrize("patch", ["bowed glass", "frame drum"])
def test_the_other_patches_sound_and_grow_brighter_with_force(desk: Desk, patch: str) -> None:
    soft, hard = (render(desk.open(file_of(phrase([force] * 4))), end=2, patch=patch) for force in (25, 120))
    assert np.abs(hard).max() > 3 * np.abs(soft).max() > 0.001
    assert centroid(hard) > centroid(soft)


def test_the_wheel_shakes_and_pressure_swells(desk: Desk) -> None:
    def track(message: mido.Message) -> bytes:
        note = [mido.Message("note_on", note=69, velocity=64), mido.Message("note_off", note=69, time=1920)]
        return file_of([message, *note])

    still, shaken, pressed = (
        render(desk.open(track(message)), end=2, patch="bowed glass")
        for message in (
            mido.Message("control_change", control=1, value=0),
            mido.Message("control_change", control=1, value=127),
            mido.Message("aftertouch", value=127),
        )
    )

    def width(sound: np.ndarray) -> float:
        spectrum = np.abs(np.fft.rfft(sound * np.hanning(len(sound)))) ** 2
        near = np.abs(np.fft.rfftfreq(len(sound), 1 / RATE) - 440) < 60
        hertz = np.fft.rfftfreq(len(sound), 1 / RATE)[near]
        share = spectrum[near] / spectrum[near].sum()
        return float(np.sqrt((share * (hertz - (share * hertz).sum()) ** 2).sum()))

    assert width(shaken) > 2 * width(still)
    assert (pressed**2).mean() > 1.5 * (still**2).mean()
    assert centroid(pressed) > centroid(still)


def test_bad_lanes_do_not_reach_the_file(desk: Desk) -> None:
    assert read(PLAIN).parts[0].lanes == {}
    desk.open(PLAIN)
    add_lane(desk, "74", "cc:74")
    desk.button("Wave").click()
    desk.entry("Rate").fill("0")
    expect(desk.page.get_by_role("alert")).to_contain_text("Rate must be a number above 0, at most 200, not 0")
    expect(desk.button("Keep")).to_be_disabled()
    desk.button("Cancel").click()
    desk.button("Smooth").click()
    expect(desk.page.get_by_role("alert")).to_contain_text("No part that the stroke names has a lane cc:74")
    assert desk.api("view")["history"]["strokes"] == []


def test_a_loudness_is_traced_from_a_sound_beside_the_take(page: Page, desk: Desk) -> None:
    desk.open(PLAIN)
    add_lane(desk, "11", "cc:11")
    page.get_by_label("Load a WAV …").set_input_files(
        {"name": "broken.wav", "mimeType": "audio/wav", "buffer": b"RIFF no sound"}
    )
    expect(page.get_by_role("alert")).to_contain_text("This is not a WAV file that can be read")
    swell = tone(4.0) * np.sin(np.pi * np.arange(4 * 44_100) / (4 * 44_100))
    page.get_by_label("Load a WAV …").set_input_files(
        {"name": "Foghorn.wav", "mimeType": "audio/wav", "buffer": wav(swell)}
    )
    expect(page.get_by_text("Foghorn.wav, 4.0 s")).to_be_visible()
    expect(page.get_by_label("Heard", exact=True)).to_be_checked()
    desk.entry("Begins (s)").fill("1")
    desk.entry("Begins (s)").press("Enter")
    desk.button("Loudness to this lane").click()
    desk.button("Keep").click()
    desk.expect_strokes("Expression drawn")
    (lane,) = desk.api("lanes?part=0")["lanes"]
    ticks = np.cumsum(lane["tick"])
    loudest = int(np.argmax(lane["value"]))
    # The middle of the sound: 1 s + 2 s, at 120 a minute six quarters in.
    assert ticks[loudest] == pytest.approx(6 * BEAT, abs=BEAT)
    assert len(ticks) < 60
    desk.reopen()
    expect(page.locator("[data-lane='cc:11']")).to_be_visible()
    assert desk.api("sound")["offset"] == 1


def test_a_hum_becomes_bends(page: Page, desk: Desk) -> None:
    desk.open(the_watch_room(), "watch.mid")
    add_lane(desk, "bend", "bend")
    page.get_by_label("Load a WAV …").set_input_files({"name": "hum.wav", "mimeType": "audio/wav", "buffer": hummed()})
    expect(page.get_by_text("hum.wav, 22.3 s")).to_be_visible()
    desk.button("Follow its pitch, brightness and attacks").click()
    expect(desk.button("Pitch to the wheel")).to_be_visible()
    desk.button("Pitch to the wheel").click()
    desk.button("Keep").click()
    desk.expect_strokes("Pitch bend drawn")
    desk.quiet()
    (lane,) = (one for one in desk.api("lanes?part=0")["lanes"] if one["key"] == "bend")
    assert min(lane["value"]) < -0.3
    desk.button("Done").click()
    desk.button("Notes to its attacks").click()
    desk.button("Keep").click()
    expect(desk.strokes).to_have_count(2)
    expect(desk.strokes.last).to_contain_text("Notes onto attacks")


def test_a_frame_over_several_lanes_and_parts(desk: Desk) -> None:
    tracks = [
        [
            *wheel([40, 50], channel=channel),
            *wheel([60, 70], control=11, channel=channel),
            *phrase([64] * 8, channel=channel),
        ]
        for channel in (0, 1)
    ]
    desk.open(file_of(*tracks)).press("a")
    LaneBox(desk, "cc:1")
    desk.button("Frame").click()
    shape = desk.page.get_by_role("region", name="Shape")
    shape.get_by_role("radio", name="all in front").click()
    shape.get_by_role("radio", name="all 2").click()
    desk.entry("Level").fill("5")
    desk.button("Keep").click()
    desk.expect_strokes("2 lanes: level +5")
    for part in (0, 1):
        lanes = {lane["key"]: lane["value"] for lane in desk.api(f"lanes?part={part}")["lanes"]}
        assert lanes == {"cc:1": [45, 55], "cc:11": [65, 75]}


def test_numbers_that_may_be_left_empty(desk: Desk) -> None:
    desk.open(with_wheel([30], notes=16))
    LaneBox(desk, "cc:1")
    desk.span(2, 4)
    desk.button("Ramp").click()
    expect(desk.entry("Start")).to_have_attribute("placeholder", "as it is")
    expect(desk.entry("Start")).to_have_value("")
    desk.button("Keep").click()
    desk.expect_strokes("Mod wheel … → 100")
    desk.entry("Start").fill("50")
    desk.entry("Start").press("Enter")
    desk.expect_strokes("Mod wheel 50 → 100")
    desk.entry("Start").fill("")
    desk.entry("Start").press("Enter")
    desk.expect_strokes("Mod wheel … → 100")
    assert desk.api("lanes?part=0")["lanes"][0]["value"][:3] == [30, 30, 100]


def test_escape_lets_go_of_what_is_dragged(desk: Desk) -> None:
    desk.open(with_wheel([10, 60, 20, 90], gap=480))
    lane = LaneBox(desk, "cc:1")
    before = desk.api("lanes?part=0")["lanes"]
    desk.press("d")
    desk.drag((desk.x_of(1) + 4, lane.y(20)), (desk.x_of(2), lane.y(110)), release=False)
    expect(desk.page.get_by_text("Drawnnew")).to_be_visible()
    desk.press("Escape")
    desk.page.mouse.move(desk.x_of(2) + 30, lane.y(100), steps=3)
    desk.page.mouse.up()
    expect(desk.page.get_by_text("Drawnnew")).to_be_hidden()
    desk.press("d")
    desk.span(1, 2)
    desk.drag(lane.grip("level"), (lane.grip("level")[0], lane.y(100)), release=False)
    expect(desk.page.get_by_text("Framenew")).to_be_visible()
    desk.press("Escape")
    desk.page.mouse.move(desk.x_of(2), lane.y(5), steps=3)
    desk.page.mouse.up()
    expect(desk.page.get_by_text("Framenew")).to_be_hidden()
    desk.quiet()
    assert desk.api("lanes?part=0")["lanes"] == before
    assert desk.api("view")["history"]["can_undo"] == 0

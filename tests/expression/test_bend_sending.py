"""How bends are sent: as near as is asked for, to instruments that are told their range and to others; the proof."""

import io
import itertools
from typing import Any

import mido
import numpy as np
import pytest

from demo.fog_signal import STROKES, the_bellows_room
from expression.errors import NothingMatched, Refused
from expression.history import applied
from expression.midi.playback import stream
from expression.midi.read import read
from expression.midi.write import write
from expression.receiver import receive
from expression.strokes import parse_stroke
from expression.take import Take
from expression.views.bend_faults import beyond
from expression.views.contours import tried_contours
from expression.views.faults import faults
from expression.views.page import in_force
from expression.views.proof import proof
from tests.files import file_of
from tests.judging.hearing import Hearing
from tests.judging.strokes import stroke_of, tried
from tests.judging.takes import recording

M = mido.Message
NOTE = [M("note_on", note=60, velocity=90), M("note_off", note=60, time=1920)]
SCOOP = {"kind": "bend.scoop", "start": -12, "time": 1, "lift": 0.9}


def shaped(take: Take, *strokes: dict[str, Any]) -> Take:
    for stroke in strokes:
        take = applied(parse_stroke(stroke), take)
    return take


def scooped(*more: dict[str, Any]) -> Take:
    """A scoop of an octave, steeper and steeper."""
    return shaped(read(file_of(NOTE)), {"kind": "bend.range", "semitones": 12}, SCOOP, *more)


def furthest_off(take: Take) -> float:
    """Semitones between the formula of the scoop (DESIGN 4) and what a receiver hears, at any tick of it."""
    found = receive(write(take))
    (channel,) = found.channels.values()
    ticks = np.arange(1, take.resolution)
    drawn = -12 + 12 * np.expm1(8 * 0.9 * ticks / take.resolution) / np.expm1(8 * 0.9)
    return float(np.abs(channel.bend.at(ticks * found.division / take.resolution) - drawn).max())


def wheel_seconds(take: Take) -> np.ndarray:
    """When the wheel is sent (120 quarters a minute)."""
    file = mido.MidiFile(file=io.BytesIO(write(take)))
    ticks = itertools.accumulate(message.time for message in file.tracks[0])
    kinds = [message.type for message in file.tracks[0]]
    return np.array([t / file.ticks_per_beat / 2 for t, kind in zip(ticks, kinds, strict=True) if kind == "pitchwheel"])


class TestStream:
    def test_what_is_heard_is_never_further_off_than_3_cents_however_steep(self) -> None:
        assert furthest_off(scooped()) <= 0.03
        # Where it is not steep, two milliseconds lie between two events.
        assert np.diff(wheel_seconds(scooped()))[:30].min() >= 0.002 - 1e-9

    @pytest.mark.parametrize("cents", [1, 5, 20, 100])
    def test_a_thinner_stream_keeps_its_cents_and_has_no_more_messages_than_it_needs(self, cents: float) -> None:
        thin = scooped({"kind": "bend.stream", "cents": cents})
        assert furthest_off(thin) <= cents / 100
        # Each message says a pitch that is good for twice the cents; a few more are nodes.
        assert len(wheel_seconds(thin)) <= 1.1 * 1200 / (2 * cents) * 1.1 + 4

    def test_so_many_messages_a_second_and_no_more(self) -> None:
        often, seldom = scooped(), scooped({"kind": "bend.stream", "per_second": 50})
        assert np.diff(wheel_seconds(seldom))[:-1].min() >= 0.02 - 1e-9
        assert len(wheel_seconds(seldom)) <= 28 < len(wheel_seconds(often))
        (lane,) = proof(seldom, seldom.parts[0])["lanes"]
        assert lane["cents"] == pytest.approx(100 * furthest_off(seldom), abs=0.6)

    @pytest.mark.parametrize("said", [{}, {"cents": 5, "per_second": 50}, {"cents": 0}, {"per_second": 0}])
    def test_it_is_one_of_both(self, said: dict[str, Any]) -> None:
        with pytest.raises(Refused):
            parse_stroke({"kind": "bend.stream", **said})

    def test_a_recorded_wheel_is_sent_as_it_was(self) -> None:
        take = read(file_of([NOTE[0], M("pitchwheel", pitch=100, time=10), NOTE[1]]))
        with pytest.raises(NothingMatched, match="distil it first"):
            shaped(take, {"kind": "bend.stream", "cents": 5})

    def test_more_than_a_cable_carries_is_told_and_thinned(self) -> None:
        shake = {"kind": "bend.shake", "rate": 20, "depth": 1200}
        take = shaped(read(file_of(NOTE)), {"kind": "bend.range", "semitones": 24}, shake)
        (fault,) = [one for one in faults(take) if one["reason"] == "dense"]
        assert "bytes a second" in fault["says"] and fault["stroke"] is not None
        thinned = applied(fault["stroke"], take)
        assert "dense" not in [one["reason"] for one in faults(thinned)]
        seconds = wheel_seconds(thinned)
        assert 3 * np.histogram(seconds, np.arange(0, 2, 0.25))[0].max() * 4 <= 3125


KINDS = ("bend.scoop", "bend.fall", "bend.dip", "bend.glide", "bend.shake", "lane.draw", "lane.ramp", "lane.nodes")


class TestRangesBeforeBends:
    @pytest.mark.parametrize("seed", range(24))
    def test_whatever_is_drawn_after_a_range_was_set_is_heard_with_it(self, seed: int) -> None:
        dice = np.random.default_rng([seed, 77])
        take: Take | None = read(recording(dice))
        assert take is not None
        span = sorted(int(tick) for tick in dice.integers(0, take.end, 2))
        for where in ({"parts": [0]}, {"parts": [0], "span": [span[0], span[1] + 1]}):
            range_ = {"kind": "bend.range", "semitones": int(dice.integers(13, 25)), "where": where}
            take = tried(take, range_) or take
        for _ in range(4):
            said = stroke_of(dice, str(dice.choice(KINDS)), take)
            said = {**said, "lane": "bend"} if said["kind"].startswith("lane.") else said
            take = tried(take, {**said, "where": {**said["where"], "parts": [0]}}) or take
        off, where_ = Hearing(take).off_drawn(0, "bend") if "bend" in take.parts[0].lanes else (0.0, 0)
        assert off <= 0.5 + 1e-6, f"{off * 6:.2f} cents off at {where_}"

    def test_messages_of_the_range_come_before_a_bend_that_was_drawn_later(self) -> None:
        later = [M("note_on", note=62, time=480), M("note_off", note=62, time=480)]
        take = shaped(read(file_of([*NOTE, *later])), {"kind": "bend.range", "semitones": 12, "gap_ms": 50})
        # With nothing on the wheel there is room from the start on; a scoop at the start leaves none.
        file = mido.MidiFile(file=io.BytesIO(write(shaped(take, SCOOP))))
        kinds = [m.type for m in file.tracks[0] if m.type in ("control_change", "pitchwheel")]
        assert kinds[:7] == ["control_change"] * 6 + ["pitchwheel"]
        assert "control_change" not in kinds[7:]
        (fault,) = [one for one in faults(shaped(take, SCOOP)) if one["reason"] == "crowded"]
        assert "In bar 1" in fault["says"]

    @pytest.mark.parametrize("seed", range(12))
    def test_another_range_moves_what_was_recorded_by_less_than_a_cent_anywhere(self, seed: int) -> None:
        dice = np.random.default_rng([seed, 78])
        ticks = np.unique(dice.integers(1, 1900, 60))
        wheel = np.clip(np.cumsum(dice.normal(0, 1500, len(ticks))), -8192, 8191).astype(int)
        told = [M("pitchwheel", pitch=int(pitch)) for pitch in wheel]
        gaps = np.diff(ticks, prepend=0)
        moves = [one.copy(time=int(gap)) for one, gap in zip(told, gaps, strict=True)]
        take = read(file_of([NOTE[0], *moves, M("note_off", note=60, time=200)]))
        span = sorted(int(tick) for tick in dice.integers(0, 3800, 2))
        made = shaped(take, {"kind": "bend.range", "semitones": 12, "where": {"span": [span[0], span[1] + 1]}})
        (was,), (now,) = (receive(write(one)).channels.values() for one in (take, made))
        assert made.parts[0].bend_range.semitones.max() == 12
        at = np.arange(int(ticks[0]), 1900, 0.5)
        assert np.abs(now.bend.at(at * receive(write(made)).division / 480) - was.bend.at(at)).max() < 0.01


class TestInstrument:
    def test_one_that_is_set_by_hand_is_told_nothing_and_hears_the_same(self) -> None:
        take = scooped({"kind": "bend.instrument", "range_by": "hand"})
        file = mido.MidiFile(file=io.BytesIO(write(take)))
        assert not [m for m in file.tracks[0] if m.type == "control_change"]
        # Its own range is set to the one that the page names: the wheel says the same pitch with it.
        assert take.parts[0].bend_range.semitones.tolist() == [12]
        (channel,) = receive(write(take)).channels.values()
        assert channel.wheel.values[0] / 8192 * 12 == pytest.approx(-12)
        # The practice synth has no knob: it is told in its place.
        told = stream(take)
        assert told.data1[:6].tolist() == [101, 100, 6, 38, 101, 100]
        assert told.data2[:3].tolist() == [0, 0, 12]

    def test_its_range_is_one_for_the_whole_take(self) -> None:
        take = scooped({"kind": "bend.instrument", "range_by": "hand"})
        with pytest.raises(NothingMatched, match="set by hand"):
            shaped(take, {"kind": "bend.range", "semitones": 24, "where": {"span": [960, 1920]}})
        assert shaped(take, {"kind": "bend.range", "semitones": 24}).parts[0].bend_range.semitones.tolist() == [24]

    def test_recorded_ranges_are_not_sent_to_it_either(self) -> None:
        said = [M("control_change", control=n, value=v) for n, v in ((101, 0), (100, 0), (6, 7))]
        take = read(file_of([*said, M("pitchwheel", pitch=4096), *NOTE]))
        assert take.parts[0].bend_range.semitones.tolist() == [7]
        made = shaped(take, {"kind": "bend.instrument", "range_by": "hand"})
        file = mido.MidiFile(file=io.BytesIO(write(made)))
        assert not [m for m in file.tracks[0] if m.type == "control_change"]
        again = shaped(made, {"kind": "bend.instrument"})
        (channel,) = receive(write(again)).channels.values()
        assert float(channel.bend.at(960)) == pytest.approx(3.5, abs=0.01)

    def test_it_is_given_no_range_that_it_has_not(self) -> None:
        take = shaped(read(file_of(NOTE)), {"kind": "bend.instrument", "largest": 7})
        with pytest.raises(NothingMatched, match="no further than 7") as refused:
            shaped(take, {"kind": "bend.range", "semitones": 12})
        assert refused.value.offer == {"semitones": 7}
        late = scooped({"kind": "bend.instrument", "largest": 7})
        (fault,) = [one for one in faults(late) if one["reason"] == "unable"]
        assert "goes no further than 7" in fault["says"]


class TestWhatIsOdd:
    def test_a_value_before_its_parameter_is_told_and_mended(self) -> None:
        wrong = [M("control_change", control=n, value=v) for n, v in ((6, 12), (101, 0), (100, 0), (101, 127))]
        take = read(file_of([*wrong, NOTE[0], M("pitchwheel", pitch=8191, time=480), NOTE[1]]))
        assert take.parts[0].bend_range.semitones.tolist() == [2]
        (fault,) = [one for one in faults(take) if one["reason"] == "wrong order"]
        assert "the value 12 comes before any parameter" in fault["says"] and fault["stroke"] is not None
        made = applied(fault["stroke"], take)
        assert "wrong order" not in [one["reason"] for one in faults(made)]
        (channel,) = receive(write(made)).channels.values()
        assert float(channel.bend.at(10_000)) == pytest.approx(12, abs=0.01)

    def test_a_data_entry_without_a_parameter_changes_nothing_and_stays_in_the_file(self) -> None:
        data = file_of([M("control_change", control=6, value=24), *NOTE])
        take = read(data)
        assert take.parts[0].bend_range.semitones.tolist() == [2]
        assert write(take) == data

    def test_a_file_that_changes_its_range_in_the_middle_of_a_bend_is_drawn_as_it_is_heard(self) -> None:
        said = [M("control_change", control=n, value=v) for n, v in ((101, 0), (100, 0), (6, 12))]
        said[0] = said[0].copy(time=480)
        take = read(file_of([NOTE[0], M("pitchwheel", pitch=4096), *said, NOTE[1]]))
        assert take.parts[0].lanes["bend"].curve.at([0, 959, 960, 1500]).tolist() == [1, 1, 6, 6]

    def test_two_parts_of_a_channel_have_one_range_and_each_says_whose_it_is(self) -> None:
        file = mido.MidiFile(file=io.BytesIO(file_of(NOTE)))
        for name, semitones in (("low", 5), ("high", 7)):
            said = [M("control_change", control=n, value=v) for n, v in ((101, 0), (100, 0), (6, semitones))]
            track = [
                mido.MetaMessage("track_name", name=name),
                *said,
                M("note_on", note=40),
                M("note_off", note=40, time=99),
            ]
            file.tracks.append(mido.MidiTrack([*track, M("pitchwheel", pitch=4096, time=9)]))
        out = io.BytesIO()
        file.save(file=out)
        take = read(out.getvalue())
        assert {part.bend_range.semitones[-1] for part in take.parts} == {7}
        assert "range from high" in [one["what"] for one in in_force(take, take.parts[1])]

    def test_a_bend_drawn_where_no_note_sounds_is_sent_all_the_same(self) -> None:
        draw = {"kind": "lane.draw", "lane": "bend", "points": [[4000, 0], [4900, 2], [5800, 0]], "tolerance": 0,
                "where": {"parts": [0]}}  # fmt: skip
        later = [M("note_on", note=62, time=1920), M("note_off", note=62, time=480)]
        take = shaped(read(file_of([*NOTE, *later])), draw)
        (channel,) = receive(write(take)).channels.values()
        assert float(np.abs(channel.bend.values).max()) == pytest.approx(2, abs=0.01)

    @pytest.mark.parametrize("limit", ["pin", "stop", "squeeze"])
    def test_a_frame_that_lifts_a_bend_beyond_its_range_does_not_cut_it_off(self, limit: str) -> None:
        take = read(
            file_of([NOTE[0], M("pitchwheel", pitch=4096, time=480), M("pitchwheel", pitch=0, time=480), NOTE[1]])
        )
        made = shaped(take, {"kind": "lane.reshape", "lane": "bend", "level": 4, "limit": limit})
        assert made.parts[0].lanes["bend"].curve.values.max() == pytest.approx(5)
        (fault,) = [one for one in faults(made) if one["reason"] == "beyond"]
        assert "drawn 5.00 semitones away" in fault["says"]

    def test_a_glide_across_a_rest_of_a_minute_is_a_tail_or_nothing(self) -> None:
        late = [M("note_on", note=64, time=120 * 480), M("note_off", note=64, time=480)]
        take = read(file_of([*NOTE, *late]))
        with pytest.raises(NothingMatched, match="let it glide as a tail"):
            shaped(take, {"kind": "bend.glide", "as": "one"})
        tail = shaped(take, {"kind": "bend.glide"}).parts[0].lanes["bend"].curve
        assert float(tail.at(3839)) == pytest.approx(4, abs=0.05)
        assert float(tail.at(120 * 960)) == 0


class TestOnThePage:
    def test_the_proof_says_how_far_and_where_the_bytes_are_off(self) -> None:
        take = shaped(read(file_of(NOTE)), {"kind": "bend.scoop", "start": -5, "time": 1})
        found = proof(take, take.parts[0])
        (lane,) = found["lanes"]
        # Two semitones of five are heard at the start.
        assert lane["tick"] == 0 and lane["cents"] == pytest.approx(300, abs=0.1)
        assert lane["steps"] == pytest.approx(3 * 8192 / 2, abs=1)
        assert lane["elsewhere"] is not None and lane["elsewhere"] <= 3
        wide = shaped(take, {"kind": "bend.range", "semitones": 5})
        (lane,) = proof(wide, wide.parts[0])["lanes"]
        assert lane["cents"] is not None and lane["cents"] <= 3
        seconds = wheel_seconds(wide)
        assert lane["messages"] == len(seconds)
        busiest = max(int(((seconds >= at) & (seconds < at + 1)).sum()) for at in seconds)
        assert lane["bytes_a_second"] == 3 * busiest

    def test_shapes_of_notes_in_sight_are_told_as_a_stroke_would_have_them(self) -> None:
        take = read(file_of([*NOTE, *NOTE, *NOTE]))
        made = shaped(take, {"kind": "bend.fall", "end": -2, "time": 1, "lift": 0.5})
        (told,) = tried_contours(take, made, 4000, 7000)
        assert (told["part"], told["first"], len(told["contour"]["count"])) == (0, 1, 1)
        ends = dict(zip(told["contour"]["tick"], told["contour"]["bend"], strict=True))
        # Half way the form has gone expm1(2) / expm1(4) of the two semitones, not half of them.
        half = next(bend for tick, bend in ends.items() if tick == 3840 - 480)
        assert half == pytest.approx(-200 * np.expm1(2) / np.expm1(4), abs=1)
        assert tried_contours(take, take, 0, 9999) == []

    def test_of_a_bend_that_goes_too_far_the_first_place_is_told_and_what_holds_it(self) -> None:
        take = read(file_of([*NOTE, *NOTE, *NOTE]))
        far = {"kind": "bend.fall", "end": -5, "time": 1, "where": {"span": [3840, 11_520]}}
        told = beyond(take, shaped(take, far), 0)
        assert told and told["spans"] == [(7680, 7681)] and told["mend"] == "Keep, with a range of 5"
        # What went too far before is no news.
        assert beyond(shaped(take, far), shaped(take, far), 0) is None

    def test_shapes_seen_from_afar_are_told_by_half_pixels_and_lie_on_the_same_curve(self) -> None:
        take = read(file_of([*NOTE, *NOTE, *NOTE]))
        made = shaped(take, {"kind": "bend.fall", "end": -2, "time": 1, "lift": 0.5})
        # A fall takes 960 ticks: of half pixels 192, four, and less than one.
        for until, within in ((10_000, 7), (480_000, 3), (2_000_000, 0)):
            shape = tried_contours(take, made, 0, until)[0]["contour"]
            first = slice(shape["count"][0])
            way = dict(zip(shape["tick"][first], shape["bend"][first], strict=True))
            assert sum(tick > 2880 for tick in way) == within
            for tick, bend in way.items():
                along = max((tick - 2880) / 960, 0)
                assert bend == pytest.approx(-200 * np.expm1(4 * along) / np.expm1(4), abs=1), tick

    @pytest.mark.parametrize(
        ("said", "fields"),
        [
            ({"kind": "bend.scoop"}, {"start": (0, -2), "lift": None, "time": (240, 0)}),
            ({"kind": "bend.fall"}, {"time": (3360, 0), "lift": None, "end": (3840, -2)}),
            ({"kind": "bend.dip"}, {"lift": None, "depth": (1920, -1), "time": (2160, 0)}),
            ({"kind": "bend.shake", "delay": 1}, {"delay": (960, 0), "depth": None, "settle": None}),
        ],
    )
    def test_grips_lie_on_the_gesture_and_move_its_numbers(self, said: dict[str, Any], fields: dict[str, Any]) -> None:
        take = read(file_of(NOTE))
        stroke = parse_stroke(said)
        grips = {grip.field: grip for grip in stroke.grips(take)}
        assert set(grips) == set(fields)
        for field, place in fields.items():
            grip = grips[field]
            if place is not None:
                assert grip.tick == place[0] and grip.value == pytest.approx(place[1], abs=1e-6)
            if grip.time and grip.time.field == field:
                # Dragged half a beat on, its number is that of the stroke which would have the grip there.
                moved = (grip.tick + 480 - grip.time.origin) / grip.time.unit
                if moved > 0:
                    at = {one.field: one for one in parse_stroke({**said, field: moved}).grips(take)}[field].tick
                    assert abs(at - grip.tick - 480) <= 90
        line = stroke.line(take)
        assert line and line == sorted(line)

    def test_a_way_is_formed_to_pass_where_its_grip_is_dragged_to(self) -> None:
        take = read(file_of(NOTE))
        scoop = parse_stroke({"kind": "bend.scoop", "start": -2, "time": 2}).fitted(take, 960, -1.5)
        made = applied(scoop, take).parts[0].lanes["bend"].curve
        assert float(made.at(960)) == pytest.approx(-1.5, abs=0.01)

    def test_every_fault_of_a_wheel_is_somewhere_in_the_demo(self) -> None:
        take = shaped(read(the_bellows_room()), *STROKES["The fog signal: the bellows room"])
        reasons = {one["reason"] for one in faults(take)}
        assert {"beyond", "unstated", "wrong order", "never home", "out in a rest", "off centre"} <= reasons
        acting = [one["what"] for part in take.parts for one in in_force(take, part)]
        assert {"reset (121)", "bend from Drone's wheel"} <= set(acting)

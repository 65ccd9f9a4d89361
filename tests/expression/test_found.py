"""What a look from outside has found on real recordings, each as the smallest case: judged by the receiver."""

from typing import Any, ClassVar

import mido
import numpy as np
import pytest

from expression.curve import Curve, form
from expression.errors import BadStroke, NothingMatched
from expression.history import History, Shaped, shape
from expression.midi.emit import emit
from expression.midi.playback import listen, message_bytes, stream
from expression.midi.read import read
from expression.midi.write import write
from expression.receiver import Channel, receive
from expression.sounding import sounding
from expression.strokes import parse_stroke
from expression.take import Take
from expression.views.faults import faults
from expression.views.strokes import mark
from tests.files import NOTE, events, file_of, phrase

BEAT = 960


def control(number: int, value: int, time: int = 0, channel: int = 0) -> mido.Message:
    return NOTE("control_change", control=number, value=value, time=time, channel=channel)


def bend(semitones: float, time: int = 0, size: float = 2.0) -> mido.Message:
    return NOTE("pitchwheel", pitch=round(semitones / size * 8192), time=time)


def ranged(semitones: int, time: int = 0) -> list[mido.Message]:
    return [control(101, 0, time), control(100, 0), control(6, semitones), control(38, 0)]


def taken(*tracks: Any) -> Take:
    """A take at 960 ticks a quarter, so that ticks of the file and of the take are the same."""
    return read(file_of(*tracks, ticks=BEAT))


def after(take: Take, *strokes: dict[str, Any]) -> Take:
    return shape(take, [parse_stroke(one) for one in strokes])


def curve_of(take: Take, key: str, part: int = 0) -> Curve:
    return take.parts[part].lanes[key].curve


def heard(take: Take, channel: int = 0) -> Channel:
    return receive(write(take)).channels[0, channel]


def sent(take: Take, number: int) -> list[tuple[int, int]]:
    return [(tick, data[2]) for tick, data in events(write(take))[0] if data[0] & 0xF0 == 0xB0 and data[1] == number]


def assert_heard_as_drawn(take: Take, key: str, part: int = 0) -> None:
    """Within half a step (bend: 3 cents) of the drawing at every tick, but for what a time step forbids."""
    curve, channel = curve_of(take, key, part), heard(take, take.parts[part].channel.number)
    steps = channel.bend if key == "bend" else channel.controllers[int(key[3:])]
    at = np.arange(int(curve.ticks[0]), take.end + 1)
    near = [curve.at(np.maximum(at - back, curve.ticks[0])) for back in range(0, 24, 2)]
    got = steps.at(at)
    allowed = 0.03 if key == "bend" else 0.5
    assert (got <= np.max(near, axis=0) + allowed + 1e-6).all()
    assert (got >= np.min(near, axis=0) - allowed - 1e-6).all()


def wave(**more: Any) -> dict[str, Any]:
    return {"kind": "lane.wave", "lane": "cc:1", "rate": 1, "depth": 10, **more}


class TestSmooth:  # 1
    HELD = taken([control(1, 40), control(1, 100, 1920), control(1, 40, 1920), control(7, 1, 1920)])

    def test_what_is_held_stays_held(self) -> None:
        smooth = curve_of(after(self.HELD, {"kind": "lane.smooth", "lane": "cc:1"}), "cc:1")
        assert smooth.at([0, 1000, 1919, 1920, 3000, 3839, 3840, 5000]).tolist() == [40, 40, 40, 100, 100, 100, 40, 40]

    def test_a_wheel_that_came_home_rests_at_home(self) -> None:
        movement = [control(1, value, 24) for value in (10, 30, 60, 90, 74, 40, 12, 0)]
        smooth = curve_of(after(taken([control(1, 0), *movement]), {"kind": "lane.smooth", "lane": "cc:1"}), "cc:1")
        assert smooth.at(9999) == 0

    @pytest.mark.parametrize("width", [20, 80, 300])
    def test_it_looks_no_further_than_half_its_width_to_either_side(self, width: int) -> None:
        take = taken([control(1, 40), control(1, 60, 4800), control(1, 60, 4800)])
        smooth = curve_of(after(take, {"kind": "lane.smooth", "lane": "cc:1", "width": width}), "cc:1")
        half = round(width / 2 * 1.92)
        assert smooth.at(4800 - half - 2) == 40
        assert smooth.at(4800 + half + 2) == 60
        assert smooth.at([4800 - half // 2, 4800 + half // 2]) == pytest.approx([45, 55], abs=0.6)

    def test_a_drawn_ramp_makes_no_step(self) -> None:
        ramp = {"kind": "lane.ramp", "lane": "cc:1", "start": 0, "end": 100, "where": {"parts": [0], "span": [0, 9600]}}
        smooth = curve_of(after(self.HELD, ramp, {"kind": "lane.smooth", "lane": "cc:1"}), "cc:1")
        at = np.arange(0, 9500, 13)
        assert np.abs(smooth.at(at) - at / 96).max() < 0.3


class TestWave:  # 2
    DENSE = taken([control(1, value, 12) for value in ([20, 90, 33, 70, 101, 5] * 65)])

    def test_of_no_depth_it_changes_nothing_at_all(self) -> None:
        still = after(self.DENSE, wave(depth=0, mode="add", where={"parts": [0], "span": [0, 4000]}))
        assert write(still) == write(self.DENSE)

    def test_what_is_there_stays_under_it(self) -> None:
        waved = after(self.DENSE, wave(mode="add", where={"parts": [0], "span": [500, 4000]}))
        at = np.arange(500, 4000, 7)
        expected = curve_of(self.DENSE, "cc:1").at(at) + 10 * np.sin(2 * np.pi * (at - 500) / BEAT)
        assert np.abs(curve_of(waved, "cc:1").at(at) - expected.clip(0, 127)).max() < 0.126
        assert len(sent(waved, 1)) < 3 * len(sent(self.DENSE, 1))

    @pytest.mark.parametrize("mode", ["set", "add"])
    def test_before_the_first_value_it_ends_where_its_span_does(self, mode: str) -> None:
        take = taken([control(1, 99, 5000)])
        stroke = wave(mode=mode, where={"parts": [0], "span": [0, 960]})
        if mode == "add":
            with pytest.raises(NothingMatched):
                after(take, stroke)
            return
        assert [tick for tick, _ in sent(after(take, stroke), 1) if 960 < tick < 5000] == []

    def test_fade_in_and_depth_end_by_the_formula(self) -> None:
        take = taken([control(1, 64), control(7, 1, 20_000)])
        stroke = wave(depth=60, depth_end=4, fade_in=5, rate=3, where={"parts": [0], "span": [480, 15_000]})
        at = np.arange(480, 15_000, 11)
        depth = (60 - 56 * (at - 480) / 14_520) * np.clip((at - 480) / 4800, 0, 1)
        expected = 64 + depth * np.sin(2 * np.pi * (at - 480) / 2880)
        assert np.abs(curve_of(after(take, stroke), "cc:1").at(at) - expected).max() < 0.126

    def test_in_hertz_through_a_change_of_tempo(self) -> None:
        tempo = [mido.MetaMessage("set_tempo", tempo=300_000), mido.MetaMessage("set_tempo", tempo=900_000, time=3100)]
        take = taken(tempo, [control(1, 64), control(7, 1, 9000)])
        made = after(take, wave(depth=60, per="hz", rate=1.3, where={"parts": [0], "span": [100, 8000]}))
        at = np.arange(100, 8000, 9)
        seconds = np.where(at < 3100, at * 0.3 / 960, 3100 * 0.3 / 960 + (at - 3100) * 0.9 / 960) - 100 * 0.3 / 960
        assert np.abs(curve_of(made, "cc:1").at(at) - 64 - 60 * np.sin(2 * np.pi * 1.3 * seconds)).max() < 0.126


class TestFrame:  # 3
    RAMP: ClassVar = {
        "kind": "lane.ramp",
        "lane": "cc:1",
        "start": 0,
        "end": 100,
        "where": {"parts": [0], "span": [0, 9600]},
    }
    TAKE = taken([control(1, 0), control(7, 1, 12_000)])

    def framed(self, **grips: Any) -> Curve:
        where = {"parts": [0], "span": [2400, 7200]}
        return curve_of(
            after(self.TAKE, self.RAMP, {"kind": "lane.reshape", "lane": "cc:1", "where": where, **grips}), "cc:1"
        )

    def test_a_level_in_the_middle_of_a_ramp(self) -> None:
        curve = self.framed(level=20)
        assert curve.at([0, 2399, 2400, 4800, 7199, 7200, 9599]) == pytest.approx(
            [0, 24.99, 45, 70, 94.99, 75, 99.99], abs=0.01
        )

    def test_length_stretches_ways(self) -> None:
        curve = self.framed(length=0.5)
        assert curve.at([2400, 3600, 4799, 6000, 7200]) == pytest.approx([25, 50, 74.98, 75, 75], abs=0.03)

    def test_drift_moves_the_middle_of_ways(self) -> None:
        middle = 2400 + 4800 * (0.5 + 0.45 * 0.5)
        assert self.framed(drift=0.5).at(middle) == pytest.approx(50, abs=0.15)

    def test_grips_are_measured_from_the_span_also_where_the_lane_begins_later(self) -> None:
        take = taken([control(1, 100, 4800), control(7, 1, 9000)])
        lean = {"kind": "lane.reshape", "lane": "cc:1", "lean": [0, 1], "where": {"parts": [0], "span": [0, 9600]}}
        assert curve_of(after(take, lean), "cc:1").at([4800, 7200]) == pytest.approx([50, 75], abs=0.13)


class TestFade:  # 4
    def fade(self, first: int, last: int, **more: float) -> dict[str, Any]:
        return {"kind": "lane.fade", "lane": "cc:11", "where": {"parts": [0], "span": [first, last]}, **more}

    def test_what_is_held_for_however_short_slides(self) -> None:
        take = taken([control(11, value, 100) for value in (100, 90, 120, 80, 110, 100)])
        made = after(take, self.fade(0, 6400, start=1, end=0))
        at = np.arange(100, 6400)
        expected = curve_of(take, "cc:11").at(at) * (1 - at / 6400)
        assert np.abs(curve_of(made, "cc:11").at(at) - expected).max() < 0.126

    def test_nothing_over_127_is_left_for_the_next_fade(self) -> None:
        take = taken([control(11, 100), control(7, 1, 4000)])
        made = after(take, self.fade(0, 960, start=1, end=4), self.fade(960, 1920, start=0.5, end=0.5))
        assert curve_of(made, "cc:11").values.max() <= 127
        assert curve_of(made, "cc:11").at(1000) == pytest.approx(63.5)

    def test_it_does_not_end_inside_a_spread_chord(self) -> None:
        chord = [NOTE("note_on", note=60 + step, velocity=64, time=1900 if step == 0 else 20) for step in range(3)]
        ends = [NOTE("note_off", note=60 + step, time=960 if step == 0 else 0) for step in range(3)]
        later = [NOTE("note_on", note=50, velocity=64, time=960), NOTE("note_off", note=50, time=960)]
        take = taken([control(11, 100), *chord, *ends, *later])
        # The span ends after the first of its three notes.
        curve = curve_of(after(take, self.fade(0, 1910, start=1, end=0.5)), "cc:11")
        assert curve.at([1920, 1940, 3000]).tolist() == [50, 50, 50]
        assert curve.at(1900 + 40 + 960 + 960) == 100


class TestPedalsWithDepth:  # 5
    TAKE = taken([control(64, value, 60) for value in (0, 20, 65, 80, 127, 90, 65, 30, 0)])

    def test_a_copy_keeps_the_depth(self) -> None:
        copy = {"kind": "lane.copy", "lane": "cc:64", "where": {"parts": [0], "span": [0, 600]}, "to": {"at": 6000}}
        made = curve_of(after(self.TAKE, copy), "cc:64")
        assert made.at([6180, 6360]).tolist() == [65, 90]

    @pytest.mark.parametrize("stroke", [
        {"kind": "lane.reshape", "depth": 0.5, "pivot": 0}, {"kind": "lane.smooth"}, {"kind": "lane.distil"},
        {"kind": "lane.ramp", "start": 0, "end": 90, "where": {"parts": [0], "span": [0, 600]}},
    ])  # fmt: skip
    def test_other_strokes_take_it_as_a_curve(self, stroke: dict[str, Any]) -> None:
        made = after(self.TAKE, {"lane": "cc:64", **stroke})
        assert_heard_as_drawn(made, "cc:64")

    def test_a_lane_of_nothing_but_off_and_on_is_a_switch(self) -> None:
        take = taken([control(64, value, 60) for value in (0, 127, 0, 127)])
        with pytest.raises(NothingMatched, match="Sustain pedal is on or off here; it has no shape"):
            after(take, {"kind": "lane.reshape", "lane": "cc:64", "level": 5})


class TestOrder:  # 6
    @pytest.mark.parametrize("reset", [control(121, 0), NOTE("sysex", data=(0x7E, 0x7F, 0x09, 0x01))])
    def test_a_lead_in_stands_although_a_reset_is_recorded_at_its_tick(self, reset: mido.Message) -> None:
        take = taken([reset, control(11, 50, 960), *phrase([64])])
        made = after(take, {"kind": "lane.lead_in", "lane": "cc:11", "value": 90})
        assert heard(made).controllers[11].at([0, 500]).tolist() == [90, 90]
        assert_heard_as_drawn(made, "cc:11")

    def test_also_where_the_reset_is_in_another_track(self) -> None:
        take = taken([*phrase([64])], [control(121, 0), control(2, 9)])
        made = after(take, {"kind": "lane.lead_in", "lane": "cc:11", "value": 90, "where": {"parts": [0]}})
        assert heard(made).controllers[11].at(0) == 90

    def test_a_bend_comes_after_the_range_of_its_tick(self) -> None:
        take = taken([*ranged(12), *phrase([64] * 4)])
        node = {"tick": 0, "value": 6}
        made = after(take, {"kind": "lane.nodes", "lane": "bend", "where": {"parts": [0]}, "nodes": [node]})
        assert heard(made).bend.at(5) == pytest.approx(6, abs=0.01)

    def test_a_reset_is_part_of_the_lane(self) -> None:
        take = taken([control(11, 50), control(121, 0, 960), control(11, 60, 960)])
        curve = curve_of(take, "cc:11")
        assert curve.at([0, 1000, 2000]).tolist() == [50, 127, 60]
        made = after(take, {"kind": "lane.ramp", "lane": "cc:11", "start": 0, "end": 50,
                            "where": {"parts": [0], "span": [480, 1440]}})  # fmt: skip
        assert_heard_as_drawn(made, "cc:11")
        assert next(data for tick, data in events(write(made))[0] if tick == 960) == bytes([0xB0, 121, 0])

    def test_an_untouched_take_with_resets_comes_out_as_it_was(self) -> None:
        data = file_of([control(121, 0), control(11, 50), control(121, 0, 960), control(11, 60, 960)], ticks=BEAT)
        assert events(write(read(data))) == events(data)

    def test_bank_select_comes_before_the_program_it_speaks_of(self) -> None:
        take = taken([NOTE("program_change", program=5), *phrase([64])])
        made = after(take, {"kind": "lane.lead_in", "lane": "cc:0", "value": 3, "where": {"parts": [0]}})
        first = [data[:2] for _, data in events(write(made))[0][:2]]
        assert first == [bytes([0xB0, 0]), bytes([0xC0, 5])]


class TestBendRanges:  # 7
    def test_a_way_across_a_change_of_range(self) -> None:
        take = taken([bend(0), *ranged(12, 1920), *phrase([64] * 8)])
        ramp = {"kind": "lane.ramp", "lane": "bend", "start": 0, "end": 1, "where": {"parts": [0], "span": [0, 3840]}}
        assert_heard_as_drawn(after(take, ramp), "bend")

    def test_a_bend_that_is_drawn_and_held_across_it(self) -> None:
        take = taken([bend(0), *ranged(12, 1920), *phrase([64] * 8)])
        nodes = {"kind": "lane.nodes", "lane": "bend", "where": {"parts": [0], "span": [960, 961]},
                 "nodes": [{"tick": 960, "value": 1}]}  # fmt: skip
        made = after(take, nodes)
        assert curve_of(made, "bend").at(3000) == 1
        assert heard(made).bend.at([960, 3000]) == pytest.approx([1, 1], abs=0.005)

    def test_a_recorded_wheel_that_is_held_across_it_is_drawn_as_it_is_heard(self) -> None:
        take = taken([bend(1), *ranged(12, 1920), *phrase([64] * 8)])
        assert curve_of(take, "bend").at([0, 1919, 1920]) == pytest.approx([1, 1, 6])

    @pytest.mark.parametrize(("number", "reached"), [(96, 2.01), (97, 1.99)])
    def test_increment_and_decrement_set_it_too(self, number: int, reached: float) -> None:
        take = taken([control(101, 0), control(100, 0), control(number, 0), bend(1, 100)])
        assert take.parts[0].bend_range.at(200) == reached
        assert curve_of(take, "bend").at(200) == heard(take).bend.at(200)

    @pytest.mark.parametrize("size", [0, 2])
    def test_what_the_range_cannot_hold_is_told(self, size: int) -> None:
        take = taken([*ranged(size), bend(0, 10), *phrase([64] * 4)])
        node = {"tick": 960, "value": 7}
        made = after(
            take, {"kind": "lane.nodes", "lane": "bend", "where": {"parts": [0], "span": [960, 961]}, "nodes": [node]}
        )
        (told,) = [one for one in faults(made) if one["reason"] == "beyond"]
        assert f"drawn 7.00 semitones away in bar 1, but the range in force there is {size}" in told["says"]
        assert told["spans"][0][0] == 960
        assert [one for one in faults(take) if one["reason"] == "beyond"] == []

    def test_under_a_range_of_0_a_copied_bend_is_in_the_middle(self) -> None:
        take = taken([*ranged(0), NOTE("pitchwheel", pitch=5000), *phrase([64] * 4)])
        move = {"kind": "lane.move", "lane": "bend", "to": "cc:1"}
        assert curve_of(after(take, move), "cc:1").values.tolist() == [63.5]


class TestSharedChannels:  # 8
    def test_a_range_set_in_one_track_is_known_in_the_other(self) -> None:
        take = taken([*ranged(12), *phrase([64])], [bend(6, 10, size=12), *phrase([70])])
        assert curve_of(take, "bend", 1).at(20) == pytest.approx(6, abs=0.01)
        assert take.parts[0].lanes["bend"] is take.parts[1].lanes["bend"]

    def test_a_fade_on_one_is_a_fade_of_the_channel_and_done_once(self) -> None:
        take = taken([control(11, 100), *phrase([64] * 4)], [control(11, 80, 2000), *phrase([70] * 4)])
        fade = {"kind": "lane.fade", "where": {"parts": [0, 1], "span": [960, 2880]}, "start": 1, "end": 0.5}
        made = after(take, fade)
        at = np.arange(960, 2879)
        base = np.where(at < 2000, 100, 80)
        expected = base * (1 - 0.5 * (at - 960) / 1920)
        assert np.abs(curve_of(made, "cc:11", 1).at(at) - expected).max() < 0.126
        assert_heard_as_drawn(made, "cc:11", 0)

    def test_a_copied_note_leaves_the_key_of_the_other_track_alone(self) -> None:
        held = [NOTE("note_on", note=60, velocity=50, time=3000), NOTE("note_off", note=60, time=3000)]
        take = taken([*phrase([64])], held)
        copy = {"kind": "notes.copy", "where": {"parts": [0]}, "to": {"at": 3500}}
        with pytest.raises(NothingMatched, match="the keys are down already"):
            after(take, copy)
        early = after(take, {**copy, "to": {"at": 2900}})
        assert [(n.start, n.key_up) for n in receive(write(early)).notes if n.pitch == 60] == [
            (0, 240), (2900, 3000), (3000, 6000),
        ]  # fmt: skip

    def test_movement_under_the_other_parts_notes_is_heard(self) -> None:
        moving = [control(1, value, 30) for value in range(30, 60)]
        long_note = [NOTE("note_on", note=60, velocity=50), NOTE("note_off", note=60, time=9000)]
        take = taken(long_note, [*phrase([64]), control(1, 20, 2880), *moving])
        assert [one for one in faults(take) if one["reason"] == "unheard"] == []

    def test_both_are_played_what_is_said_to_their_channel(self) -> None:
        take = taken([control(11, 40), *phrase([64])], [*phrase([70], pitch=72)])
        told = listen(stream(take), 0, 9, chase=False)
        expressions = [part for part, status, one in zip(told.part, told.status, told.data1, strict=True)
                       if status == 0xB0 and one == 11]  # fmt: skip
        assert expressions == [0, 1]
        assert len(list(mido.parse_all(message_bytes(told)))) == 2 + 4


class TestFineHalves:  # 9
    def test_a_lone_fine_half_after_a_drawn_value_is_heard_as_drawn(self) -> None:
        take = taken([control(11, 100), control(43, 64, 1920), control(7, 1, 960)])
        drawn = {"kind": "lane.nodes", "lane": "cc:11", "where": {"parts": [0], "span": [0, 960]},
                 "nodes": [{"tick": 0, "value": 50}]}  # fmt: skip
        made = after(take, drawn)
        assert curve_of(made, "cc:11").at([0, 2000]).tolist() == [50, 100.5]
        assert heard(made).controllers[11].at([0, 2000]).tolist() == [50, 100.5]

    def test_a_lane_made_beside_a_lone_fine_half_leaves_it_where_it_is(self) -> None:
        take = taken([control(43, 64, 10), control(7, 1, 960)])
        ramp = {"kind": "lane.ramp", "lane": "cc:11", "start": 0, "end": 50, "where": {"parts": [0], "span": [0, 960]}}
        assert sent(after(take, ramp), 43) == [(10, 64)]

    @pytest.mark.parametrize("number", [6, 38, 96, 97, 98, 99, 100, 101, *range(120, 128)])
    def test_parameters_and_mode_messages_are_no_lanes(self, number: int) -> None:
        take = taken([control(101, 0), control(100, 0), control(6, 12), control(number, 1), *phrase([64])])
        assert f"cc:{number}" not in take.parts[0].lanes
        with pytest.raises(BadStroke, match=f"lane cannot be cc:{number}: .* is a message, not a value that lasts"):
            parse_stroke({"kind": "lane.ramp", "lane": f"cc:{number}", "start": 0, "end": 1, "where": {"span": [0, 9]}})


class TestEdges:  # 10
    def test_of_two_nodes_at_one_tick_the_last_holds(self) -> None:
        take = taken([control(1, 10), control(1, 20, 960), control(7, 1, 960)])
        nodes = [{"tick": 960, "value": 20}, {"tick": 960, "value": 90}]
        made = after(
            take, {"kind": "lane.nodes", "lane": "cc:1", "where": {"parts": [0], "span": [960, 961]}, "nodes": nodes}
        )
        assert heard(made).controllers[1].at(1000) == 90

    def test_a_last_node_that_does_not_hold_has_nowhere_to_go(self) -> None:
        take = taken([control(1, 10), control(1, 20, 9600)])
        nodes = [{"tick": 960, "value": 0, "hold": False}, {"tick": 1920, "value": 90, "hold": False}]
        made = after(
            take, {"kind": "lane.nodes", "lane": "cc:1", "where": {"parts": [0], "span": [960, 2880]}, "nodes": nodes}
        )
        assert [tick for tick, _ in sent(made, 1) if 1920 < tick < 9600] == []

    @pytest.mark.parametrize("stroke", [{"kind": "lane.clear"}, {"kind": "lane.move", "to": "cc:2"}])
    def test_a_bends_return_comes_back_at_the_end_of_what_is_taken_away(self, stroke: dict[str, Any]) -> None:
        take = taken([bend(0), bend(1.5, 960), bend(0, 960), *phrase([64] * 8)])
        made = after(take, {**stroke, "lane": "bend", "where": {"parts": [0], "span": [1800, 2400]}})
        assert heard(made).bend.at([1000, 2399, 2400, 9000]) == pytest.approx([1.5, 1.5, 0, 0], abs=0.001)


class TestFewerEvents:  # 11
    def test_the_time_step_is_kept_through_a_change_of_tempo_inside_a_way(self) -> None:
        tempo = [mido.MetaMessage("set_tempo", tempo=2_000_000), mido.MetaMessage("set_tempo", tempo=100_000, time=960)]
        take = taken(tempo, [control(1, 0), control(7, 1, 9000)])
        ramp = {"kind": "lane.ramp", "lane": "cc:1", "start": 0, "end": 127, "where": {"parts": [0], "span": [0, 2880]}}
        made = after(take, ramp)
        ticks = np.array([tick for tick, data in events(write(made))[1] if data[0] == 0xB0 and data[1] == 1])
        assert np.diff(made.tempo.seconds(ticks)).min() >= 0.005 - 1e-9
        assert len(ticks) > 60

    def test_distilling_never_makes_more_events(self) -> None:
        take = taken([control(1, value, 46) for value in (0, 9, 25, 44, 60, 81, 90, 96, 80, 61, 30, 12, 3) * 3])
        for tolerance in (0, 0.5, 1, 4, 20):
            made = after(take, {"kind": "lane.distil", "lane": "cc:1", "tolerance": tolerance})
            assert len(sent(made, 1)) <= len(sent(take, 1))
            at = np.arange(46, take.end)
            off = np.abs(heard(made).controllers[1].at(at) - heard(take).controllers[1].at(at))
            assert off.max() <= tolerance

    def test_what_says_nothing_new_is_not_sent(self) -> None:
        take = taken([control(1, value, 46) for value in (100, 90, 110, 95) * 20])
        made = after(take, {"kind": "lane.reshape", "lane": "cc:1", "level": 60})
        assert sent(made, 1) == [(46, 127)]


class TestUnplayedAndCopies:  # 12
    def test_movement_under_notes_that_the_pedal_holds_is_heard(self) -> None:
        moving = [control(1, value, 30) for value in range(30, 60)]
        track = [control(64, 127), *phrase([64]), control(1, 20, 2880), *moving, control(64, 0, 960)]
        take = taken(track)
        assert sounding(take, take.channels[0]).end.tolist() == [take.end]
        assert [one for one in faults(take) if one["lane"] == "cc:1" and one["reason"] == "unheard"] == []

    def test_copies_of_a_span_that_took_in_an_early_note_stay_on_the_bar(self) -> None:
        notes = [NOTE("note_on", note=60, velocity=64, time=3828), NOTE("note_off", note=60, time=400)]
        take = taken([*notes, NOTE("note_on", note=62, velocity=64, time=3840), NOTE("note_off", note=62, time=400)])
        copy = {
            "kind": "notes.copy",
            "where": {"parts": [0], "span": [3828, 7680]},
            "to": {"at": 2 * 3840 - 12},
            "repeat": 4,
        }
        made = after(taken([*notes]), copy)
        starts = made.parts[0].notes.start.tolist()
        assert starts == [3828, 7668, 11508, 15348, 19188]
        assert mark(take, parse_stroke(copy))["place"] == "bars 3–6"

    def test_an_edge_a_little_beside_a_bar_line_is_the_line(self) -> None:
        take = taken(phrase([64] * 40, gap=960))
        where = {"parts": [0], "span": [4 * 3840, 8 * 3840 + 13]}
        take = after(take, {"kind": "lane.lead_in", "lane": "cc:1", "where": {"parts": [0]}})
        ramp = {"kind": "lane.ramp", "lane": "cc:1", "where": where, "start": 1, "end": 9}
        assert mark(take, parse_stroke(ramp))["place"] == "bars 5–8"
        # The note that begins on the line is meant where it is reached.
        assert mark(take, parse_stroke({"kind": "velocity.nudge", "by": 3, "where": where}))["place"] == "bars 5–9"


def test_strokes_on_a_lane_that_was_drawn_have_their_place() -> None:  # 14
    take = taken(phrase([64] * 20, gap=960))
    history = History().add(parse_stroke({"kind": "lane.ramp", "lane": "cc:11", "start": 20, "end": 90,
                                          "where": {"parts": [0], "span": [3840, 7680]}}))  # fmt: skip
    history = history.add(parse_stroke({"kind": "lane.reshape", "lane": "cc:11", "level": 5}))
    shaped = Shaped.of(take, history)
    found = mark(shaped.met_by(2), shaped.entries[1].stroke)
    assert (found["place"], found["parts"], found["start"]) == ("bar 2", [0], 3840)
    assert mark(shaped.met_by(), parse_stroke({"kind": "lane.smooth", "lane": "cc:11"}))["place"] == "bar 2"


def test_a_note_that_was_moved_or_muted_is_not_written_as_recorded() -> None:
    from dataclasses import replace

    take = taken(phrase([64, 65, 66, 67]))
    notes = take.parts[0].notes
    pitch, start, muted = notes.pitch.copy(), notes.start.copy(), notes.muted.copy()
    pitch[0], start[1], muted[2] = 72, start[1] + 50, True
    changed = replace(notes, pitch=pitch, start=start, muted=muted).only(np.array([0, 1, 2]))
    made = take.with_notes({0: changed})
    found = [(note.pitch, note.start, note.key_up) for note in receive(write(made)).notes]
    # The first at another key, the second later, the third muted, the fourth gone.
    assert found == [(72, 0, 240), (61, 530, 720)]


def test_a_tail_of_eased_form_is_kept_when_it_is_cut() -> None:
    take = taken([control(1, 0), control(7, 1, 9600)])
    ramp = {"kind": "lane.ramp", "lane": "cc:1", "start": 0, "end": 127, "lift": 0.6, "ease": 0.8,
            "where": {"parts": [0], "span": [0, 9600]}}  # fmt: skip
    level = {"kind": "lane.reshape", "lane": "cc:1", "level": -7, "where": {"parts": [0], "span": [5000, 6000]}}
    curve = curve_of(after(take, ramp, level), "cc:1")
    at = np.arange(0, 9600, 7)
    expected = 127 * form(at / 9600, 0.6, 0.8) - 7 * ((at >= 5000) & (at < 6000))
    assert np.abs(curve.at(at) - expected.clip(0, 127)).max() < 0.126
    assert emit(after(take, ramp, level))[0].tick[-1] == 9600

"""The bend range set by a stroke: message by message, by hand from the standard (RPN 0), and what is heard of it."""

import io
import itertools
from typing import Any

import mido
import numpy as np
import pytest

from expression.errors import NothingMatched, Refused
from expression.history import applied
from expression.midi.read import read
from expression.midi.write import write
from expression.receiver import receive
from expression.strokes import parse_stroke
from expression.take import Take
from expression.views import faults
from tests.files import file_of

M = mido.Message
TICKS = 480
FULL = [(101, 0), (100, 0), (6, 12), (38, 0), (101, 127), (100, 127)]


def ranged(take: Take, semitones: float = 12, **more: Any) -> Take:
    return applied(parse_stroke({"kind": "bend.range", "semitones": semitones, **more}), take)


def wheel(*moves: tuple[int, int]) -> Take:
    """A note of four quarters, and the wheel at some ticks of 480 a quarter."""
    told = [(0, M("note_on", note=60, velocity=90)), (4 * TICKS, M("note_off", note=60))]
    told += [(tick, M("pitchwheel", pitch=pitch)) for tick, pitch in moves]
    told.sort(key=lambda one: one[0])
    gaps = [b[0] - a[0] for a, b in itertools.pairwise([(0, None), *told])]
    return read(file_of([message.copy(time=gap) for gap, (_, message) in zip(gaps, told, strict=True)]))


def messages(take: Take) -> list[tuple[float, mido.Message]]:
    """With their seconds, at 120 quarters a minute."""
    file = mido.MidiFile(file=io.BytesIO(write(take)))
    now, found = 0, []
    for message in file.tracks[0]:
        now += message.time
        found.append((now / file.ticks_per_beat / 2, message))
    return found


def parameters(take: Take) -> list[tuple[float, int, int]]:
    return [
        (at, message.control, message.value)
        for at, message in messages(take)
        if message.type == "control_change" and message.control in (6, 38, 96, 97, 98, 99, 100, 101)
    ]


def heard(take: Take, name: str, ticks: Any) -> np.ndarray:
    """What a receiver has of `bend` or `bend_range` at ticks of the take."""
    found = receive(write(take))
    (channel,) = found.channels.values()
    steps = getattr(channel, name)
    return np.asarray(steps.at(np.asarray(ticks) * found.division / take.resolution))


def test_it_is_said_in_full_in_order_apart_and_before_the_first_bend() -> None:
    take = ranged(wheel((TICKS, 4096)))
    told = parameters(take)
    assert [(number, value) for _, number, value in told] == FULL
    gaps = np.diff([at for at, _, _ in told])
    assert (gaps >= 0.005 - 1e-9).all()
    assert told[-1][0] < 0.5
    (bend,) = [message for _, message in messages(take) if message.type == "pitchwheel"]
    # One semitone of twelve, where it was one of two.
    assert bend.pitch == round(8192 / 12)


def test_with_the_wheel_kept_its_bytes_stay_and_the_pitch_changes() -> None:
    take = ranged(wheel((TICKS, 4096)), keep="travel")
    (bend,) = [message for _, message in messages(take) if message.type == "pitchwheel"]
    assert bend.pitch == 4096
    assert float(heard(take, "bend", 960)) == 6
    assert take.parts[0].lanes["bend"].curve.values.tolist() == [6.0]


def test_a_span_has_its_own_range_between_two_others() -> None:
    take = ranged(wheel((100, 4096), (960, 4096), (1700, 4096)), where={"span": [1920, 3000]})
    steps = take.parts[0].bend_range
    assert steps.semitones.tolist() == [2, 12, 2]
    at = np.array([200, 1000, 1910, 1920, 2400, 2999, 3400, 3800])
    assert np.abs(heard(take, "bend", at) - 1).max() < 12 / 8192
    assert heard(take, "bend_range", [200, 1920, 3400]).tolist() == [2, 12, 2]


def test_a_range_that_would_not_hold_the_drawing_is_refused_with_one_that_would() -> None:
    with pytest.raises(NothingMatched, match=r"1\.00 semitones away; a range of 1 at least") as refused:
        ranged(wheel((TICKS, 4096)), 0.5)
    assert (refused.value.field, refused.value.offer) == ("semitones", {"semitones": 1})
    assert ranged(wheel((TICKS, 4096)), 0.5, keep="travel").parts[0].lanes["bend"].curve.values.tolist() == [0.25]


@pytest.mark.parametrize("semitones", [0, -2, 97, "two", float("nan")])
def test_what_is_no_range_is_refused_in_a_sentence(semitones: Any) -> None:
    with pytest.raises(Refused, match="semitones must"):
        ranged(wheel(), semitones)


def test_where_the_music_leaves_no_room_the_order_stays_and_it_is_known() -> None:
    take = ranged(wheel((480, 4096), (484, 8191)), where={"span": [966, 3000]})
    first = take.parts[0].channel.statements[0]
    assert first.is_crowded
    assert list(first.controls) == FULL
    assert list(first.ticks) == sorted(first.ticks)
    (told,) = [one for one in faults.faults(take) if one["reason"] == "crowded"]
    assert "In bar 1 the music leaves little room" in told["says"]
    assert first.ticks[0] > 960 and first.ticks[-1] <= 968
    assert np.abs(heard(take, "bend", [966, 968, 1200]) - [1, 2, 2]).max() < 12 / 8192 + 1e-3


def test_recorded_settings_are_no_longer_said_and_other_parameters_stay() -> None:
    chosen = [M("control_change", control=number, value=value) for number, value in
              ((99, 1), (98, 8), (6, 55), (101, 0), (100, 0), (6, 7), (101, 127), (100, 127))]  # fmt: skip
    later = M("pitchwheel", pitch=4096, time=TICKS)
    note = [M("note_on", note=60, velocity=90), M("note_off", note=60, time=960)]
    take = ranged(read(file_of([*chosen, note[0], later, note[1]])), 24)
    told = [(number, value) for _, number, value in parameters(take)]
    assert told[:3] == [(99, 1), (98, 8), (6, 55)]
    assert (6, 7) not in told and told.count((6, 24)) == 1
    assert abs(float(heard(take, "bend", 960)) - 3.5) < 24 / 8192


def test_a_parameter_that_data_entries_still_rely_on_is_chosen_again() -> None:
    chosen = [M("control_change", control=99, value=1), M("control_change", control=98, value=8)]
    entry = M("control_change", control=6, value=55)
    bend = M("pitchwheel", pitch=4096, time=2 * TICKS)
    note = [M("note_on", note=60, velocity=90), M("note_off", note=60, time=480)]
    take = ranged(
        read(file_of([*chosen, note[0], bend, entry.copy(time=TICKS), note[1]])), where={"span": [1900, 10_000]}
    )
    told = [(number, value) for _, number, value in parameters(take)]
    after = told.index((6, 55))
    assert told[after - 2 : after] == [(99, 1), (98, 8)]
    assert heard(take, "bend_range", [2000, 5800]).tolist() == [12, 12]


def test_writing_and_reading_gives_the_same_lane() -> None:
    take = ranged(wheel((100, 4096), (700, -3000), (960, 8191), (1700, 100)), 7.25)
    again = read(write(take))
    at = np.arange(240, 8 * TICKS, 7)
    both = [one.parts[0].lanes["bend"].curve.at(at) for one in (take, again)]
    assert np.nanmax(np.abs(both[0] - both[1])) <= 7.25 / 8192


class TestFaults:
    def reasons(self, take: Take) -> list[str]:
        return [one["reason"] for one in faults.faults(take)]

    def mended(self, take: Take, reason: str) -> Take:
        (fault,) = [one for one in faults.faults(take) if one["reason"] == reason]
        assert fault["stroke"] is not None
        return applied(fault["stroke"], take)

    def test_a_range_that_is_never_said_is_told_and_said(self) -> None:
        take = wheel((TICKS, 4096), (2 * TICKS, 0))
        assert self.reasons(take) == ["unstated"]
        made = self.mended(take, "unstated")
        assert self.reasons(made) == []
        assert [(number, value) for _, number, value in parameters(made)][2] == (6, 2)

    def test_a_wheel_that_never_comes_home_is_brought_home(self) -> None:
        take = ranged(wheel((TICKS, 4096)), 2)
        assert self.reasons(take) == ["never home"]
        assert self.reasons(self.mended(take, "never home")) == []

    def test_a_wheel_that_stays_out_in_a_rest_is_told_there_and_brought_home(self) -> None:
        first = [M("note_on", note=60), M("pitchwheel", pitch=4096, time=240), M("note_off", note=60, time=240)]
        then = [M("note_on", note=62, time=960), M("pitchwheel", pitch=0, time=240), M("note_off", note=62, time=240)]
        two = [*first, *then]
        take = ranged(read(file_of(two)), 2)
        (fault,) = faults.faults(take)
        assert (fault["reason"], fault["spans"]) == ("out in a rest", [(960, 2880)])
        assert "in the rest in bar 1" in fault["says"]
        made = self.mended(take, "out in a rest")
        assert self.reasons(made) == []
        assert heard(made, "bend", [900, 1300, 2880]).tolist() == [1, 0, 0]

    def test_a_worn_wheel_is_measured_at_rest_and_centred(self) -> None:
        take = ranged(wheel((100, 400), (TICKS, 4096), (TICKS + 100, 400)), 2)
        assert self.reasons(take) == ["off centre"]
        made = self.mended(take, "off centre")
        assert self.reasons(made) == []
        assert abs(float(made.parts[0].lanes["bend"].curve.values[-1])) < 1e-9


CHORD = [
    M("note_on", note=60, velocity=90), M("note_on", note=64, velocity=90, time=240),
    M("note_off", note=60, time=240), M("note_off", note=64, time=480),
]  # fmt: skip


class TestGestures:
    def test_one_that_moves_other_notes_says_which(self) -> None:
        take = read(file_of(CHORD))
        scoop = parse_stroke({"kind": "bend.scoop", "time": 1, "where": {"notes": [[0, 0]]}})
        assert scoop.also(take) == "The wheel moves another note of the channel with these, the first in bar 1: E4."
        short = parse_stroke({"kind": "bend.scoop", "time": 0.25, "where": {"notes": [[0, 0]]}})
        assert short.also(take) == ""
        both = parse_stroke({"kind": "bend.scoop", "time": 1})
        assert both.also(take) == ""

    def test_a_glide_as_one_holds_the_note_through_and_strikes_no_other(self) -> None:
        take = read(file_of(CHORD))
        glide = parse_stroke({"kind": "bend.glide", "as": "one", "where": {"notes": [[0, 0]]}})
        made = applied(glide, take)
        assert (made.parts[0].notes.pitch.tolist(), made.parts[0].notes.end.tolist()) == ([60], [960 * 2])
        assert float(made.parts[0].lanes["bend"].curve.at(1900)) == 4
        assert glide.also(take) == ""

    @pytest.mark.parametrize(
        ("said", "reason"),
        [
            ({"where": {"notes": [[1, 1]]}}, "No note follows the one in bar 1"),
            ({"where": {"notes": [[7, 9]]}}, "There is no note 7"),
        ],
    )
    def test_a_glide_that_leads_nowhere_says_why(self, said: dict[str, Any], reason: str) -> None:
        with pytest.raises(NothingMatched, match=reason):
            applied(parse_stroke({"kind": "bend.glide", **said}), read(file_of(CHORD)))

    def test_two_notes_that_start_together_cannot_both_glide(self) -> None:
        last = [M("note_on", note=67, velocity=9, time=9), M("note_off", note=67, time=480)]
        together = [CHORD[0], CHORD[1].copy(time=0), *CHORD[2:], *last]
        with pytest.raises(NothingMatched, match=r"start together in bar 1.*Choose one voice"):
            applied(parse_stroke({"kind": "bend.glide"}), read(file_of(together)))

    def test_a_scoop_longer_than_its_note_is_as_long_as_the_note(self) -> None:
        take = wheel()
        made = applied(parse_stroke({"kind": "bend.scoop", "start": -2, "time": 64}), take)
        curve = made.parts[0].lanes["bend"].curve
        assert (curve.ticks[0], float(curve.at(0)), float(curve.at(1920)), float(curve.at(3840))) == (0, -2, -1, 0)

    def test_gestures_on_one_note_add_up(self) -> None:
        take = wheel()
        scooped = applied(parse_stroke({"kind": "bend.scoop", "start": -2, "time": 4}), take)
        both = applied(parse_stroke({"kind": "bend.scoop", "start": -1, "time": 4}), scooped)
        at = np.arange(0, 3840, 60)
        assert (
            np.abs(both.parts[0].lanes["bend"].curve.at(at) - 1.5 * scooped.parts[0].lanes["bend"].curve.at(at)).max()
            < 0.01
        )

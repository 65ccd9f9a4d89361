"""Margins: where things just begin or end, and what one wrong sign or comparison there would give."""

import re
from collections.abc import Mapping
from itertools import pairwise
from typing import Any

import mido
import numpy as np
import pytest

from expression import views
from expression.errors import BadFile, NothingMatched
from expression.history import History, Shaped, applied
from expression.lanes import LANES
from expression.midi.read import read
from expression.midi.write import write
from expression.receiver import receive
from expression.staff.musicxml import musicxml
from expression.strokes import parse_stroke
from expression.take import Take
from expression.views.proof import proof
from tests.expression.test_lane_strokes import control
from tests.expression.test_notes_edited import notes
from tests.expression.test_page import kinds, metre, page
from tests.files import NOTE, file_of, phrase, raw

END = b"\x00\xff\x2f\x00"


def put(take: Take, said: Mapping[str, Any]) -> Take:
    return applied(parse_stroke(said), take)


def value(take: Take, key: str, *ticks: int) -> list[float]:
    """What a receiver has at some ticks (of the take) of its first channel."""
    heard = receive(write(take))
    (channel,) = heard.channels.values()
    at = np.array(ticks) * heard.division / take.resolution
    return [float(one) for one in channel.controllers[int(key.removeprefix("cc:"))].at(at)]


@pytest.mark.parametrize(
    "said",
    [
        {"kind": "lane.smooth", "lane": "cc:11", "width": 400, "jump": 127},
        {"kind": "lane.wave", "lane": "cc:11", "rate": 2, "depth": 9},
        {"kind": "lane.clear", "lane": "cc:11"},
    ],
    ids=lambda one: str(one["kind"]),
)
def test_behind_a_span_stands_what_stood_there(said: dict[str, Any]) -> None:
    """Where nothing is said for long: the value of before is said again."""
    steps = [control(11, 40), control(11, 100, 480), control(11, 60, 480), control(11, 80, 480), control(11, 90, 9600)]
    take = read(file_of([*steps, *phrase([80] * 2)]))
    made = put(take, {**said, "where": {"parts": [0], "span": [0, 2910]}})
    assert value(made, "cc:11", 2912, 9000, 22080) == [80, 80, 90]
    assert value(made, "cc:11", 2000, 2800) != value(take, "cc:11", 2000, 2800)


def test_tracks_together_may_have_so_many_events() -> None:
    track = b"\x00\x90\x3c\x40" + b"\x00\x3c\x40" * 47 + END
    assert len(read(raw(track, track), most=100).tracks) == 2
    with pytest.raises(BadFile, match="more than 100 events"):
        read(raw(track, track, track), most=100)


def test_curves_of_notes_stand_in_place_of_what_they_replace() -> None:
    steps = [control(74, 20), control(74, 90, 240), control(11, 77, 10)]
    take = read(file_of([*steps, *phrase([80] * 2)]))
    nodes = [{"at": 0, "value": 5}, {"at": 1, "value": 60}]
    take = put(take, {"kind": "note.curve", "lane": "note:timbre", "where": {"parts": [0]}, "nodes": nodes})
    sent = {"kind": "note.send", "as": "mpe", "where": {"parts": [0]}, "members": 3}
    for replaces in ((), ("note:timbre",)):
        heard = receive(write(put(take, {**sent, "replaces": replaces})))
        manager = heard.channels[0, 0]
        # What the part itself said of it: there, or no longer; all else is said as it was.
        assert (90 in manager.controllers[74].values if 74 in manager.controllers else False) == (not replaces)
        assert 77 in manager.controllers[11].values
        first = heard.notes[0]
        own = heard.channels[first.port, first.channel].controllers[74].at([first.start + 1, first.key_up - 2])
        assert abs(own[0] - 5) <= 2


def test_a_gap_before_what_follows_the_last_that_is_chosen() -> None:
    take = read(file_of(notes((0, 100, 60, 80), (480, 600, 62, 80), (1440, 1500, 64, 80))))
    chosen = {"parts": [0], "notes": [[0, 1]]}
    made = put(take, {"kind": "notes.length", "gap_ms": 0, "where": chosen})
    assert (made.parts[0].notes.end * 480 // made.resolution).tolist() == [480, 1440, 1500]
    last = {"parts": [0], "notes": [[2, 2]]}
    with pytest.raises(NothingMatched, match="No note follows"):
        put(take, {"kind": "notes.length", "gap_ms": 0, "where": last})


def test_a_cable_carries_what_it_is_told_and_no_more() -> None:
    """Bytes without running status: notes and controllers 3, programs and pressure 2, exclusives all of theirs."""
    told = [
        mido.MetaMessage("text", text="x" * 200),
        NOTE("program_change", program=3, channel=1),
        NOTE("aftertouch", value=9, channel=1, time=10),
        NOTE("sysex", data=[1, 2, 3], time=10),
        NOTE("control_change", control=7, value=3, channel=1, time=10),
        NOTE("note_on", note=60, velocity=3, channel=1, time=10),
        NOTE("note_off", note=60, channel=1, time=10),
        NOTE("program_change", program=4, channel=1, time=9600),
    ]
    take = read(file_of(told))
    assert proof(take, take.parts[0])["cable"] == 2 + 2 + 5 + 3 + 3 + 3
    assert proof(take, take.parts[0])["most"] == 3125


def test_a_wheel_that_never_leaves_the_centre_needs_no_way_home() -> None:
    wheel = [NOTE("pitchwheel", pitch=0, time=time) for time in (0, 700, 700)]
    take = read(file_of([*wheel, *phrase([80] * 2), NOTE("pitchwheel", pitch=0, time=4000)]))
    with pytest.raises(NothingMatched):
        put(take, {"kind": "bend.home", "where": {"parts": [0]}})


@pytest.mark.parametrize(("top", "bottom"), [(3, 4), (4, 4), (5, 4), (2, 4), (6, 8), (7, 8)])
def test_a_rhythm_is_written_alike_in_every_bar(top: int, bottom: int) -> None:
    bar = 480 * 4 * top // bottom
    places = [0, *range(240, bar, 480), bar]
    rows = [
        (at + number * bar, min(until, bar) + number * bar - 5, 60 + row % 7, 80)
        for number in range(4)
        for row, (at, until) in enumerate(pairwise(places))
    ]
    take = read(file_of(metre(top, bottom), notes(*rows)))
    bars = [kinds(take, number) for number in range(4)]
    assert bars[1:] == [bars[0]] * 3
    assert not any("(" in one for voice in bars[0] for one in voice)


def test_a_part_of_several_channels_of_a_track_is_named_by_its_channel() -> None:
    title = mido.MetaMessage("track_name", name="Keys")
    two = [title, NOTE("note_on", note=60, velocity=5, channel=2), NOTE("note_on", note=62, velocity=5, channel=15)]
    off = [NOTE("note_off", note=60, channel=2, time=480), NOTE("note_off", note=62, channel=15)]
    assert [part.name for part in read(file_of([*two, *off])).parts] == ["Keys, channel 3", "Keys, channel 16"]
    assert [part.name for part in read(file_of([title, *phrase([80])])).parts] == ["Keys"]


def test_kinds_of_lanes_and_strokes_are_called_what_they_are() -> None:
    names = {"note:pitch": "Note pitch", "note:pressure": "Note pressure", "note:cc:1": "Note mod wheel"}
    assert {key: LANES[key].name for key in names} == names
    said = {"kind": "bend.range", "semitones": 12}
    assert parse_stroke(said).label() == "Bend range 12"
    assert parse_stroke({**said, "keep": "travel"}).label() == "Bend range 12, the wheel as it was"


@pytest.mark.parametrize("seed", range(4))
def test_seconds_become_the_ticks_that_they_were(seed: int) -> None:
    dice = np.random.default_rng([seed, 88])
    tempos = [
        mido.MetaMessage("set_tempo", tempo=int(dice.integers(200_000, 1_500_000)), time=int(dice.integers(0, 4000)))
        for _ in range(1 + 5 * (seed > 0))
    ]
    take = read(file_of(tempos, phrase([80] * 400)))
    ticks = dice.integers(0, take.end, 200)
    seconds = take.tempo.seconds(ticks)
    assert np.abs(take.tempo.tick(seconds) - ticks).max() < 1e-6
    # By a loop over what the file says.
    for tick, found in zip(ticks.tolist(), seconds.tolist(), strict=True):
        at, now, micros = 0, 0.0, 500_000
        for one in tempos:
            until = min(at + one.time * take.resolution // 480, tick)
            now, at = now + (until - at) * micros / 1e6 / take.resolution, until
            if at >= tick:
                break
            micros = one.tempo
        now += (tick - at) * micros / 1e6 / take.resolution
        assert found == pytest.approx(now, abs=1e-9)


def test_every_key_of_a_drum_part_stands_near_the_staff() -> None:
    rows = [(480 * n, 480 * n + 100, key, 80) for n, key in enumerate(range(30, 90))]
    take = read(file_of(metre(4, 4), notes(*rows, channel=9)))
    written = musicxml(page(take))
    octaves = [int(one) for one in re.findall(r"<display-octave>(-?\d+)<", written)]
    assert len(octaves) == 60
    assert set(octaves) == {4, 5}


def test_a_zone_of_one_semitone_is_a_zone() -> None:
    take = read(file_of(phrase([80] * 3)))
    nodes = [{"at": 0, "value": 0}, {"at": 1, "value": 0.8}]
    take = put(take, {"kind": "note.curve", "lane": "note:pitch", "where": {"parts": [0]}, "nodes": nodes})
    take = put(take, {"kind": "note.send", "as": "mpe", "where": {"parts": [0]}, "members": 4, "semitones": 1})
    again = read(write(take))
    zone = again.parts[0].channel.sending.zone
    assert (zone.members, zone.reach) == (4, 1)
    assert len(again.parts[0].curves["note:pitch"]) > 0


@pytest.mark.parametrize(
    ("velocities", "wanted"),
    [((100, 101, 102), (125, 126, 127)), ((100, 120, 121), (125, 126, 127)), ((60, 70, 110), (86, 94, 127))],
)
def test_what_is_squeezed_takes_no_more_room_than_it_needs(
    velocities: tuple[int, ...], wanted: tuple[int, ...]
) -> None:
    take = read(file_of(phrase(velocities)))
    made = put(take, {"kind": "velocity.nudge", "by": 26, "limit": "squeeze"})
    assert made.parts[0].notes.velocity.tolist() == list(wanted)


def test_a_stroke_whose_source_is_gone_is_listed_all_the_same() -> None:
    """A curve that was given to others, whose own was switched off later."""
    take = read(file_of(phrase([80] * 4)))
    nodes = [{"at": 0, "value": 0}, {"at": 1, "value": 1}]
    one = {"parts": [0], "notes": [[0, 0]]}
    drawn = {"kind": "note.curve", "lane": "note:pitch", "where": one, "nodes": nodes}
    given = {"kind": "note.copy", "lane": "note:pitch", "source": 0, "where": {"parts": [0]}}
    history = History().add(parse_stroke(drawn)).add(parse_stroke(given)).change(1, on=False)
    told = views.strokes.history(Shaped.of(take, history))["strokes"]
    assert [stroke["idle"] is None for stroke in told] == [True, False]
    assert told[1]["mark"]["place"] == ""

"""What is drawn is what is sent, and what cannot be sent is said: pitch, curves of notes, zones, ranges, lanes."""

import json
from pathlib import Path
from typing import Any

import mido
import numpy as np
import pytest

from command.__main__ import main
from expression.curve import Curve
from expression.distil import line_through
from expression.errors import BadStroke, NothingMatched
from expression.history import applied
from expression.midi.read import read
from expression.midi.write import write
from expression.note_curves import NoteCurves
from expression.receiver import Heard, Note, receive
from expression.strokes import parse_stroke
from expression.take import Take
from expression.views.own_lanes import own_facts
from expression.views.unsent import unsent
from tests.files import NOTE, events, file_of, phrase

Row = tuple[int, int, int]
SYSTEM_ON = mido.Message("sysex", data=[0x7E, 0x7F, 0x09, 0x01])


def control(number: int, value: int) -> mido.Message:
    return NOTE("control_change", control=number, value=value)


def track_of(notes: list[Row], *more: tuple[int, mido.Message], channel: int = 0) -> list[mido.Message]:
    """Notes (start, end, key) in ticks of 480, and other messages where they are put, before notes of their tick."""
    told = [(tick, 1, message) for tick, message in more]
    told += [(start, 2, NOTE("note_on", note=key, velocity=80, channel=channel)) for start, _, key in notes]
    told += [(end, 0, NOTE("note_off", note=key, velocity=0, channel=channel)) for _, end, key in notes]
    track, now = [], 0
    for tick, _, message in sorted(told, key=lambda one: one[:2]):
        track.append(message.copy(time=tick - now))
        now = tick
    return track


def made(take: Take, *strokes: dict[str, Any]) -> Take:
    for said in strokes:
        take = applied(parse_stroke({"where": {"parts": [0]}, **said}), take)
    return take


def curve(lane: str, first: float, last: float) -> dict[str, Any]:
    nodes = [{"at": 0, "value": first, "hold": False}, {"at": 1, "value": last}]
    return {"kind": "note.curve", "lane": lane, "nodes": nodes}


def the_note(heard: Heard, key: int, number: int = 0) -> Note:
    return [note for note in heard.notes if note.pitch == key][number]


# ---- pitch, curves of notes, zones


@pytest.mark.parametrize("lane", ["note:pitch", "note:pressure"])
def test_a_note_keeps_its_curve_where_the_next_begins_with_its_end_and_is_cut_short(lane: str) -> None:
    take = read(file_of(track_of([(480, 1440, 60), (1440, 1920, 62), (1680, 2400, 64)])))
    first, last = (-2.0, 2.0) if lane == "note:pitch" else (0.0, 120.0)
    sent = made(take, {"kind": "note.send", "as": "mpe", "members": 1}, curve(lane, first, last))
    heard = receive(write(sent))
    for key, until in ((60, 1440), (62, 1680), (64, 2400)):
        note = the_note(heard, key)
        start, end = {60: (480, 1440), 62: (1440, 1920), 64: (1680, 2400)}[key]
        ticks = np.arange(start, until - 1, 7)
        wanted = first + (last - first) * (ticks - start) / (end - start)
        channel = heard.channels[note.port, note.channel]
        steps = channel.bend if lane == "note:pitch" else channel.pressure
        told = steps.at(ticks * heard.division // 480)
        assert np.abs(told - wanted).max() <= (0.031 if lane == "note:pitch" else 1.5)


def test_zones_and_clips_bend_as_far_as_their_notes_say() -> None:
    take = made(read(file_of(track_of([(0, 480, 60)]))), curve("note:pitch", -2, 60))
    heard = receive(write(take, way="mpe"))
    note = the_note(heard, 60)
    assert heard.bend_of(note, note.key_up - 1) == pytest.approx(60, abs=0.3)
    # How much a cable carries is another thing.
    assert [one for one in unsent(take, "mpe") if one["reason"] != "cable"] == unsent(take, "clip") == []


def test_a_plain_curve_stays_until_the_note_has_died_away() -> None:
    pedal = [(240, control(64, 127)), (1200, control(64, 0))]
    ringing = read(file_of(track_of([(0, 480, 60), (3840, 4320, 62)], *pedal)))
    dry = read(file_of(track_of([(0, 480, 60), (3840, 4320, 62)])))
    for take, until in ((ringing, 1200 + 960), (dry, 480 + 960)):
        for lane, number, last, rest in (("note:pitch", None, 1.5, 0.0), ("note:timbre", 74, 100.0, 64.0)):
            heard = receive(write(made(take, curve(lane, rest, last)), way="plain"))
            channel = heard.channels[0, 0]
            steps = channel.bend if number is None else channel.controllers[number]
            scale = heard.division // 480
            # A second after nothing holds it any longer, and at once for the next note.
            assert steps.at((until - 2) * scale) == pytest.approx(last, abs=0.6 if number else 0.03)
            assert steps.at((until + 2) * scale) == pytest.approx(rest, abs=0.01)
    near = made(
        read(file_of(track_of([(0, 480, 60), (600, 960, 62)]))),
        {**curve("note:pitch", 0, 1), "where": {"notes": [[0, 0]]}},
    )
    heard = receive(write(near, way="plain"))
    scale = heard.division // 480
    assert heard.channels[0, 0].bend.at(np.array([599, 600]) * scale).tolist() == pytest.approx([1, 0], abs=0.01)
    # How long an instrument rings can be said.
    short = made(dry, {"kind": "note.answers", "rings": 0.1}, curve("note:pitch", 0, 1))
    heard = receive(write(short, way="plain"))
    assert heard.channels[0, 0].bend.at((480 + 100) * heard.division // 480) == 0


@pytest.mark.parametrize("kind", ["bend.fall", "bend.glide", "bend.dip"])
def test_gestures_wait_for_what_the_pedal_holds(kind: str) -> None:
    pedal = [(0, control(64, 127)), (1900, control(64, 0))]
    take = read(file_of(track_of([(0, 480, 60), (3840, 4320, 62)], *pedal)))
    said = {"kind": kind, "where": {"notes": [[0, 0]]}} | ({"at": 1.0} if kind == "bend.dip" else {})
    heard = receive(write(made(take, said)))
    scale = heard.division // 480
    rung = heard.channels[0, 0].bend.at(np.arange(480, 1900) * scale)
    # Nothing jumps while it rings.
    assert np.abs(np.diff(np.nan_to_num(rung))).max() < 0.05


def test_the_wheel_comes_home_when_nothing_sounds_any_longer() -> None:
    pedal = [(0, control(64, 127)), (1900, control(64, 0))]
    wheel = [(100, NOTE("pitchwheel", pitch=4096))]
    take = read(file_of(track_of([(0, 480, 60), (3840, 4320, 62)], *pedal, *wheel)))
    home = made(take, {"kind": "bend.home", "time": 0.25})
    told = [(tick, data) for tick, data in events(write(home))[0] if data[0] & 0xF0 == 0xE0]
    assert [tick for tick, _ in told] == [100, 1900 + 120]


def test_a_zone_is_said_again_after_a_module_is_reset() -> None:
    notes = [(0, 480, 60), (0, 480, 64), (1920, 2400, 60), (1920, 2400, 64)]
    for conductor in (True, False):
        reset = (1000, SYSTEM_ON)
        music = track_of(notes, *([] if conductor else [reset]))
        data = file_of([SYSTEM_ON.copy(time=1000)], music) if conductor else file_of(music)
        take = made(read(data), {"kind": "note.send", "as": "mpe"}, curve("note:pitch", 1, 5))
        heard = receive(write(take))
        for number in (0, 1):
            for key in (60, 64):
                note = the_note(heard, key, number)
                ticks = np.linspace(note.start, note.key_up - 1, 20)
                wanted = 1 + 4 * (ticks - note.start) / (note.key_up - note.start)
                assert np.abs(heard.bend_of(note, ticks) - wanted).max() < 0.05
                assert note.channel != 0


def test_a_module_that_begins_reset_is_told_of_its_zone_once() -> None:
    take = read(file_of([SYSTEM_ON], track_of([(0, 480, 60), (0, 480, 64)])))
    sent = made(take, {"kind": "note.send", "as": "mpe"}, curve("note:pitch", 1, 5))
    told = [data for track in events(write(sent)) for _, data in track]
    assert sum(data[:2] == bytes([0xB0, 6]) for data in told) == 2  # The zone itself, and its manager's range.


def test_percussion_stays_on_its_channel_unless_it_is_named() -> None:
    kit = [message.copy(channel=9) for message in track_of([(0, 480, 36), (0, 480, 42)])]
    take = read(file_of(kit))
    bent = made(take, {**curve("note:pitch", 0, 5), "where": {"notes": [[0, 0]]}})
    for way in (None, "mpe", "plain"):
        assert {note.channel for note in receive(write(bent, way=way)).notes} == {9}
        assert "percussion by its channel" in unsent(bent, way)[0]["says"]
    with pytest.raises(NothingMatched, match="name its part"):
        applied(parse_stroke({"kind": "note.send", "as": "mpe"}), bent)
    told = made(bent, {"kind": "note.send", "as": "mpe"})
    assert 9 not in {note.channel for note in receive(write(told)).notes} or len(receive(write(told)).managers)


def test_five_notes_share_three_members_evenly_and_it_is_said_where() -> None:
    take = read(file_of(track_of([(960, 1920, 60 + 2 * n) for n in range(5)])))
    sent = made(take, {"kind": "note.send", "as": "mpe", "members": 3}, curve("note:pitch", 0, 1))
    channels = [note.channel for note in receive(write(sent)).notes]
    assert sorted(channels.count(one) for one in set(channels)) == [1, 2, 2]
    (lost,) = unsent(sent, "mpe")
    assert lost["reason"] == "crowded zone" and "bar 1" in lost["says"]


def test_a_new_note_shares_with_what_only_rings() -> None:
    """Three members: one holds a key, two only ring under the pedal; the new note goes to one of these."""
    notes = [(0, 3000, 60), (0, 200, 64), (0, 300, 67), (600, 900, 72)]
    take = read(file_of(track_of(notes, (0, control(64, 127)), (3000, control(64, 0)))))
    sent = made(take, {"kind": "note.send", "as": "mpe", "members": 3}, curve("note:pitch", 0, 1))
    heard = receive(write(sent))
    assert the_note(heard, 72).channel != the_note(heard, 60).channel


def test_streams_of_notes_follow_steep_ways_and_can_be_bounded() -> None:
    nodes = [{"at": 0, "value": 0}, {"at": 0.5, "value": 0, "hold": False}, {"at": 0.51, "value": 127}]
    take = made(
        read(file_of(track_of([(0, 1920, 60), (0, 1920, 67)]))),
        {"kind": "note.send", "as": "mpe"},
        {"kind": "note.curve", "lane": "note:timbre", "nodes": nodes},
    )

    def timbre(sent: Take) -> tuple[Heard, np.ndarray]:
        heard = receive(write(sent))
        note = the_note(heard, 60)
        return heard, heard.channels[note.port, note.channel].controllers[74].ticks

    heard, told = timbre(take)
    note = the_note(heard, 60)
    scale = heard.division // 480
    ticks = np.arange(960 * scale, 979 * scale)
    wanted = np.interp(ticks / scale, [960, 979.2], [0, 127])
    off = np.abs(heard.channels[note.port, note.channel].controllers[74].at(ticks) - wanted)
    assert off.max() <= 3
    bound = made(take, {"kind": "note.stream", "lane": "note:timbre", "per_second": 100})
    _, fewer = timbre(bound)
    assert len(fewer) < len(told) / 3
    for said in ({}, {"off": 1, "per_second": 5}):
        with pytest.raises(BadStroke, match="either off or per_second"):
            parse_stroke({"kind": "note.stream", "lane": "note:timbre", **said})


# ---- ranges


def told_of_range(take: Take) -> list[tuple[int, int, int]]:
    return [
        (tick, data[1], data[2])
        for tick, data in events(write(take))[0]
        if data[0] & 0xF0 == 0xB0 and data[1] in (6, 38, 100, 101)
    ]


def test_a_range_is_said_once_at_the_start_with_room_between_its_messages() -> None:
    for begins in ([SYSTEM_ON], [control(121, 0)]):
        later = [(960, NOTE("pitchwheel", pitch=4000)), (1300, NOTE("pitchwheel", pitch=0))]
        take = read(file_of([*begins, *track_of([(960, 1440, 60)], *later)]))
        told = told_of_range(made(take, {"kind": "bend.range", "semitones": 7}))
        assert [number for _, number, _ in told] == [101, 100, 6, 38, 101, 100]
        assert np.diff([tick for tick, _, _ in told]).min() >= 5  # 5 ms are 4.8 ticks.
        assert told[0][0] > 0
    # What is bent at the very tick of the reset needs it there.
    at_once = read(file_of([SYSTEM_ON, *track_of([(0, 480, 60)], (0, NOTE("pitchwheel", pitch=4000)))]))
    told = told_of_range(made(at_once, {"kind": "bend.range", "semitones": 7}))
    assert {tick for tick, _, _ in told} == {0} and len(told) == 6


@pytest.mark.parametrize("semitones", [0.001, 0.004, 0.0])
def test_a_range_of_less_than_a_cent_is_none(semitones: float) -> None:
    with pytest.raises(BadStroke, match=r"from 0\.01 to 96"):
        parse_stroke({"kind": "bend.range", "semitones": semitones})


def test_between_semitones_and_cents_the_range_holds_what_is_bent() -> None:
    """Seen in recordings: 12 semitones become 3.5 while the wheel is 3.2 out; for a gap the range would have been 3."""
    wheel = [(tick, NOTE("pitchwheel", pitch=int(3.2 / 12 * 8192))) for tick in range(0, 1900, 20)]
    begin = [(0, control(101, 0)), (0, control(100, 0)), (0, control(6, 12))]
    take = read(file_of(track_of([(0, 1900, 60)], *begin, *wheel)))
    before = receive(write(take)).channels[0, 0].bend
    narrow = made(take, {"kind": "bend.range", "semitones": 3.5, "where": {"parts": [0], "span": [1000, 3000]}})
    heard = receive(write(narrow))
    ticks = np.arange(0, 1900 * 2)
    assert np.abs(heard.channels[0, 0].bend.at(ticks * heard.division / 960) - before.at(ticks / 2)).max() < 0.005


def test_a_range_that_was_set_for_later_is_kept_behind_another() -> None:
    take = read(
        file_of(
            track_of([(0, 4000, 60)], *((tick, NOTE("pitchwheel", pitch=tick % 300)) for tick in range(0, 4000, 40)))
        )
    )
    ranges = made(
        take,
        {"kind": "bend.range", "semitones": 12, "where": {"parts": [0], "span": [4000, 5000]}},
        {"kind": "bend.range", "semitones": 7, "where": {"parts": [0], "span": [1000, 4960]}},
    )
    assert ranges.channels[0].bend_range.at([500, 3000, 4980, 6000]).tolist() == [2, 7, 12, 2]


# ---- what is said where it cannot be sent


def run(
    tmp_path: Path, capsys: pytest.CaptureFixture[str], data: bytes, strokes: list[Any], *more: str
) -> tuple[int, str, bytes]:
    (tmp_path / "in.mid").write_bytes(data)
    (tmp_path / "strokes.json").write_text(json.dumps(strokes))
    out = tmp_path / "out.mid"
    code = main(["shape", str(tmp_path / "in.mid"), "--strokes", str(tmp_path / "strokes.json"), "-o", str(out), *more])
    return code, capsys.readouterr().err, out.read_bytes() if out.exists() else b""


@pytest.mark.parametrize(
    ("strokes", "least"),
    [
        ([{"kind": "bend.glide", "as": "one"}], 7),
        ([{"kind": "bend.scoop", "start": -12}], 12),
        ([{"kind": "lane.nodes", "lane": "bend", "where": {"parts": [0]}, "nodes": [{"tick": 0, "value": 7}]}], 7),
    ],
)
def test_what_is_beyond_the_range_is_said_and_widened_where_it_is_asked(
    tmp_path: Path, capsys: pytest.CaptureFixture[str], strokes: list[Any], least: int
) -> None:
    data = file_of(track_of([(0, 480, 60), (480, 960, 67)]))
    code, told, _ = run(tmp_path, capsys, data, strokes)
    assert code == 0
    assert "in bar 1" in told and f"A range of {least} holds it: --widen." in told
    code, told, sent = run(tmp_path, capsys, data, strokes, "--widen")
    assert code == 0 and f"the bend range is {least} now" in told and "holds it" not in told
    furthest = np.abs(receive(sent).channels[0, 0].bend.values).max()
    assert furthest == pytest.approx(least, abs=0.01)


def test_a_curve_that_no_range_of_the_instrument_holds_is_said(
    tmp_path: Path, capsys: pytest.CaptureFixture[str]
) -> None:
    data = file_of(track_of([(0, 480, 60)]))
    where = {"parts": [0]}
    small = [{"kind": "bend.instrument", "largest": 2, "where": where}, {**curve("note:pitch", 0, 7), "where": where}]
    code, told, _ = run(tmp_path, capsys, data, small)
    assert code == 0 and "7.00 semitones away in bar 1" in told


def test_notes_that_give_way_and_strokes_that_do_nothing_are_said(
    tmp_path: Path, capsys: pytest.CaptureFixture[str]
) -> None:
    data = file_of(track_of([(0, 480, 60), (960, 1440, 60)]))
    moved = {"kind": "notes.move", "ticks": 1920, "where": {"notes": [[0, 0]]}}
    assert "1 note gives way" in run(tmp_path, capsys, data, [moved])[1]
    same = {"kind": "velocity.set", "value": 80, "where": {"parts": [0]}}
    assert "stroke 1 changes nothing" in run(tmp_path, capsys, data, [same])[1]
    steps = {"kind": "lane.distil", "lane": "cc:1", "where": {"parts": [0]}}
    three = file_of(track_of([(0, 480, 60)], (0, control(1, 5)), (100, control(1, 90)), (200, control(1, 3))))
    assert "stroke 1 changes nothing" in run(tmp_path, capsys, three, [steps])[1]


# ---- lanes


@pytest.mark.parametrize("seed", range(60))
def test_a_line_by_few_points_is_the_straight_line(seed: int) -> None:
    dice = np.random.default_rng(seed)
    ticks = np.sort(dice.choice(20_000, int(dice.integers(2, 12)), replace=False))
    values = dice.uniform(0, 127, len(ticks))
    if seed % 3 == 0:
        values = 127 * np.expm1(4 * ticks / ticks[-1]) / np.expm1(4)
    tolerance = float(dice.choice([0.25, 1, 3]))
    made_ = line_through(ticks, values, tolerance)
    every = np.arange(ticks[0], ticks[-1] + 1)
    assert np.abs(made_.at(every) - np.interp(every, ticks, values)).max() <= tolerance + 1e-6


def test_outside_the_span_all_stays_event_for_event() -> None:
    values = [50, 50, 60, 60, 60, 40, 40, 40, 90, 90]
    lane = [(100 * n, control(11, value)) for n, value in enumerate(values)]
    feet = [(130 * n, control(64, value)) for n, value in enumerate([127, 127, 0, 0, 127, 127, 0, 0])]
    take = read(file_of(track_of([(0, 1000, 60)], *lane, *feet)))

    def outside(one: Take, first: int, after: int, number: int) -> list[tuple[int, int]]:
        told = events(write(one))
        scale = 960 // mido_ticks(write(one))
        return [
            (tick * scale, data[2])
            for tick, data in told[0]
            if data[:2] == bytes([0xB0, number]) and not first <= tick * scale < after
        ]

    where = {"parts": [0], "span": [500, 900]}
    for said, number in (
        ({"kind": "lane.ramp", "lane": "cc:11", "start": 10, "end": 60}, 11),
        ({"kind": "lane.clear", "lane": "cc:11"}, 11),
        ({"kind": "lane.wave", "lane": "cc:11", "rate": 0.1, "depth": 20, "mode": "add"}, 11),
        ({"kind": "pedal.press"}, 64),
        ({"kind": "pedal.lift"}, 64),
    ):
        shaped = made(take, {**said, "where": where})
        # What comes back at the end of the span is the only thing that is new behind it.
        assert outside(shaped, 500, 901, number) == outside(take, 500, 901, number), said


def mido_ticks(data: bytes) -> int:
    return int.from_bytes(data[12:14])


def test_a_note_ends_so_much_before_its_key_is_struck_again_whatever_ended_it() -> None:
    """Keys struck again 30 ms after the pedal has come up, and before that."""
    pedal = [(0, control(64, 127)), (931, control(64, 0)), (1000, control(64, 127)), (3000, control(64, 0))]
    take = read(file_of(track_of([(0, 200, 60), (960, 1100, 60), (1900, 2000, 60)], *pedal)))
    notes = made(take, {"kind": "pedal.to_lengths", "gap_ms": 100}).parts[0].notes
    gap = 96 * 2
    assert (notes.start[1:] - notes.end[:-1]).tolist() == [gap, gap]


def test_velocity_is_drawn_through_each_note_by_its_own_time() -> None:
    take = read(file_of(track_of([(0, 480, 60), (20, 480, 64), (40, 480, 67)])))
    drawn = made(take, {"kind": "velocity.draw", "points": [[0, 10], [80, 90]]})
    assert drawn.parts[0].notes.velocity.tolist() == [10, 50, 90]


# ---- bad input


def test_a_take_is_not_emptied_by_a_stroke_without_a_place() -> None:
    take = read(file_of(phrase([60, 70])))
    wheres: tuple[dict[str, Any], ...] = ({}, {"where": {}})
    for where in wheres:
        with pytest.raises(NothingMatched, match="would empty the take"):
            applied(parse_stroke({"kind": "notes.delete", **where}), take)
    assert len(made(take, {"kind": "notes.delete"}).parts[0].notes) == 0


@pytest.mark.parametrize(
    ("said", "sentence"),
    [
        (
            {"kind": "velocity.set", "value": 5, "where": 5},
            'where must be an object in braces such as {"parts": [0]}, not 5.',
        ),
        ({"kind": "lane.draw", "lane": "cc:1", "points": []}, "points must have at least 1 entry."),
        ({"kind": "lane.nodes", "lane": "cc:1", "nodes": [5]}, "nodes.0 must be an object in braces, not 5."),
        ([], "stroke must be an object in braces such as"),
        ({"kind": "lane.copy", "lane": "cc:1", "to": 3}, "to must be an object in braces"),
    ],
)
def test_sentences_are_ours(said: Any, sentence: str) -> None:
    with pytest.raises(BadStroke) as refused:
        parse_stroke(said)
    assert str(refused.value).startswith(sentence)


def test_what_lies_behind_short_notes_is_refused_in_a_sentence() -> None:
    take = read(file_of(phrase([80] * 6, gap=200)))
    with pytest.raises(NothingMatched, match="behind the end of each of these notes"):
        made(take, {"kind": "lane.draw", "lane": "note:pitch", "points": [[500_000, 1], [600_000, 2]]})
    with pytest.raises(NothingMatched, match="long enough"):
        made(take, {"kind": "lane.shape", "lane": "note:pitch", "start": 0, "end": 2, "delay": 1600})
    long_ = {"kind": "lane.draw", "lane": "note:pitch", "points": [[0, 1], [600_000, 2]]}
    assert made(take, long_).parts[0].curves["note:pitch"].ids.tolist() == list(range(6))
    with pytest.raises(BadStroke, match="lane must be one that notes have"):
        own_facts(take, parse_stroke({"kind": "notes.mute"}).where, "nonsense")


def test_a_curve_given_to_nobody_else_says_so() -> None:
    take = made(read(file_of(phrase([80] * 3))), {**curve("note:pitch", 0, 1), "where": {"notes": [[0, 0]]}})
    said = {"kind": "note.copy", "lane": "note:pitch", "source": 0, "where": {"notes": [[0, 0]]}}
    with pytest.raises(NothingMatched, match="Only the note that gives its curve is chosen"):
        parse_stroke(said).apply(take)


def test_ids_that_never_were_are_told_from_those_that_are_gone() -> None:
    take = read(file_of(phrase([80] * 3)))
    gone = made(take, {"kind": "notes.delete", "where": {"notes": [[1, 1]]}})
    with pytest.raises(NothingMatched, match="are gone"):
        made(gone, {"kind": "velocity.set", "value": 5, "where": {"notes": [[1, 1]]}})
    with pytest.raises(NothingMatched, match="no note 99: the notes of this recording are numbered from 0 to 2"):
        made(take, {"kind": "velocity.set", "value": 5, "where": {"notes": [[99, 120]]}})


def test_takes_that_say_the_same_are_alike() -> None:
    take = read(file_of(phrase([80] * 3)))
    assert take.is_like(made(take, {"kind": "velocity.set", "value": 80}))
    assert not take.is_like(made(take, {"kind": "velocity.set", "value": 81}))
    assert not take.is_like(made(take, curve("note:pitch", 0, 1)))
    assert not take.is_like(made(take, {"kind": "bend.range", "semitones": 7}))
    once = made(take, curve("note:pitch", 0, 1))
    assert once.is_like(made(once, curve("note:pitch", 0, 1)))
    assert NoteCurves.each([], []).nodes.columns[0].tolist() == Curve.of([], []).ticks.tolist()

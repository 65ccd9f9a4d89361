"""MPE: what the standard says (M1-100) by hand, byte for byte, and what a receiver makes of random polyphony."""

import io
import random
from collections import defaultdict

import mido
import numpy as np
import pytest

from expression.errors import NothingMatched
from expression.history import applied
from expression.midi.files import opened, saved
from expression.midi.read import read
from expression.midi.write import write
from expression.midi.zones import allotment
from expression.midi.zoning import as_zone
from expression.receiver import receive
from expression.receiver_document import as_document
from expression.strokes import parse_stroke
from expression.take import Take
from expression.views.faults import faults
from tests.files import file_of

M = mido.Message


def made(take: Take, *strokes: dict[str, object]) -> Take:
    for said in strokes:
        take = applied(parse_stroke(said), take)
    return take


def sent(data: bytes, track: int = 0) -> list[tuple[int, list[int]]]:
    """The channel messages of a track: ticks and bytes."""
    tick, found = 0, []
    for message in mido.MidiFile(file=io.BytesIO(data)).tracks[track]:
        tick += message.time
        if not message.is_meta:
            found.append((tick, message.bytes()))
    return found


def two_notes() -> Take:
    return read(
        file_of(
            [
                M("note_on", note=60, velocity=64, time=480), M("note_on", note=64, velocity=70),
                M("note_off", note=60, velocity=64, time=480), M("note_off", note=64, velocity=64),
            ]
        )
    )  # fmt: skip


UP: dict[str, object] = {
    "kind": "note.curve",
    "lane": "note:pitch",
    "nodes": [{"at": 0, "value": 12, "hold": True}],
    "where": {"notes": [[1, 1]]},
}
SENT: dict[str, object] = {"kind": "note.send", "as": "mpe", "members": 2, "semitones": 24}


def test_a_zone_byte_for_byte() -> None:
    """Configuration (RPN 6), ranges of manager and members (RPN 0), and before each note its bend, pressure, timbre."""

    def parameter(channel: int, number: int, coarse: int, fine: int | None = None) -> list[list[int]]:
        status = 0xB0 | channel
        data = [[status, 6, coarse]] + ([] if fine is None else [[status, 38, fine]])
        return [[status, 101, 0], [status, 100, number], *data, [status, 101, 127], [status, 100, 127]]

    wanted = [
        *[(0, one) for one in parameter(0, 6, 2)],
        *[(0, one) for one in parameter(0, 0, 2, 0)],
        *[(0, one) for one in parameter(1, 0, 24, 0)],
        *[(0, one) for one in parameter(2, 0, 24, 0)],
        # 12 of 24 semitones: half of 8192 above the centre.
        (480, [0xE1, 0x00, 0x40]), (480, [0xD1, 0]), (480, [0xB1, 74, 64]), (480, [0x91, 60, 64]),
        (480, [0xE2, 0x00, 0x60]), (480, [0xD2, 0]), (480, [0xB2, 74, 64]), (480, [0x92, 64, 70]),
        (960, [0x81, 60, 64]), (960, [0x82, 64, 64]),
    ]  # fmt: skip
    assert sent(write(made(two_notes(), UP, SENT))) == wanted


def test_the_upper_zone_goes_down_from_fifteen() -> None:
    take = made(two_notes(), UP, {**SENT, "zone": "upper"})
    assert [one for _, one in sent(write(take)) if one[0] & 0xF0 == 0x90] == [[0x9E, 60, 64], [0x9D, 64, 70]]
    assert sent(write(take))[0][1] == [0xBF, 101, 0]


def test_what_the_lanes_do_goes_to_the_manager() -> None:
    take = made(
        two_notes(),
        {"kind": "lane.ramp", "lane": "bend", "start": 0, "end": 1, "where": {"parts": [0], "span": [960, 1920]}},
        UP,
        SENT,
    )
    bends = [(tick, one) for tick, one in sent(write(take)) if one[0] == 0xE0]
    assert bends and bends[-1][1] == [0xE0, 0x00, 0x60]
    (low, high) = as_document(receive(write(take)))["notes"]
    assert low["bend"][-1][1] == pytest.approx(1, abs=0.01) and high["bend"][-1][1] == pytest.approx(13, abs=0.03)


def test_by_itself_a_part_is_sent_in_a_zone_only_where_it_has_to_be() -> None:
    chord = made(two_notes(), UP)
    assert any(one[0] == 0x91 for _, one in sent(write(chord)))
    plain = write(chord, way="plain")
    assert {one[0] & 0x0F for _, one in sent(plain)} == {0}
    # A line is said by the wheel, with a range that holds it; what a key's own message says, by that.
    line = read(file_of([M("note_on", note=60), M("note_off", note=60, time=480)]))
    bent = sent(write(made(line, {**UP, "where": {}})))
    assert (0, [0xB0, 6, 12]) in bent and {one[0] & 0x0F for _, one in bent} == {0}
    pressed = made(two_notes(), {**UP, "lane": "note:pressure", "nodes": [{"at": 0.5, "value": 99}]})
    assert (720, [0xA0, 64, 99]) in sent(write(pressed))


def test_zones_do_not_share_channels_with_other_parts() -> None:
    pad = [M("note_on", note=60), M("note_on", note=64), M("note_off", note=60, time=480), M("note_off", note=64)]
    take = read(file_of(pad, [one.copy(channel=3) for one in pad]))
    alone = made(take, UP)
    file = mido.MidiFile(file=io.BytesIO(write(alone)))
    ports = [[one.port for one in track if one.type == "midi_port"] for track in file.tracks]
    assert ports == [[1], []]
    both = made(alone, {**UP, "where": {"notes": [[3, 3]]}})
    file = mido.MidiFile(file=io.BytesIO(write(both)))
    # The second has its own channels too, on its own port: each goes to its own track.
    assert len({tuple(one.port for one in track if one.type == "midi_port") for track in file.tracks}) == 2
    assert [len(part.notes) for part in read(write(both)).parts if len(part.notes)] == [2, 2]
    assert {one["reason"] for one in faults(alone)} == {"own port"}
    # Of one track with several channels the zone gets a track of its own.
    mixed = made(read(file_of([*pad, *(one.copy(channel=3) for one in pad)])), UP)
    assert len(mido.MidiFile(file=io.BytesIO(write(mixed))).tracks) == 2


def test_the_channel_that_has_been_silent_longest_is_next() -> None:
    struck = []
    for pitch in range(60, 65):
        struck += [M("note_on", note=pitch, time=10), M("note_off", note=pitch, time=100)]
    take = made(read(file_of(struck)), {**UP, "where": {}}, {**SENT, "members": 3})
    given = allotment(take, take.channels[0])
    assert given.member.tolist() == [1, 2, 3, 1, 2]


def test_more_notes_than_channels_share_that_of_the_one_nearest_to_its_end() -> None:
    held = [M("note_on", note=60), M("note_on", note=64, time=10), M("note_on", note=67, time=10)]
    ends = [M("note_off", note=64, time=200), M("note_off", note=60, time=200), M("note_off", note=67, time=200)]
    take = made(read(file_of([*held, *ends])), {**UP, "where": {}}, SENT)
    given = allotment(take, take.channels[0])
    assert given.member.tolist() == [1, 2, 2] and given.crowded.tolist() == [2]
    (found,) = [one for one in faults(take) if one["reason"] == "crowded zone"]
    assert "1 note" in found["says"] and found["stroke"] is not None
    mended = applied(found["stroke"], take)
    assert not allotment(mended, mended.channels[0]).crowded.size


def test_a_key_that_is_held_keeps_its_channel_where_others_only_ring_under_the_pedal() -> None:
    pedal = [M("control_change", control=64, value=127)]
    short = [M("note_on", note=60, time=10), M("note_off", note=60, time=10)]
    held = [M("note_on", note=64, time=10)]
    again = [one for note in (65, 67) for one in (M("note_on", note=note, time=10), M("note_off", note=note, time=10))]
    up = [M("control_change", control=64, value=0, time=10), M("note_off", note=64, time=10)]
    take = made(read(file_of([*pedal, *short, *held, *again, *up])), {**UP, "where": {}}, SENT)
    given = allotment(take, take.channels[0])
    assert given.member.tolist() == [1, 2, 1, 1] and given.crowded.tolist() == [2, 3]


# ---- random polyphony, by mido and plain formulas alone


def polyphony(dice: random.Random) -> bytes:
    events, tick = [], 0
    for _ in range(50):
        tick += dice.randrange(0, 200)
        pitch, length = dice.randrange(30, 90), dice.randrange(20, 1200)
        events += [(tick, 1, pitch), (tick + length, 0, pitch)]
    down: set[int] = set()
    messages, last = [], 0
    for tick, on, pitch in sorted(events):
        if (pitch in down) == bool(on):
            continue
        (down.add if on else down.discard)(pitch)
        kind = "note_on" if on else "note_off"
        messages.append(M(kind, note=pitch, velocity=dice.randrange(1, 127), time=tick - last))
        last = tick
    return file_of(messages)


def curves_on(dice: random.Random, take: Take) -> Take:
    for lane, low, high in (
        ("note:pitch", -12, 12),
        ("note:pitch", -12, 12),
        ("note:pressure", 0, 127),
        ("note:timbre", 0, 127),
    ):
        first = dice.randrange(0, 30)
        nodes = sorted(
            (
                {
                    "at": round(dice.random(), 3),
                    "value": dice.uniform(low, high),
                    "hold": dice.random() < 0.3,
                    "lift": dice.uniform(-1, 1),
                    "ease": dice.choice([0, 1, 0.4]),
                }
                for _ in range(dice.randrange(1, 6))
            ),
            key=lambda node: float(node["at"]),
        )
        said = {"kind": "note.curve", "lane": lane, "nodes": nodes, "where": {"notes": [[first, first + 25]]}}
        take = applied(parse_stroke(said), take)
    try:
        return made(take, {"kind": "note.glide", "time": dice.uniform(0.1, 1), "where": {"notes": [[0, 12]]}})
    except NothingMatched:
        return take


def off(take: Take, data: bytes) -> dict[str, float]:
    """How far what the bytes say of each note is from its curves: pitch at every tick, values beyond two time steps."""
    file = mido.MidiFile(file=io.BytesIO(data))
    scale = take.resolution / file.ticks_per_beat
    said: dict[tuple[int, str], list[tuple[float, float]]] = defaultdict(list)
    ranges: dict[int, float] = defaultdict(lambda: 48.0)
    chosen: dict[int, dict[int, int]] = defaultdict(dict)
    down, struck = {}, {}
    tick = 0.0
    for message in mido.merge_tracks(file.tracks):
        tick += message.time * scale
        if message.type == "control_change" and message.control in (100, 101):
            chosen[message.channel][message.control] = message.value
        elif message.type == "control_change" and message.control == 6 and chosen[message.channel] == {101: 0, 100: 0}:
            ranges[message.channel] = float(message.value)
        elif message.type == "control_change" and message.control == 74:
            said[message.channel, "note:timbre"].append((tick, message.value))
        elif message.type == "aftertouch":
            said[message.channel, "note:pressure"].append((tick, message.value))
        elif message.type == "pitchwheel":
            said[message.channel, "note:pitch"].append((tick, message.pitch / 8192 * ranges[message.channel]))
        elif message.type == "note_on":
            down[message.channel, message.note] = tick
        elif message.type == "note_off":
            struck[round(down.pop((message.channel, message.note))), message.note] = (round(tick), message.channel)
    part = take.parts[0]
    given = allotment(take, part.channel)
    busy = defaultdict(list)
    for id_, start, end, member in zip(
        given.id.tolist(), given.start.tolist(), given.end.tolist(), given.member.tolist(), strict=True
    ):
        busy[member].append((start, end, id_))
    worst: dict[str, float] = defaultdict(float)
    step = int(take.tempo.tick(0.0101)) + 3
    for row, id_ in enumerate(part.notes.id.tolist()):
        start, key = int(part.notes.start[row]), int(part.notes.pitch[row])
        end, channel = struck[start, key]
        assert end == int(part.notes.end[row])
        if sum(a < end and b > start for a, b, _ in busy[channel]) > 1:
            continue
        ticks = np.arange(start, end)
        for lane, rest in (("note:pitch", 0.0), ("note:pressure", 0.0), ("note:timbre", 64.0)):
            curve = part.curves[lane].curve(id_) if lane in part.curves else None
            wanted = np.full(len(ticks), rest)
            if curve is not None and len(curve):
                wanted = np.nan_to_num(curve.at(ticks - start), nan=rest)
            when, value = np.array(said[channel, lane]).T
            heard = value[np.searchsorted(when, ticks, side="right") - 1]
            if lane == "note:pitch":
                worst[lane] = max(worst[lane], float(np.abs(heard - wanted).max()))
                continue
            padded = np.concatenate((np.full(step, wanted[0]), wanted))
            near = np.lib.stride_tricks.sliding_window_view(padded, step + 1)
            beyond = np.maximum(heard - near.max(axis=1), near.min(axis=1) - heard)
            worst[lane] = max(worst[lane], float(beyond.max()))
    return worst


@pytest.mark.parametrize("seed", range(8))
def test_what_is_drawn_is_what_is_sent_and_comes_back(seed: int) -> None:
    dice = random.Random(seed)
    take = curves_on(dice, read(polyphony(dice)))
    take = made(take, {"kind": "note.send", "as": "mpe", "members": dice.choice([15, 15, 5]), "semitones": 48})
    data = write(take)
    found = off(take, data)
    assert found["note:pitch"] <= 0.0301
    assert max(found["note:pressure"], found["note:timbre"]) <= 0.51
    # Read again it is the same notes with the same curves, and the same file, message for message.
    again = read(data)
    assert again.parts[0].channel.zone is not None
    assert [len(part.notes) for part in again.parts] == [len(part.notes) for part in take.parts]
    assert sent(write(again)) == sent(data)
    assert off(again, data)["note:pitch"] <= 0.0061
    # One curve changed: the others are sent as they came.
    changed = made(again, {**UP, "where": {"notes": [[3, 4]]}})
    assert off(changed, write(changed))["note:pitch"] <= 0.0301
    assert len(set(map(str, sent(data))) - set(map(str, sent(write(changed))))) < len(sent(data)) / 4


def test_what_looks_like_a_zone_is_offered_and_never_changed_unasked() -> None:
    tracks = [M("note_on", note=60 + c, velocity=64, channel=c, time=5) for c in range(1, 5)]
    tracks += [M("pitchwheel", pitch=500 * c, channel=c, time=5) for c in range(1, 5)]
    tracks += [M("note_off", note=60 + c, channel=c, time=5) for c in range(1, 5)]
    data = file_of(tracks)
    take = read(data)
    assert take.looks_zoned and "can be opened as MPE" in take.remarks[0]
    assert len(take.parts) == 4
    as_one = read(as_zone(data))
    assert not as_one.looks_zoned and [len(part.notes) for part in as_one.parts] == [4]
    curves = as_one.parts[0].curves["note:pitch"]
    assert [round(float(curves.curve(note).values[-1]), 3) for note in range(4)] == [
        round(500 * c / 8192 * 48, 3) for c in range(1, 5)
    ]
    assert not read(file_of([M("note_on", note=60), M("note_off", note=60, time=9)])).looks_zoned


def test_files_are_opened_by_what_they_hold() -> None:
    take = made(two_notes(), UP)
    assert saved(take, "clip")[:8] == b"SMF2CLIP"
    assert len(opened(saved(take, "clip")).parts[0].notes) == 2
    assert len(opened(saved(take, "mpe")).parts[0].notes) == 2

"""What other libraries read of the files that Lull writes: notes, wheels and controllers as the takes have them."""

import io
from collections import Counter
from typing import Any

import numpy as np
import pretty_midi
import pytest
import symusic

from demo.fog_signal import the_bellows_room, the_keepers_log, the_lens_room, the_reed_loft
from expression.history import applied
from expression.midi.read import read
from expression.midi.write import write
from expression.receiver import receive
from expression.strokes import parse_stroke
from expression.take import Take

SHAPED: list[dict[str, Any]] = [
    {"kind": "velocity.hairpin", "start": 20, "end": 110},
    {"kind": "notes.length", "factor": 0.7},
    {"kind": "notes.transpose", "keys": 2},
    {"kind": "notes.loosen", "amount_ms": 12, "seed": 4},
    {"kind": "lane.wave", "lane": "cc:11", "rate": 1.5, "depth": 20},
    {"kind": "lane.ramp", "lane": "bend", "start": -1.5, "end": 1.5},
    {"kind": "pedal.legato"},
]
Made = tuple[Take, bytes]


@pytest.fixture(params=[the_keepers_log, the_lens_room, the_bellows_room, the_reed_loft], ids=lambda one: one.__name__)
def made(request: pytest.FixtureRequest) -> Made:
    take = read(request.param())
    part = max(range(len(take.parts)), key=lambda row: len(take.parts[row].notes))
    for said in SHAPED:
        where = {"parts": [part], "span": [0, take.end]}
        take = applied(parse_stroke({"where": where, **said}), take)
    return take, write(take)


def notes_of(take: Take) -> Counter[tuple[int, int, int, int]]:
    """Of notes that are heard: channel, key, velocity and start in ticks."""
    found: Counter[tuple[int, int, int, int]] = Counter()
    for part in take.parts:
        notes = part.notes
        columns = (notes.pitch, notes.velocity, notes.start)
        rows = zip(*(column[~notes.muted].tolist() for column in columns), strict=True)
        found.update((part.channel.number, *row) for row in rows)
    return found


def test_symusic_reads_the_notes_as_they_are(made: Made) -> None:
    take, data = made
    score: Any = symusic.Score.from_midi(data)
    times = take.resolution // score.ticks_per_quarter
    wanted = Counter((key, velocity, start) for _, key, velocity, start in notes_of(take).elements())
    read_by = Counter((n.pitch, n.velocity, n.time * times) for track in score.tracks for n in track.notes)
    assert read_by == wanted
    ups = Counter((note.pitch, note.start, note.key_up) for note in receive(data).notes)
    assert Counter((n.pitch, n.time, n.time + n.duration) for track in score.tracks for n in track.notes) == ups


def test_symusic_reads_wheels_and_controllers_as_a_receiver_does(made: Made) -> None:
    """It leaves out what stands on tracks without notes."""
    _, data = made
    score: Any = symusic.Score.from_midi(data)
    heard = receive(data)
    wheels = Counter((one.time, one.value) for track in score.tracks for one in track.pitch_bends)
    known = [channel.wheel for channel in heard.channels.values()]
    told = Counter((int(t), int(v)) for one in known for t, v in zip(one.ticks, one.values, strict=True))
    assert len(wheels) > 90
    assert not wheels - told
    expression = Counter((c.time, c.value) for track in score.tracks for c in track.controls if c.number == 11)
    steps = [channel.controllers[11] for channel in heard.channels.values() if 11 in channel.controllers]
    told = Counter((int(t), int(v)) for one in steps for t, v in zip(one.ticks, one.values, strict=True))
    assert len(expression) > 90
    assert not expression - told


def test_pretty_midi_reads_the_notes_at_their_seconds(made: Made) -> None:
    take, data = made
    score = pretty_midi.PrettyMIDI(io.BytesIO(data))
    rows = sorted((n.start, n.pitch, n.velocity) for one in score.instruments for n in one.notes)
    seconds = take.tempo.seconds(np.array([start for *_, start in notes_of(take).elements()]))
    columns = ((key, velocity) for _, key, velocity, _ in notes_of(take).elements())
    wanted = sorted((float(at), *column) for at, column in zip(seconds, columns, strict=True))
    assert Counter(row[1:] for row in rows) == Counter(row[1:] for row in wanted)
    assert np.allclose([row[0] for row in rows], [row[0] for row in wanted], atol=1e-3)

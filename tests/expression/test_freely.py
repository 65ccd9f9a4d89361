"""Takes from nothing, and bars that are fitted to what was played freely."""

import io

import mido
import numpy as np
import pytest

from expression.beats import fitted, found
from expression.errors import BadFile, BadStroke
from expression.freely import in_bars
from expression.history import History, Shaped
from expression.midi.blank import blank, with_part
from expression.midi.read import read
from expression.midi.write import write
from expression.strokes import parse_stroke
from tests.files import file_of, phrase


def played(seconds: list[float], forces: list[int] | None = None) -> Shaped:
    """A take from nothing at 100 quarters a minute, with a strike at each second."""
    take = read(blank(100, 4, 4))
    events = []
    for row, second in enumerate(seconds):
        start, end = (round(float(take.tempo.tick(one))) for one in (second, second + 0.2))
        events += [[start, f"903c{(forces or [80] * len(seconds))[row]:02x}"], [end, "803c40"]]
    end = round(float(take.tempo.tick(seconds[-1] + 1)))
    where = {"parts": [0], "span": [0, end]}
    said = {"kind": "record.pass", "events": sorted(events), "where": where}
    return Shaped.of(take, History().add(parse_stroke(said)))


def breathing(count: int, first: float, seed: int = 3) -> list[float]:
    dice = np.random.default_rng(seed)
    gaps = 0.55 + 0.05 * np.sin(np.arange(count - 1) / 5) + 0.012 * dice.standard_normal(count - 1)
    return [float(one) for one in first + np.concatenate(([0], np.cumsum(gaps)))]


def test_a_take_from_nothing_is_a_file_that_others_read() -> None:
    file = mido.MidiFile(file=io.BytesIO(blank(96, 6, 8, fifths=-3, is_minor=True)))
    metas = {message.type: message for message in file.tracks[0]}
    assert mido.tempo2bpm(metas["set_tempo"].tempo) == pytest.approx(96)
    assert (metas["time_signature"].numerator, metas["time_signature"].denominator) == (6, 8)
    assert metas["key_signature"].key == "Cm"
    take = read(blank(96, 6, 8))
    assert [(part.name, len(part.notes), part.channel.number) for part in take.parts] == [("Part 1", 0, 0)]
    assert take.end == 8 * 6 * 480
    assert write(take) == blank(96, 6, 8)


def test_a_part_more_leaves_everything_as_it_was() -> None:
    before = read(file_of(phrase([80] * 3), phrase([60] * 2, channel=1)))
    after = read(with_part(before.source, "Bells"))
    assert [part.name for part in after.parts][2:] == ["Bells"]
    assert after.parts[2].channel.number == 2
    for old, new in zip(before.parts, after.parts, strict=False):
        assert old.notes.id.tolist() == new.notes.id.tolist()
        assert old.notes.start.tolist() == new.notes.start.tolist()


def test_a_file_of_one_track_becomes_one_of_several() -> None:
    made = mido.MidiFile(file=io.BytesIO(with_part(file_of(phrase([80]), type_=0), "Bells")))
    assert (made.type, len(made.tracks)) == (1, 2)


def test_there_is_no_part_without_a_channel_and_percussion_keeps_its_own() -> None:
    full = [phrase([80], channel=number) for number in range(16) if number != 9]
    with pytest.raises(BadFile, match="Every channel has a part already"):
        with_part(file_of(*full), "More")
    take = read(with_part(file_of(*full[:9]), "More"))
    assert take.parts[-1].channel.number == 10


def test_an_empty_track_of_another_program_is_still_no_part() -> None:
    silent = [mido.MetaMessage("track_name", name="Nothing"), mido.MetaMessage("channel_prefix", channel=3)]
    assert len(read(file_of(phrase([80]), silent)).parts) == 1


@pytest.mark.parametrize("first", [0.0, 0.4, 3.3])
def test_bars_are_fitted_to_taps_and_all_sounds_as_it_did(first: float) -> None:
    beats = breathing(24, first)
    before = played(beats)
    data, strokes = in_bars(before, beats, 4)
    take = read(data)
    after = Shaped.of(take, History().add(strokes[0][0])).now.take
    starts = after.parts[0].notes.start
    # Beats lie on beats: within a tick, by what was rounded when they were recorded.
    off = (starts + 480) % 960 - 480
    assert np.abs(off).max() <= 1
    assert starts[0] % 3840 in (0, 3839, 1)
    was = before.recorded.tempo.seconds(before.now.take.parts[0].notes.start)
    now = take.tempo.seconds(starts)
    assert np.ptp(now - was) < 0.002
    assert (now - was).min() >= -1e-3


@pytest.mark.parametrize("seed", range(6))
def test_beats_are_found_where_they_were_played(seed: int) -> None:
    beats = breathing(40, 0.6, seed)
    onsets = sorted([*beats, *(beat + 0.27 for beat in beats[1::2])])
    forces = np.array([90.0 if onset in beats else 40.0 for onset in onsets])
    told = found(np.array(onsets), forces)
    near = np.abs(told[:, None] - np.array(beats)).min(axis=1)
    assert len(told) == pytest.approx(len(beats), abs=2)
    assert np.median(near) < 0.02
    assert (near < 0.06).mean() > 0.9


def test_the_tempo_of_beats() -> None:
    tempo = fitted([2.0, 2.5, 3.1], 960, lead=4)
    assert [float(one) for one in tempo.seconds([0, 3840, 4800, 5760])] == pytest.approx([0, 2.0, 2.5, 3.1])


@pytest.mark.parametrize("taps", [[], [1.0], [1.0, 1.01], [1.0, 9.0]])
def test_taps_that_are_no_beats_are_refused(taps: list[float]) -> None:
    with pytest.raises(BadStroke, match="Beats must be at least two"):
        in_bars(played(breathing(8, 0.5)), taps, 4)


def test_only_what_was_played_into_nothing_is_put_in_bars() -> None:
    recorded = Shaped.of(read(file_of(phrase([80] * 4))))
    with pytest.raises(BadStroke, match="a take from nothing"):
        in_bars(recorded, None, 4)
    with pytest.raises(BadStroke, match="too little to find beats in"):
        in_bars(played([0.5, 0.6]), None, 4)
    shaped = played(breathing(8, 0.5))
    nudged = shaped.with_history(shaped.history.add(parse_stroke({"kind": "velocity.nudge", "by": 3})))
    with pytest.raises(BadStroke, match="nothing but what was played in"):
        in_bars(nudged, None, 4)


def test_passes_of_which_only_some_bars_count_keep_these() -> None:
    shaped = played(breathing(16, 0.5))
    some = parse_stroke({**shaped.entries[0].stroke.model_dump(), "only": [[0, 5000]]})
    shaped = shaped.with_history(shaped.history.change(1, some))
    data, strokes = in_bars(shaped, None, 4)
    after = Shaped.of(read(data), History().add(strokes[0][0])).now.take
    assert len(after.parts[0].notes) == len(shaped.now.take.parts[0].notes)

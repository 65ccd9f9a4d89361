"""What is told of a take before it goes: the load of its cable, and the paper of what was done."""

import io

import numpy as np
import pytest

from bench.performance import crowded
from demo.fog_signal import the_keepers_log
from expression.history import Entry, History, Shaped
from expression.midi.read import read
from expression.midi.write import write
from expression.strokes import parse_stroke
from expression.views.checkup import checkup
from expression.views.sheet import sheet
from expression.views.unsent import unsent
from expression.views.wire import wire
from tests.expression.test_excerpt import notes_of, opened
from tests.expression.test_rules import shaped, take_of
from tests.files import file_of, phrase


def by_the_second(data: bytes) -> list[tuple[float, int]]:
    """When each channel message comes, and its bytes."""
    file, now, found = opened(data), 0.0, []
    for message in file:
        now += message.time
        if not message.is_meta:
            found.append((now, len(message.bytes())))
    return found


def test_the_load_of_a_cable_is_what_another_library_counts() -> None:
    for take in (read(the_keepers_log()), read(crowded(6))):
        load = wire(take)
        told = by_the_second(write(take))
        times, sizes = np.array([at for at, _ in told]), np.array([size for _, size in told])
        most = max(int(sizes[(times >= at) & (times < at + 1.0)].sum()) for at in times.tolist())
        assert load["peak"] == pytest.approx(most, abs=6)
        assert max(load["bytes"]) == load["peak"]
        assert len(load["bytes"]) * load["every"] == pytest.approx(float(take.tempo.seconds(take.end)), abs=1.1)


def heavy() -> tuple[object, ...]:
    """Sixteen channels on which a lane is drawn up and down as fast as can be."""
    tracks = [phrase([80] * 16, channel=channel) for channel in range(15)]
    take = read(file_of(*tracks))
    for part in range(15):
        for lane in ("cc:1", "cc:11", "cc:74"):
            points = [[step * 60, 127.0 * (step % 2)] for step in range(100)]
            take = shaped(take, "lane.draw", lane=lane, points=points, tolerance=0, where={"parts": [part]})
    return (take,)


def test_what_is_too_much_for_a_cable_is_thinned_until_it_fits_or_says_that_nothing_helps() -> None:
    take = heavy()[0]
    load = wire(take)  # type: ignore[arg-type]
    assert load["peak"] > load["most"]
    [said] = [one for one in unsent(take) if one["reason"] == "cable"]  # type: ignore[arg-type]
    assert f"{load['peak']:,} bytes" in said["says"]
    if load["thin"] is None:
        assert "send fewer parts" in said["says"]
    else:
        told = by_the_second(write(take, load["thin"]))  # type: ignore[arg-type]
        times, sizes = np.array([at for at, _ in told]), np.array([size for _, size in told])
        assert max(int(sizes[(times >= at) & (times < at + 1.0)].sum()) for at in times.tolist()) <= load["most"] + 6
    assert [one["says"] for one in checkup(take) if one["reason"] == "cable"] == [said["says"]]  # type: ignore[arg-type]
    assert [one for one in unsent(read(the_keepers_log())) if one["reason"] == "cable"] == []


def test_parts_of_one_channel_are_told_before_they_become_one() -> None:
    take = read(file_of(phrase([80] * 4), phrase([80] * 4, pitch=40)))
    assert [one["reason"] for one in unsent(take, None, True)] == ["one track"]
    assert unsent(take) == []
    assert len(notes_of(write(take))) == 8


def words_of(pdf: bytes) -> str:
    from pypdf import PdfReader

    return "\n".join(page.extract_text() for page in PdfReader(io.BytesIO(pdf)).pages)


def test_the_paper_says_what_was_done_bar_by_bar_and_is_the_same_each_time() -> None:
    strokes = [
        {"kind": "velocity.hairpin", "start": 20, "end": 120, "where": {"parts": [0], "span": [0, 7680]}},
        {"kind": "lane.ramp", "lane": "cc:11", "start": 0, "end": 127, "where": {"parts": [1], "span": [0, 9600]}},
        {"kind": "velocity.set", "value": 64, "where": {"parts": [2]}},
    ]
    entries = tuple(Entry(row + 1, parse_stroke(one), on=row < 2) for row, one in enumerate(strokes))
    made = Shaped.of(read(the_keepers_log()), History(entries, len(entries)))
    pdf = sheet(made, "The log → again")
    assert pdf == sheet(made, "The log → again")
    words = words_of(pdf)
    assert "The log to again" in words
    assert "3 strokes" in words
    for entry in entries:
        assert f"{entry.number}. {entry.stroke.title}".replace("→", "to") in words
    assert "(switched off)" in words
    assert "Expression" in words
    assert "Velocity" in words
    assert "It is as it was recorded." in words_of(sheet(Shaped.of(take_of((0, 1, 60, 80))), "x"))

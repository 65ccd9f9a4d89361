from typing import Any

import mido
import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from demo.fog_signal import the_stair
from expression import views
from expression.errors import BadStroke, NothingMatched
from expression.history import shape
from expression.midi.emit import emit
from expression.midi.read import read
from expression.midi.write import write
from expression.strokes import parse_stroke
from expression.take import Take
from tests.files import NOTE, events, file_of, phrase


def control(number: int, value: int, time: int = 0) -> mido.Message:
    return NOTE("control_change", control=number, value=value, time=time)


WHEEL = file_of([
    control(1, 10), NOTE("note_on", note=60, velocity=64), control(1, 20, 480), control(7, 90),
    control(1, 30, 480), NOTE("note_off", note=60, time=480), control(1, 40),
], ticks=960)  # fmt: skip


def nodes(*made: Any, lane: str = "cc:1", **where: Any) -> Any:
    return parse_stroke({
        "kind": "lane.nodes", "lane": lane, "where": where,
        "nodes": [{"tick": tick, "value": value, **rest} for tick, value, rest in made],
    })  # fmt: skip


def wheel(take: Take, number: int = 1) -> list[tuple[int, int]]:
    """(tick, value) of a controller in the emitted first track."""
    track = emit(take)[0]
    rows = np.flatnonzero((track.status == 0xB0) & (track.data1 == number))
    return list(zip(track.tick[rows].tolist(), track.data2[rows].tolist(), strict=True))


def test_one_value_changed_stays_in_its_place_among_all_others() -> None:
    take = nodes((480, 99, {}), span=[480, 481]).apply(read(WHEEL))
    before, after = events(WHEEL)[0], events(write(take))[0]
    differing = [(a, b) for a, b in zip(before, after, strict=True) if a != b]
    assert differing == [((480, bytes([0xB0, 1, 20])), (480, bytes([0xB0, 1, 99])))]


def test_nodes_take_the_place_of_those_in_the_span_and_of_no_others() -> None:
    take = nodes((500, 1, {}), (700, 2, {}), span=[400, 1000]).apply(read(WHEEL))
    assert wheel(take) == [(0, 10), (500, 1), (700, 2), (1440, 40)]
    assert wheel(take, 7) == [(480, 90)]
    assert take.parts[0].lanes["cc:1"].curve.at([450, 600]).tolist() == [10, 1]


def test_an_empty_list_clears_the_span_and_without_a_span_the_lane() -> None:
    assert wheel(nodes(span=[400, 1000]).apply(read(WHEEL))) == [(0, 10), (1440, 40)]
    cleared = nodes().apply(read(WHEEL))
    assert wheel(cleared) == []
    assert "cc:1" not in cleared.parts[0].lanes
    assert wheel(nodes((5, 6, {}), parts=[0]).apply(cleared)) == [(5, 6)]


def test_a_lane_that_was_not_there_comes_before_the_notes_of_its_tick() -> None:
    take = nodes((0, 70, {}), lane="cc:74", parts=[0]).apply(read(file_of(phrase([64]))))
    assert [message for _, message in events(write(take))[0]][:2] == [bytes([0xB0, 74, 70]), bytes([0x90, 60, 64])]


def test_a_way_between_nodes_is_emitted_where_its_rounded_value_changes() -> None:
    take = nodes((0, 0, {"hold": False}), (1920, 50, {}), parts=[0]).apply(read(WHEEL))
    made = wheel(take)
    assert made[0] == (0, 0)
    # The last step is taken when the way is half a step before its end; the end itself has nothing new to say.
    assert made[-1] == (1901, 50)
    values = [value for _, value in made]
    assert values == sorted(values)
    assert sorted(set(values)) == list(range(51))
    gaps = np.diff(take.tempo.seconds([tick for tick, _ in made]))
    assert gaps.min() >= 0.005 - 1e-9


def test_bend_is_written_by_the_range_in_force_and_untouched_bend_as_it_was() -> None:
    setup = [control(101, 0), control(100, 0), control(6, 12)]
    data = file_of([*setup, NOTE("pitchwheel", pitch=1234, time=10), NOTE("pitchwheel", pitch=-77, time=10)], ticks=960)
    take = nodes((20, 6.0, {}), lane="bend", span=[20, 21]).apply(read(data))
    bends = [message for _, message in events(write(take))[0] if message[0] == 0xE0]
    assert [(message[1] | message[2] << 7) - 8192 for message in bends] == [1234, 4096]


def test_fine_halves_are_written_coarse_first() -> None:
    data = file_of([control(1, 64), control(33, 5), control(1, 65, 480)], ticks=960)
    take = nodes((480, 70.5, {}), span=[480, 481]).apply(read(data))
    assert [message for _, message in events(write(take))[0]][:4] == [
        bytes([0xB0, 1, 64]), bytes([0xB0, 33, 5]), bytes([0xB0, 1, 70]), bytes([0xB0, 33, 64]),
    ]  # fmt: skip
    assert read(write(take)).parts[0].lanes["cc:1"].curve.values[-1] == 70.5


STAIR = read(the_stair())


@settings(max_examples=60)
@given(st.dictionaries(st.integers(0, 40_000), st.integers(0, 127), min_size=1, max_size=12))
def test_hold_nodes_read_back_as_they_were_made(by_tick: dict[int, int]) -> None:
    take = STAIR
    made = sorted((tick * take.header.factor, value) for tick, value in by_tick.items())
    shaped = nodes(*[(tick, value, {}) for tick, value in made], lane="cc:74", parts=[1]).apply(take)
    parts = read(write(shaped)).parts
    back = parts[1].lanes["cc:74"].curve
    # What says only what is in force already is not sent.
    said = [one for row, one in enumerate(made) if row == 0 or one[1] != made[row - 1][1]]
    assert list(zip(back.ticks.tolist(), back.values.tolist(), strict=True)) == said
    assert [part.notes.velocity.tolist() for part in parts] == [part.notes.velocity.tolist() for part in take.parts]


def test_the_event_list_shows_a_shaped_lane_and_still_knows_its_notes() -> None:
    take = shape(read(WHEEL), [nodes((480, 99, {}), (490, 98, {}), span=[480, 500])])
    rows = views.events.page(take, 0, 20)["rows"]
    assert [(row["kind"], row["tick"], row["value"]) for row in rows] == [
        ("controller", 0, "10"), ("note", 0, "64"), ("controller", 480, "99"), ("controller", 480, "90"),
        ("controller", 490, "98"), ("controller", 960, "30"), ("controller", 1440, "40"),
    ]  # fmt: skip
    assert [row["lane"] for row in rows][:2] == ["cc:1", ""]
    assert (rows[1]["note"], rows[1]["length"]) == (0, 1440)


def test_changes_name_the_parts_of_which_lanes_differ() -> None:
    take = read(the_stair())
    assert views.changes.changes(take, nodes(lane="cc:11").apply(take))["lanes"] == [1]


@pytest.mark.parametrize(
    ("stroke", "told"),
    [
        ({"lane": "cc:128", "nodes": []}, "lane must be bend, pressure or cc:0 to cc:119"),
        ({"lane": "cc:1", "nodes": [{"tick": 5, "value": -1}]}, "nodes of Mod wheel must have values from 0 to 127"),
        ({"lane": "cc:1", "nodes": [{"tick": 5, "value": 1}, {"tick": 4, "value": 1}]}, "must ascend"),
        ({"lane": "cc:1", "nodes": [{"tick": 5, "value": 1}], "where": {"span": [0, 5]}}, "within the span"),
        ({"lane": "bend", "nodes": [{"tick": 5, "value": 300}]}, "value"),
    ],
)
def test_lanes_and_nodes_that_make_no_sense_are_refused(stroke: dict[str, Any], told: str) -> None:
    with pytest.raises(BadStroke, match=told):
        parse_stroke({"kind": "lane.nodes", **stroke})


def test_a_lane_that_no_part_has_is_told() -> None:
    with pytest.raises(NothingMatched, match="No part that the stroke names has a lane cc:95"):
        nodes(lane="cc:95").apply(read(WHEEL))

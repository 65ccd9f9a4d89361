"""What a lane says, earlier or later."""

import mido
import pytest

from expression.errors import BadStroke, NothingMatched
from expression.history import applied
from expression.midi.read import read
from expression.midi.write import write
from expression.receiver import receive
from expression.strokes import parse_stroke
from expression.take import Take
from tests.files import file_of

BREATH = "cc:2"


@pytest.fixture
def take() -> Take:
    track = [mido.Message("note_on", note=60, velocity=70)]
    track += [mido.Message("control_change", control=2, value=value, time=100) for value in (10, 30, 50, 70)]
    track += [mido.Message("note_off", note=60, time=600)]
    return read(file_of(track, ticks=480))


def shifted(take: Take, ticks: int, span: tuple[int, int] | None = None, scale: int = 1) -> Take:
    scale = take.resolution // 480
    where: dict[str, object] = {"parts": [0]}
    if span:
        where["span"] = [tick * scale for tick in span]
    return applied(parse_stroke({"kind": "lane.shift", "lane": BREATH, "ticks": ticks * scale, "where": where}), take)


def heard(take: Take) -> list[tuple[float, float]]:
    steps = receive(write(take)).channels[0, 0].controllers[2]
    return list(zip(steps.ticks.tolist(), steps.values.tolist(), strict=True))


def test_all_of_a_lane_comes_earlier_and_is_sent_so(take: Take) -> None:
    assert heard(take) == [(100, 10), (200, 30), (300, 50), (400, 70)]
    assert heard(shifted(take, -60)) == [(40, 10), (140, 30), (240, 50), (340, 70)]


def test_one_goes_past_others_that_stay(take: Take) -> None:
    assert heard(shifted(take, 250, (200, 201))) == [(100, 10), (300, 50), (400, 70), (450, 30)]


def test_who_stands_where_one_comes_gives_way(take: Take) -> None:
    assert heard(shifted(take, 100, (200, 201))) == [(100, 10), (300, 30), (400, 70)]


def test_ways_go_along_with_the_nodes_that_they_leave() -> None:
    take = read(file_of([mido.Message("note_on", note=60), mido.Message("note_off", note=60, time=1920)], ticks=480))
    ramp = {"kind": "lane.ramp", "lane": BREATH, "start": 0, "end": 100, "lift": 0.5}
    span = [0, take.resolution * 2]
    take = applied(parse_stroke({**ramp, "where": {"parts": [0], "span": span}}), take)
    before, after = take.parts[0].lanes[BREATH].curve, shifted(take, 240).parts[0].lanes[BREATH].curve
    late = 240 * take.resolution // 480
    assert (after.ticks - before.ticks).tolist() == [late] * len(before)
    for tick in range(0, span[1], 97):
        assert after.at(tick + late) == pytest.approx(before.at(tick))


def test_curves_of_notes_go_later_each_within_its_note(take: Take) -> None:
    where = {"parts": [0]}
    nodes = [{"at": 0, "value": 0}, {"at": 0.5, "value": 1}]
    bent = applied(parse_stroke({"kind": "note.curve", "lane": "note:pitch", "nodes": nodes, "where": where}), take)
    made = applied(parse_stroke({"kind": "lane.shift", "lane": "note:pitch", "ticks": 30, "where": where}), bent)
    old, new = (one.parts[0].curves["note:pitch"].nodes.ticks.tolist() for one in (bent, made))
    assert new == [tick + 30 for tick in old]


def test_what_cannot_be_is_said(take: Take) -> None:
    with pytest.raises(NothingMatched, match="before the start: they can go 200 ticks earlier"):
        shifted(take, -150, scale=2)
    with pytest.raises(NothingMatched, match="carries nothing"):
        shifted(take, 10, (0, 50))
    with pytest.raises(BadStroke, match="more or less than 0"):
        shifted(take, 0)

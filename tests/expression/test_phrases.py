"""Phrases: where they are found, what a hand makes of them, and strokes that act over each."""

from typing import Any

import numpy as np
import pytest

from demo.fog_signal import the_lamp_room
from expression.errors import BadStroke, NothingMatched
from expression.history import History, Shaped, applied
from expression.midi.read import read
from expression.midi.write import write
from expression.phrases import line_of, phrases_of, stretches
from expression.strokes import parse_stroke
from expression.take import Take
from expression.views.delta import delta
from expression.views.page import page
from tests.expression.test_rules import shaped, take_of, velocities

Q = 960
"""Ticks a quarter of a take: twice those of its file."""


def breathing(*lengths: int, rest: float = 1.0, pitch: int = 60) -> Take:
    """Lines of so many quarters on end, with a rest after each."""
    notes, at = [], 0.0
    for length in lengths:
        for step in range(length):
            notes.append((at + step, 0.9, pitch + step % 5, 80))
        at += length + rest
    return take_of(*notes)


def quarters(take: Take, level: str = "phrases") -> list[float]:
    return [tick / Q for tick in getattr(phrases_of(take, 0), level).tolist()]


FOUR = breathing(4, 4, 4, 4)
"""Phrases begin with quarters 0, 5, 10, 15."""


def marked(take: Take, bounds: list[float], span: tuple[float, float] | None = None, **more: Any) -> Take:
    where: dict[str, Any] = {"parts": [0]}
    if span is not None:
        where["span"] = [round(span[0] * Q), round(span[1] * Q) + 1]
    return shaped(take, "phrase.mark", bounds=[round(one * Q) for one in bounds], where=where, **more)


def test_a_line_breathes_where_it_rests() -> None:
    assert quarters(FOUR) == [0, 5, 10, 15]


def test_a_phrase_is_moved_joined_and_split_by_hand() -> None:
    assert quarters(marked(FOUR, [6], (5, 6))) == [0, 6, 10, 15]
    assert quarters(marked(FOUR, [], (5, 5))) == [0, 10, 15]
    assert quarters(marked(FOUR, [7], (7, 7))) == [0, 5, 7, 10, 15]
    assert quarters(marked(FOUR, [2, 12])) == [0, 2, 12]


def test_with_the_first_note_a_phrase_begins_whatever_was_said() -> None:
    assert quarters(marked(FOUR, [])) == [0]
    assert quarters(marked(FOUR, [], (0, 5))) == [0, 10, 15]


def test_of_what_is_joined_the_groups_stay_and_with_a_phrase_a_group_begins() -> None:
    joined = marked(FOUR, [], (5, 5))
    assert 5 in quarters(joined, "groups")
    assert 7 in quarters(marked(FOUR, [7], (7, 7)), "groups")
    assert 5 not in quarters(marked(joined, [], (5, 5), level="groups"), "groups")
    # A group that is taken away where a phrase begins begins with it all the same.
    assert 5 in quarters(marked(FOUR, [], (5, 5), level="groups"), "groups")


def test_what_is_said_later_counts() -> None:
    twice = marked(marked(FOUR, [6], (5, 6)), [7], (6, 7))
    assert quarters(twice) == [0, 7, 10, 15]


def test_a_mark_means_the_note_that_is_nearest_now() -> None:
    """What comes before it in the history may move notes a little: it keeps its note."""
    strokes = [
        {"kind": "notes.move", "ticks": -58, "where": {"notes": [[4, 4]]}},
        {"kind": "phrase.mark", "bounds": [6 * Q], "where": {"parts": [0], "span": [5 * Q, 6 * Q + 1]}},
    ]
    take = applied(parse_stroke(strokes[1]), applied(parse_stroke(strokes[0]), FOUR))
    assert quarters(take) == [0, 6, 10, 15]


def test_marks_go_along_where_the_take_keeps_its_seconds() -> None:
    made = shaped(marked(FOUR, [6], (5, 6)), "take.tempo", bpm=60, keeps="seconds")
    assert quarters(made) == [0, 3, 5, 7.5]


def test_a_mark_changes_nothing_that_is_sent_and_is_told_to_the_page() -> None:
    made = marked(FOUR, [6], (5, 6))
    assert write(made) == write(FOUR)
    assert not made.is_like(FOUR)
    [told] = delta(FOUR, made, 0)["parts"]
    assert [start // Q for start in told["phrases"]["start"]] == [0, 6, 10, 15]
    assert [start // Q for start in page(FOUR)["parts"][0]["phrases"]["start"]] == [0, 5, 10, 15]


def test_a_mark_without_a_line_or_out_of_order_is_refused() -> None:
    with pytest.raises(BadStroke, match="bounds must ascend"):
        parse_stroke({"kind": "phrase.mark", "bounds": [4, 2]})
    with pytest.raises(NothingMatched, match="no note that is heard"):
        marked(shaped(FOUR, "notes.mute"), [6])


def test_a_part_of_one_note_is_one_phrase() -> None:
    one = take_of((0, 1, 60, 80))
    assert quarters(one) == [0]
    assert [column.tolist() for column in stretches(one, 0, "phrases")] == [[0], [Q]]
    assert quarters(marked(one, [0, 5])) == [0]


def test_the_keys_of_a_drum_are_no_pitches() -> None:
    """A fill over far keys is no boundary: only time and rest divide."""
    keys = [36, 81, 36, 81, 38, 42, 36, 81]
    drum = take_of(*((step, 0.5, key, 80) for step, key in enumerate(keys)), channel=9)
    assert quarters(drum) == [0]


def test_a_stroke_acts_over_each_phrase() -> None:
    ramp = {"kind": "velocity.hairpin", "start": 40, "end": 100}
    made = applied(parse_stroke({**ramp, "where": {"each": "phrases"}}), FOUR)
    by_hand = FOUR
    for first, last in ((0, 4), (5, 9), (10, 14), (15, 19)):
        by_hand = applied(parse_stroke({**ramp, "where": {"span": [first * Q, round((last - 0.1) * Q)]}}), by_hand)
    assert velocities(made) == velocities(by_hand)
    assert velocities(made)[::4] == [40, 40, 40, 40]
    # Within a span only as much of each as lies in it.
    made = applied(parse_stroke({**ramp, "where": {"each": "phrases", "span": [5 * Q, 9 * Q]}}), FOUR)
    assert velocities(made)[:4] == [80] * 4
    assert velocities(made)[4] == 40
    assert velocities(made)[8:] == [80] * 8


def test_a_lane_swells_over_each_phrase() -> None:
    swell = {"kind": "lane.shape", "lane": "cc:11", "start": 20, "peak": 100, "end": 20}
    made = applied(parse_stroke({**swell, "where": {"parts": [0], "each": "phrases"}}), FOUR)
    curve = made.parts[0].lanes["cc:11"].curve
    for first in (0, 5, 10, 15):
        middle = round((first + 1.95) * Q)
        assert curve.at(np.array([first * Q, middle])) == pytest.approx([20, 100], abs=1)


def test_each_follows_what_was_said_by_hand_and_has_no_line_of_its_own() -> None:
    ramp = parse_stroke({"kind": "velocity.hairpin", "start": 40, "end": 100, "where": {"each": "phrases"}})
    made = applied(ramp, marked(FOUR, [], (5, 5)))
    assert velocities(made)[4] > 41
    shaped_ = Shaped.of(FOUR, History().add(ramp))
    from expression.views.strokes import history

    mark = history(shaped_)["strokes"][0]["mark"]
    assert (mark["line"], mark["grips"], mark["count"]) == ([], [], 16)


def test_each_is_refused_where_a_stroke_is_not_drawn_over_a_span() -> None:
    with pytest.raises(BadStroke, match=r"where\.each is for strokes that are drawn over a span"):
        parse_stroke({"kind": "velocity.nudge", "by": 5, "where": {"each": "phrases"}})
    ramp = parse_stroke({"kind": "velocity.hairpin", "start": 1, "end": 9, "where": {"each": "groups", "span": [4, 5]}})
    with pytest.raises(NothingMatched):
        applied(ramp, breathing(0, 2, rest=5))


def test_phrases_of_a_played_take_are_of_a_size_that_can_be_breathed() -> None:
    take = read(the_lamp_room())
    for part in take.parts:
        for start, end in zip(*stretches(take, part.id, "phrases"), strict=True):
            assert end - start <= 33 * take.resolution


def test_a_line_breathes_where_it_did_however_it_is_played() -> None:
    """Gaps, leads and looseness change how it is heard, not what is written."""
    take = read(the_lamp_room())
    for hand in ("struck", "sung"):
        made = shaped(take, "play.as", **{"as": hand})
        for part in take.parts:
            written = []
            for one in (take, made):
                line = line_of(one, part.id)
                written.append(line.begins[np.isin(line.onset, phrases_of(one, part.id).phrases)].tolist())
            assert written[0] == written[1]

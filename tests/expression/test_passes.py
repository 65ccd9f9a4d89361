"""What was played in: added, in place of what was there, or where it was touched; outside, all is as it was."""

import io
from typing import Any

import mido
import numpy as np
import pytest

from expression.errors import BadStroke, NothingMatched
from expression.history import History, Shaped, applied
from expression.midi.read import read
from expression.midi.write import write
from expression.strokes import parse_stroke
from expression.take import Take
from tests.files import events, file_of, phrase
from tests.judging.strokes import played_at_random
from tests.judging.takes import recording
from tests.lanes import wheel

BAR = 3840


def take_with(*values: int, control: int = 1, gap: int = 480) -> Take:
    """Eight notes a beat apart (960 ticks), and a wheel that moves each beat."""
    tracks = [mido.MidiTrack(phrase([80] * 8)), mido.MidiTrack(wheel(list(values), gap=gap, control=control))]
    return read(file_of([one for one in mido.merge_tracks(tracks) if not one.is_meta]))


def passed(take: Take, said: list[tuple[int, str]], span: tuple[int, int] = (0, BAR), **more: Any) -> Take:
    where = {"parts": [0], "span": list(span)}
    return applied(parse_stroke({"kind": "record.pass", "events": said, "where": where, **more}), take)


def nodes(take: Take, key: str = "cc:1") -> list[tuple[int, float]]:
    lane = take.parts[0].lanes[key]
    return list(zip(lane.curve.ticks.tolist(), lane.curve.values.tolist(), strict=True))


def keys(take: Take) -> list[tuple[int, int, int]]:
    notes = take.parts[0].notes
    return list(zip(notes.start.tolist(), notes.end.tolist(), notes.pitch.tolist(), strict=True))


def test_notes_are_added_and_end_others_of_their_key() -> None:
    take = take_with()
    made = passed(take, [(100, "904850"), (200, "804840"), (500, "903d41"), (1500, "803d40")])
    assert (100, 200, 72) in keys(made)
    assert [one for one in keys(made) if one[2] == 61] == [(500, 960, 61), (960, 1440, 61)]
    assert len(made.parts[0].notes) == 10


def test_what_was_added_to_a_wheel_counts_until_the_wheel_moves_again() -> None:
    take = take_with(10, 20, 30, 40)
    assert nodes(passed(take, [(100, "b00163"), (1000, "b00150")])) == [
        (0, 10), (100, 99), (960, 20), (1000, 80), (1920, 30), (2880, 40)
    ]  # fmt: skip


def test_in_place_of_what_was_there_lanes_and_notes_give_way_within_the_span_alone() -> None:
    take = take_with(10, 20, 30, 40, gap=960)
    made = passed(take, [(2000, "b00163"), (2500, "904850"), (2600, "804840")], (1920, 3840), mode="replace")
    assert nodes(made) == [(0, 10), (2000, 99), (3840, 30), (5760, 40)]
    assert [one for one in keys(made) if 1920 <= one[0] < 3840] == [(2500, 2600, 72)]
    assert len(made.parts[0].notes) == 8 - 2 + 1


def test_a_lane_gives_way_from_where_its_control_moved_to_where_it_rested() -> None:
    take = take_with(10, 20, 30, 40)
    # 960 ticks are half a second: it rests between the two touches.
    made = passed(take, [(100, "b00163"), (200, "b00160"), (1300, "b00150"), (1400, "b00151")], mode="touch")
    assert nodes(made) == [
        (0, 10), (100, 99), (200, 96), (201, 10), (960, 20), (1300, 80), (1400, 81), (1401, 20), (1920, 30), (2880, 40)
    ]  # fmt: skip
    assert len(made.parts[0].notes) == 8


def test_what_springs_back_is_back_where_the_pass_ends() -> None:
    made = passed(take_with(), [(100, "e00060"), (200, "b0407f"), (300, "d050")])
    assert nodes(made, "bend") == [(100, 1.0), (BAR, 0.0)]
    assert nodes(made, "cc:64") == [(200, 127.0), (BAR, 0.0)]
    assert nodes(made, "pressure") == [(300, 80.0), (BAR, 0.0)]


def test_the_wheel_goes_as_far_as_the_part_says() -> None:
    ranged = [mido.Message("control_change", control=number, value=value) for number, value in
              ((101, 0), (100, 0), (6, 12))]  # fmt: skip
    take = read(file_of([*ranged, *phrase([80] * 4)]))
    assert nodes(passed(take, [(100, "e0007f"), (500, "e00040")]), "bend") == [
        (100, pytest.approx(12 * (127 * 128 - 8192) / 8192)),
        (500, 0.0),
    ]


def test_what_is_left_out_stays_as_it_was_and_ids_stay_the_same() -> None:
    take = take_with(10, 20)
    said = [(100, "904850"), (200, "804840"), (300, "904a50"), (400, "804a40"), (500, "b00163"), (600, "b0407f")]
    history = History().add(parse_stroke(
        {"kind": "record.pass", "mode": "replace", "events": said, "where": {"parts": [0], "span": [0, BAR]}}
    ))  # fmt: skip
    every = Shaped.of(take, history).now.take
    quiet = parse_stroke({**history.steps[0].stroke.model_dump(), "leave_out": ["pedals", "cc:1"]})
    less = Shaped.of(take, history.change(1, quiet)).now.take
    assert set(every.parts[0].lanes) == {"cc:1", "cc:64"}
    assert set(less.parts[0].lanes) == {"cc:1"}
    assert nodes(less) == [(0, 10), (960, 20)]
    half = parse_stroke({**history.steps[0].stroke.model_dump(), "only": [[250, BAR]]})
    later = Shaped.of(take, history.change(1, half)).now.take
    made = {int(note): int(pitch) for note, pitch in zip(every.parts[0].notes.id, every.parts[0].notes.pitch)}  # noqa: B905
    kept = {int(note): int(pitch) for note, pitch in zip(later.parts[0].notes.id, later.parts[0].notes.pitch)}  # noqa: B905
    assert [note for note, pitch in made.items() if pitch == 74] == [
        note for note, pitch in kept.items() if pitch == 74
    ]


def test_single_notes_bend_by_themselves() -> None:
    said = [
        (0, "914850"),
        (0, "924c50"),
        (10, "e10060"),
        (20, "d230"),
        (20, "b24a20"),
        (300, "814840"),
        (300, "824c40"),
    ]
    curves = passed(take_with(), said).parts[0].curves
    assert curves["note:pitch"].nodes.values.tolist() == [0.0, 24.0]
    assert curves["note:pressure"].nodes.values.tolist()[-1] == 48.0
    assert curves["note:timbre"].nodes.values.tolist()[-1] == 32.0


def test_a_pass_is_moved_in_time() -> None:
    made = passed(take_with(), [(960, "904850"), (1920, "804840")], shift_ms=-100)
    # 120 beats a minute: 960 ticks are 500 ms.
    assert (960 - 192, 1920 - 192, 72) in keys(made)


def test_keys_that_are_held_end_where_the_span_does_and_stray_ends_are_told() -> None:
    stroke = parse_stroke(
        {"kind": "record.pass", "events": [[10, "804840"], [100, "904850"]], "where": {"parts": [0], "span": [0, 700]}}
    )
    assert (100, 700, 72) in keys(applied(stroke, take_with()))
    assert "1 note came to an end without having begun." in stroke.also(take_with())


def test_it_may_go_on_past_the_end_of_the_take() -> None:
    take = take_with()
    made = passed(
        take, [(take.end + 5000, "904850"), (take.end + 5500, "804840")], (take.end + BAR, take.end + 2 * BAR)
    )
    assert made.end == take.end + 5500


def test_it_is_kept_small_and_given_either_way() -> None:
    said = [[tick, f"b001{tick % 128:02x}"] for tick in range(0, 50_000, 5)]
    stroke = parse_stroke({"kind": "record.pass", "events": said, "where": {"parts": [0], "span": [0, 50_000]}})
    kept = stroke.model_dump(mode="json")["events"]
    assert isinstance(kept, str)
    assert len(kept) < 3 * len(said)
    again = parse_stroke({"kind": "record.pass", "events": kept, "where": {"parts": [0], "span": [0, 50_000]}})
    assert again == stroke


@pytest.mark.parametrize(
    ("change", "says"),
    [
        ({"events": [[0, "90"]]}, "one channel message each"),
        ({"events": [[0, "f7"]]}, "one channel message each"),
        ({"events": [[0, "90ff00"]]}, "one channel message each"),
        ({"events": [["x", "903c40"]]}, "a list of ticks and messages"),
        ({"events": [[-1, "903c40"]]}, "a list of ticks and messages"),
        ({"events": 7}, "a list of ticks and messages"),
        ({"events": "AAAA"}, "cannot be read as a pass"),
        ({"where": {"parts": [0]}}, "has a span"),
        ({"where": {"span": [0, 10]}}, "on one part"),
        ({"leave_out": ["nothing"]}, "leave_out can name"),
        ({"only": [[5, 5]]}, "end after they start"),
    ],
)
def test_what_is_no_pass_is_refused(change: dict[str, Any], says: str) -> None:
    said = {"kind": "record.pass", "events": [[0, "903c40"]], "where": {"parts": [0], "span": [0, 10]}}
    with pytest.raises(BadStroke, match=says):
        parse_stroke({**said, **change})


@pytest.mark.parametrize(
    ("said", "more", "says"),
    [
        ([], {}, "Nothing was played"),
        ([(0, "904850")], {"leave_out": ["notes"]}, "Nothing of this pass is left in"),
        ([(0, "904850")], {"only": []}, "Another pass counts"),
        ([(0, "904850")], {"where": {"parts": [7], "span": [0, 10]}}, "no part 7"),
    ],
)
def test_a_pass_of_which_nothing_counts_says_why(said: list[tuple[int, str]], more: dict[str, Any], says: str) -> None:
    with pytest.raises(NothingMatched, match=says):
        passed(take_with(), said, **more)


@pytest.mark.parametrize("mode", ["merge", "replace", "touch"])
@pytest.mark.parametrize("seed", range(12))
def test_outside_everything_is_as_it_was_event_for_event(mode: str, seed: int) -> None:
    dice = np.random.default_rng([seed, 909])
    take = read(recording(dice))
    start, end = sorted(int(one) for one in dice.integers(1, take.end, 2))
    said = played_at_random(dice, start, end + 1)
    made = passed(take, said, (start, end + 1), mode=mode)  # type: ignore[arg-type]
    channel = take.parts[0].channel
    touched = {int(words[:2], 16) & 0xF0 | channel.number for _, words in said}

    def outside(one: Take) -> list[tuple[int, bytes]]:
        data = write(one)
        ticks = one.resolution // mido.MidiFile(file=io.BytesIO(data)).ticks_per_beat
        every = [(tick * ticks, told) for track in events(data) for tick, told in track]
        return [(tick, told) for tick, told in every if tick < start and told[0] < 0xF0]

    # Before the span nothing is otherwise, but for ends of notes whose keys are struck in it.
    before, now = outside(take), outside(made)
    assert [row for row in now if row[1][0] not in touched] == [row for row in before if row[1][0] not in touched]
    assert [row for row in now if row[1][0] & 0xF0 != 0x80] == [row for row in before if row[1][0] & 0xF0 != 0x80]

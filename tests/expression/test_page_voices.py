"""The page as a musician would write it: voices by the bar, stems, fives, small notes, swing, hands, the last bar."""

import re
from typing import Any
from xml.etree import ElementTree

import numpy as np
import pytest

from expression.midi.read import read
from expression.staff.musicxml import musicxml
from expression.staff.values import Value
from expression.take import Take
from tests.expression.test_notes_edited import notes
from tests.expression.test_page import metre, page, signs
from tests.files import file_of

Row = tuple[int, int, int]


def take_of(*rows: Row, velocity: int = 64) -> Take:
    return read(file_of(metre(4, 4), notes(*((start, end, key, velocity) for start, end, key in rows))))


def voices(take: Take, bar: int = 0, staff: int = 0, **more: Any) -> list[list[Value]]:
    return page(take, **more).parts[0].staves[staff].bars[bar]


def keys(voice: list[Value]) -> list[int]:
    return [head.pitch for value in voice for head in value.heads]


def stems(take: Take) -> dict[tuple[str, str], set[str]]:
    """Of each bar and voice the ways that its stems go."""
    found: dict[tuple[str, str], set[str]] = {}
    for bar in ElementTree.fromstring(musicxml(page(take))).iter("measure"):
        for note in bar.iter("note"):
            said = note.findtext("stem")
            if note.find("rest") is None and said:
                found.setdefault((bar.get("number", ""), note.findtext("voice", "")), set()).add(said)
    return found


def test_two_voices_where_two_sound_and_one_where_one_does() -> None:
    melody = [(480 * n, 480 * n + 440, 76 - n) for n in range(4)]
    after = [(1920 + 480 * n, 1920 + 480 * n + 440, 70 + n) for n in range(4)]
    take = take_of(*melody, *after, (0, 1900, 48 + 12))
    assert [keys(voice) for voice in voices(take)] == [[76, 75, 74, 73], [60]]
    assert [keys(voice) for voice in voices(take, 1)] == [[70, 71, 72, 73]]
    # Stems: apart where there are two, left to the engraver where there is one.
    assert stems(take) == {("1", "1"): {"up"}}


def test_the_held_note_may_be_the_higher_one() -> None:
    take = take_of((0, 1900, 84), *((480 * n, 480 * n + 440, 62 + n) for n in range(4)))
    assert [keys(voice) for voice in voices(take)] == [[84], [62, 63, 64, 65]]
    assert stems(take) == {("1", "2"): {"down"}}


@pytest.mark.parametrize(("many", "told"), [(3, 3), (4, 4), (5, 4)])
def test_as_many_voices_as_a_staff_takes(many: int, told: int) -> None:
    # Each begins an eighth after the one below it, and is let go a sixteenth sooner.
    take = take_of(*((240 * n, 1900 - 120 * n, 60 + 5 * n) for n in range(many)))
    written = page(take)
    found = voices(take)
    assert len(found) == told
    heights = [np.mean(keys(voice)) for voice in found]
    assert heights == sorted(heights, reverse=True)
    # No head is left out, however crowded it is.
    assert sorted(key for voice in found for key in set(keys(voice))) == [60 + 5 * n for n in range(many)]
    crowded = ["In bar 1, more than 4 voices sound on a staff: some are written shorter."]
    assert written.remarks == (crowded if many > told else [])


def test_five_in_the_time_of_four() -> None:
    take = take_of(*((96 * n, 96 * n + 90, 72) for n in range(5)), (480, 960, 74), (960, 1920, 76))
    (found,) = voices(take)
    assert [(value.kind, value.tuplet) for value in found] == [("16th", 5)] * 5 + [("quarter", 0), ("half", 0)]
    said = musicxml(page(take))
    assert said.count("<actual-notes>5</actual-notes><normal-notes>4</normal-notes>") == 5
    # Four even ones are four.
    four = take_of(*((120 * n, 120 * n + 110, 72) for n in range(4)), (480, 1920, 74))
    assert {value.tuplet for value in voices(four)[0]} == {0}


def test_a_small_note_takes_no_time_of_what_it_leads_to() -> None:
    take = take_of((0, 480, 60), (440, 470, 71), (480, 960, 72), (960, 1920, 64))
    (found,) = voices(take)
    assert [(value.kind, [head.pitch for head in value.heads]) for value in found] == [
        ("quarter", [60]), ("quarter", [72]), ("half", [64])]  # fmt: skip
    assert [[head.pitch for head in value.graces] for value in found] == [[], [71], []]
    said = musicxml(page(take))
    assert said.count("<grace") == 1
    small = next(note for note in ElementTree.fromstring(said).iter("note") if note.find("grace") is not None)
    assert small.find("duration") is None
    # A run is a run.
    run = take_of(*((60 * n, 60 * n + 55, 60 + n) for n in range(8)), (480, 1920, 72))
    assert not any(value.graces for value in voices(run)[0])


@pytest.mark.parametrize(("place", "swung"), [(0.5, False), (0.62, True), (2 / 3, True), (0.7, True)])
def test_swung_eighths_are_written_even_and_said(place: float, swung: bool) -> None:
    off = int(480 * place)
    rows = [(480 * n, 480 * n + off - 10, 60 + n % 5) for n in range(16)]
    rows += [(480 * n + off, 480 * n + 475, 67 + n % 5) for n in range(16)]
    take = take_of(*sorted(rows))
    for bar in range(4):
        assert [[(value.kind, value.tuplet) for value in voice] for voice in voices(take, bar)] == [[("eighth", 0)] * 8]
    assert musicxml(page(take)).count("<swing>") == swung


def test_triplets_are_not_a_swing() -> None:
    take = take_of(*((160 * n, 160 * n + 150, 60 + n % 7) for n in range(48)))
    assert {value.tuplet for value in voices(take)[0]} == {3}
    assert not page(take).swings


def test_no_bar_behind_the_last_note() -> None:
    late = take_of(*((480 * n, 480 * n + 482, 60 + n) for n in range(4)))
    assert len(page(late).measures.number) == 1
    assert len(page(take_of((0, 1920, 60), (1920, 2400, 62))).measures.number) == 2


def test_hands_part_where_it_is_asked() -> None:
    take = take_of((0, 1900, 50), (0, 1900, 57), (0, 1900, 64), (0, 1900, 76))
    for split in (55, 60, 72):
        low = [key for key in (50, 57, 64, 76) if key < split]
        upper, lower = page(take, splits={0: split}).parts[0].staves
        assert (upper.clef, lower.clef) == ("treble", "bass")
        assert keys(upper.bars[0][0]) == [key for key in (50, 57, 64, 76) if key >= split]
        assert keys(lower.bars[0][0]) == low
    # Of a line that would be on one staff too.
    line = take_of(*((480 * n, 480 * n + 440, 72 + n) for n in range(4)))
    assert len(page(line).parts[0].staves) == 1
    assert len(page(line, splits={0: 74}).parts[0].staves) == 2


def test_the_first_dynamic_stands_at_the_first_note() -> None:
    take = take_of(*((960 + 480 * n, 960 + 480 * n + 400, 60 + n) for n in range(6)), velocity=98)
    (first, *_), *_ = signs(take, 0), signs(take, 1)
    assert first == (240, "dynamic", "f")
    assert not re.search(r"dynamic", str(signs(take, 1)))

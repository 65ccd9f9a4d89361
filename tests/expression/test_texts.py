"""Texts of a take: put in, said otherwise, moved, taken away; and what a file says of them."""

import io

import mido
import pytest

from expression.errors import BadStroke, NothingMatched
from expression.history import applied
from expression.midi.read import read
from expression.midi.texts import texts_of
from expression.midi.write import write
from expression.strokes import parse_stroke
from expression.take import Take
from expression.views import events
from tests.files import file_of

WORDS = {0: "The fog signal", 480: "Verse", 1920: "lull"}


@pytest.fixture
def take() -> Take:
    track = [
        mido.MetaMessage("track_name", name=WORDS[0]),
        mido.MetaMessage("marker", text=WORDS[480], time=480),
        mido.Message("note_on", note=60, velocity=70, time=480),
        mido.MetaMessage("lyrics", text=WORDS[1920], time=960),
        mido.Message("note_off", note=60, time=0),
    ]
    return read(file_of(track, ticks=480))


def said(take: Take) -> list[tuple[int, str, str]]:
    """Texts as another reader finds them in the file: ticks, kinds and words."""
    file = mido.MidiFile(file=io.BytesIO(write(take)))
    found = []
    for track in file.tracks:
        tick = 0
        for message in track:
            tick += message.time
            if message.type in ("marker", "lyrics", "text", "track_name"):
                found.append((tick, message.type, getattr(message, "text", "") or getattr(message, "name", "")))
    return sorted(found)


def shaped(take: Take, *strokes: dict[str, object]) -> Take:
    for number, stroke in enumerate(strokes, 1):
        take = parse_stroke({"kind": "take.text", **stroke}).numbered(number).apply(take)
    return take


AS_RECORDED = [(0, "track_name", WORDS[0]), (480, "marker", "Verse"), (1920, "lyrics", "lull")]


def ids(take: Take) -> dict[str, int]:
    return {one.words: one.id for one in texts_of(take)}


def test_all_are_found_where_they_stand(take: Take) -> None:
    assert [(one.tick, one.words) for one in texts_of(take)] == [
        (tick * take.resolution // 480, words) for tick, words in WORDS.items()
    ]
    assert said(take) == AS_RECORDED


def test_one_says_something_else_and_stands_elsewhere(take: Take) -> None:
    verse = ids(take)["Verse"]
    made = shaped(take, {"text": verse, "words": "Chorus"})
    assert said(made) == [AS_RECORDED[0], (480, "marker", "Chorus"), AS_RECORDED[2]]
    scale = take.resolution // 480
    made = shaped(take, {"text": verse, "words": "Chorus"}, {"text": verse, "words": "Chorus", "tick": 960 * scale})
    assert said(made) == [AS_RECORDED[0], (960, "marker", "Chorus"), AS_RECORDED[2]]


def test_one_is_taken_away_and_comes_back_with_undo(take: Take) -> None:
    made = shaped(take, {"text": ids(take)["lull"], "words": ""})
    assert said(made) == AS_RECORDED[:2]
    assert said(take) == AS_RECORDED


def test_new_ones_are_put_in_and_shaped_like_any_other(take: Take) -> None:
    scale = take.resolution // 480
    made = shaped(take, {"tick": 960 * scale, "words": "Out"}, {"tick": 0, "words": "Höhe", "of": "text"})
    assert (960, "marker", "Out") in said(made)
    assert [one.words for one in texts_of(made)].count("Höhe") == 1
    out = ids(made)["Out"]
    assert (240, "marker", "Out") in said(shaped(made, {"text": out, "words": "Out", "tick": 240 * scale}))
    assert (960, "marker", "Out") not in said(shaped(made, {"text": out, "words": ""}))


def test_the_end_comes_after_all_of_them(take: Take) -> None:
    late = 4000 * (take.resolution // 480)
    made = shaped(take, {"tick": late, "words": "behind"})
    (track,) = mido.MidiFile(file=io.BytesIO(write(made))).tracks
    assert track[-1].type == "end_of_track"
    assert said(made)[-1] == (4000, "marker", "behind")


def test_they_go_with_what_is_heard_where_the_tempo_keeps_it(take: Take) -> None:
    made = shaped(take, {"tick": 960 * (take.resolution // 480), "words": "Out"})
    half = applied(parse_stroke({"kind": "take.tempo", "bpm": 60, "keeps": "seconds"}), made)
    assert [(tick, words) for tick, _, words in said(half)] == [(tick // 2, words) for tick, _, words in said(made)]


def test_the_event_list_has_each_once_with_its_id(take: Take) -> None:
    made = shaped(take, {"text": ids(take)["Verse"], "words": "Chorus"}, {"tick": 0, "words": "Begin"})
    rows = events.page(made, 0, 100)["rows"]
    texts = [(row["value"], row["number"], row["text"]) for row in rows if row["kind"] == "text"]
    assert sorted(words for words, _, _ in texts) == ["Begin", "Chorus", "The fog signal", "lull"]
    assert {words: text for words, _, text in texts} == ids(made)
    assert all(row["text"] == -1 for row in rows if row["kind"] != "text")
    assert len(events.page(made, 0, 100, order="value")["rows"]) == len(rows)


@pytest.mark.parametrize(
    ("fields", "field"),
    [
        ({"words": "x"}, ""),
        ({"words": "", "tick": 0}, ""),
        ({"words": "two\nlines", "tick": 0}, ""),
        ({"words": "x" * 1001, "tick": 0}, "words"),
    ],
)
def test_what_cannot_be_is_refused_in_words(fields: dict[str, object], field: str) -> None:
    with pytest.raises(BadStroke) as told:
        parse_stroke({"kind": "take.text", **fields})
    assert not field or told.value.field == field


def test_one_that_is_gone_is_not_changed(take: Take) -> None:
    with pytest.raises(NothingMatched, match="is gone"):
        shaped(take, {"text": 77_777, "words": "x"})


def test_a_new_one_never_takes_the_place_of_a_recorded_event(take: Take) -> None:
    made = parse_stroke({"kind": "take.text", "tick": 0, "words": "x", "made": 1}).apply(take)
    assert said(made) == sorted([*AS_RECORDED, (0, "marker", "x")])

"""What a file will not say as it is drawn, told over the API, and mended by the stroke that it names."""

from tests.expression.test_notes_edited import notes
from tests.files import file_of, phrase
from tests.studio.conftest import Caller

LINE = file_of(phrase([80] * 8))
SPAN = {"parts": [0], "span": [0, 3840]}


def stroke(anna: Caller, take: str, revision: int, said: dict[str, object]) -> None:
    assert anna.call("post", f"takes/{take}/strokes", {"revision": revision, "stroke": said}).status_code == 200


def test_nothing_is_lost_of_a_recording(anna: Caller) -> None:
    take = anna.add(LINE)
    for kind in ("", "?kind=plain", "?kind=mpe", "?kind=clip"):
        assert anna.get(f"takes/{take}/unsent{kind}") == []


def test_a_bend_beyond_the_range_is_told_and_mended(anna: Caller) -> None:
    take = anna.add(LINE)
    stroke(anna, take, 0, {"kind": "lane.ramp", "lane": "bend", "where": SPAN, "start": 0, "end": 7})
    (told,) = anna.get(f"takes/{take}/unsent")
    assert "drawn 7.00 semitones away" in told["says"]
    assert told["stroke"]["kind"] == "bend.range"
    stroke(anna, take, 1, told["stroke"])
    assert anna.get(f"takes/{take}/unsent") == []


def test_what_one_form_of_a_file_loses_another_keeps(anna: Caller) -> None:
    """Curves of notes that sound together: a plain file has one wheel for them all."""
    take = anna.add(file_of(notes((0, 480, 60, 80), (0, 480, 67, 80))))
    nodes = [{"at": 0, "value": 0}, {"at": 1, "value": 1.5}]
    one = {"parts": [0], "notes": [[0, 0]]}
    stroke(anna, take, 0, {"kind": "note.curve", "where": one, "lane": "note:pitch", "nodes": nodes})
    plain, mpe, clip = (anna.get(f"takes/{take}/unsent?kind={kind}") for kind in ("plain", "mpe", "clip"))
    assert mpe == clip == []
    assert "1 note, the first in bar 1, cannot be heard as drawn" in plain[0]["says"]


def test_the_page_is_split_where_it_is_asked(anna: Caller) -> None:
    take = anna.add(file_of(phrase([64] * 8, pitch=72)))

    def staves(query: str) -> int:
        return str(anna.get(f"takes/{take}/page?parts=0&count=1{query}")["svg"]).count('class="clef"')

    assert [staves(query) for query in ("", "&splits=", "&splits=74")] == [1, 1, 2]
    assert [staves(f"&splits={bad}") for bad in ("x", "999", "-1", "74,60,50")] == [1, 1, 1, 2]

"""The page: what a stranger reads from its MusicXML, how it is spelled and placed, and that it can be drawn."""

import io
import re
import warnings
from pathlib import Path
from typing import Any

import mido
import numpy as np
import pytest

from expression.history import applied
from expression.midi.read import read
from expression.staff.engrave import as_pdf, engraved
from expression.staff.musicxml import musicxml
from expression.staff.notation import Written, written
from expression.staff.placing import QUARTER as DIVISIONS
from expression.staff.signs import Hairpin
from expression.staff.spelling import altered, signature, spelled
from expression.strokes import parse_stroke
from expression.take import Take
from tests.expression.test_notes_edited import notes
from tests.files import NOTE, file_of

with warnings.catch_warnings():
    warnings.simplefilter("ignore")
    import partitura


def metre(top: int, bottom: int) -> list[mido.MetaMessage]:
    return [mido.MetaMessage("time_signature", numerator=top, denominator=bottom)]


def page(take: Take, first: int = 1, count: int = 64, **more: Any) -> Written:
    return written(take, [part.id for part in take.parts], first, count, **more)


def kinds(take: Take, bar: int = 0, part: int = 0, staff: int = 0) -> list[list[str]]:
    """The values of a bar, voice by voice: `quarter.` is dotted, in brackets is a rest, * is one of three."""
    found = page(take).parts[part].staves[staff].bars[bar]
    return [
        [
            (v.kind if v.heads else f"({v.kind})") + "." * v.dots + "*" * (v.tuplet == 3) + "~" * v.ties
            for v in voice
        ]
        for voice in found
    ]  # fmt: skip


@pytest.mark.parametrize(
    ("rows", "wanted"),
    [
        ([(0, 480), (480, 960), (960, 1920)], ["quarter", "quarter", "half"]),
        ([(0, 1920)], ["whole"]),
        ([(0, 1440), (1440, 1920)], ["half.", "quarter"]),
        ([(0, 720), (720, 960), (960, 1920)], ["quarter.", "eighth", "half"]),
        ([(0, 160), (160, 320), (320, 480), (480, 1920)], ["eighth*", "eighth*", "eighth*", "half."]),
        ([(0, 120), (120, 240), (240, 360), (360, 480), (480, 960)], ["16th"] * 4 + ["quarter", "(half)"]),
        # Struck a little early and late, and let go before the next: as it was meant.
        ([(7, 440), (470, 900), (965, 1400), (1430, 1900)], ["quarter"] * 4),
        ([(240, 720), (720, 960)], ["(eighth)", "quarter", "eighth", "(half)"]),
        ([(0, 240), (480, 720)], ["eighth", "(eighth)", "eighth", "(eighth)", "(half)"]),
        ([(960, 2880)], ["(half)", "half~"]),
        # Rests show the beats.
        ([(0, 240), (960, 1200)], ["eighth", "(eighth)", "(quarter)", "eighth", "(eighth)", "(quarter)"]),
        ([(0, 480)], ["quarter", "(quarter)", "(half)"]),
    ],
)
def test_values_are_those_that_were_meant(rows: list[tuple[int, int]], wanted: list[str]) -> None:
    take = read(file_of(metre(4, 4), notes(*((a, b, 60 + n, 64) for n, (a, b) in enumerate(rows)))))
    assert kinds(take)[0] == wanted


def test_bars_of_three_eighths_count_by_threes() -> None:
    rows = [(0, 720, 60, 64), (720, 960, 62, 64), (960, 1200, 64, 64), (1200, 1440, 65, 64)]
    take = read(file_of(metre(6, 8), notes(*rows)))
    assert kinds(take)[0] == ["quarter.", "eighth", "eighth", "eighth"]


def test_a_note_played_a_little_before_the_bar_belongs_behind_it() -> None:
    take = read(file_of(metre(4, 4), notes((1905, 2400, 60, 64))))
    assert kinds(take, 0) == [["(bar)"]]
    assert kinds(take, 1)[0][:1] == ["quarter"]
    # Also where the page begins or ends there.
    assert page(take, 2, 1).parts[0].staves[0].bars[0][0][0].heads
    assert not page(take, 1, 1).parts[0].staves[0].bars[0][0][0].heads


def test_two_hands_have_two_staves_and_drums_a_clef_of_their_own() -> None:
    hands = notes(*((480 * n, 480 * n + 400, hand + n, 64) for n in range(8) for hand in (40, 70)))
    drums = notes((0, 60, 36, 90), (240, 300, 42, 60), (480, 540, 38, 90), channel=9)
    low = notes((0, 480, 40, 64), channel=2)
    clefs = [[staff.clef for staff in one.staves] for one in page(read(file_of(hands, drums, low))).parts]
    assert clefs == [["treble", "bass"], ["drum"], ["bass"]]


def test_notes_that_are_held_under_others_have_a_voice_of_their_own() -> None:
    rows = [(0, 1920, 60, 64), (0, 480, 72, 64), (480, 960, 74, 64), (960, 1920, 76, 64)]
    take = read(file_of(metre(4, 4), notes(*rows)))
    assert kinds(take) == [["quarter", "quarter", "half"], ["whole"]]


@pytest.mark.parametrize(
    ("pitch", "fifths", "wanted"),
    [
        (60, 0, ("C", 0, 4)),
        (61, 2, ("C", 1, 4)),
        (61, -4, ("D", -1, 4)),
        (70, -2, ("B", -1, 4)),
        (59, -6, ("C", -1, 4)),
        (65, 6, ("E", 1, 4)),
        (66, 0, ("F", 1, 4)),
        (63, 0, ("E", -1, 4)),
        (72, 7, ("B", 1, 4)),
    ],
)
def test_notes_are_spelled_by_their_key(pitch: int, fifths: int, wanted: tuple[str, int, int]) -> None:
    made = spelled(pitch, fifths)
    assert made == wanted
    # Whatever it is called, it is that key of the keyboard.
    natural = {"C": 0, "D": 2, "E": 4, "F": 5, "G": 7, "A": 9, "B": 11}[made.step]
    assert (made.octave + 1) * 12 + natural + made.alter == pitch


def test_signatures() -> None:
    for tonic, wanted in ((0, 0), (7, 1), (2, 2), (5, -1), (10, -2), (3, -3)):
        scale = np.array([60 + tonic + step for step in (0, 2, 4, 5, 7, 9, 11, 12, 7, 4, 0)])
        assert signature(scale, np.ones(len(scale))) == wanted
    assert [altered(step, 2) for step in "CDEFGAB"] == [1, 0, 0, 1, 0, 0, 0]
    assert [altered(step, -3) for step in "CDEFGAB"] == [0, 0, -1, 0, 0, -1, -1]
    assert signature(np.zeros(0, dtype=np.int64), np.zeros(0)) == 0


def test_the_key_that_the_file_says_is_written() -> None:
    said = [mido.MetaMessage("key_signature", key="Ebm"), *metre(4, 4)]
    take = read(file_of(said, notes((0, 480, 61, 64))))
    assert page(take).fifths == -6
    assert "<fifths>-6</fifths>" in musicxml(page(take))
    assert "<step>D</step><alter>-1</alter>" in musicxml(page(take))


def signs(take: Take, bar: int, **more: Any) -> list[tuple[int, str, str]]:
    return [(at, kind, word) for at, kind, word in page(take, **more).parts[0].signs[bar]]


def test_dynamics_pedals_and_hairpins_stand_where_they_act() -> None:
    loud = notes(*((480 * n, 480 * n + 400, 60 + n % 5, 50 if n < 8 else 98) for n in range(16)))
    pedal = [
        NOTE("control_change", control=64, value=127, time=0),
        NOTE("control_change", control=64, value=0, time=1920),
    ]
    take = read(file_of(metre(4, 4), list(mido.merge_tracks([mido.MidiTrack(loud), mido.MidiTrack(pedal)]))[:-1]))
    pin = Hairpin(0, 3840, 7680, True)
    assert signs(take, 0, hairpins=[pin]) == [(0, "dynamic", "p"), (0, "pedal", ""), (480, "release", "")]
    assert signs(take, 1, hairpins=[pin]) == [(0, "crescendo", ""), (480, "stop", "")]
    assert signs(take, 2) == [(0, "dynamic", "f")]
    assert signs(take, 3) == []


def test_what_is_for_the_ear_alone_is_not_on_the_page() -> None:
    take = read(file_of(metre(4, 4), notes((0, 480, 60, 64), (960, 1440, 67, 64))))
    plain = musicxml(page(take))

    def made(kind: str, **fields: Any) -> str:
        return musicxml(page(applied(parse_stroke({"kind": kind, "where": {"parts": [0]}, **fields}), take)))

    assert made("notes.length", factor=0.25) == plain
    assert made("notes.loosen", amount_ms=30, seed=2) == plain
    assert made("notes.fill") == plain
    assert made("notes.length", factor=0.25, page=True) != plain
    assert "<pitch>" not in made("notes.mute")
    assert "<pitch>" not in made("notes.cue")
    assert "<pitch>" not in made("notes.delete")


def test_pedal_into_lengths_is_seen() -> None:
    pedal = [
        NOTE("control_change", control=64, value=127, time=10),
        NOTE("control_change", control=64, value=0, time=1890),
    ]
    short = notes((0, 240, 60, 64))
    take = read(file_of(metre(4, 4), list(mido.merge_tracks([mido.MidiTrack(short), mido.MidiTrack(pedal)]))[:-1]))
    assert kinds(take)[0][0] == "eighth"
    long_ = applied(parse_stroke({"kind": "pedal.to_lengths"}), take)
    assert kinds(long_)[0] == ["whole"]
    assert '<pedal type="start"' not in musicxml(page(long_))


def test_a_free_performance_and_too_many_parts_are_told_of() -> None:
    dice = np.random.default_rng(3)
    at = np.cumsum(dice.integers(60, 400, 200))
    free = [(int(tick), int(tick) + 50, 60 + n % 12, 64) for n, tick in enumerate(at)]
    assert any("freely" in remark for remark in page(read(file_of(notes(*free)))).remarks)
    steady = [(480 * n, 480 * n + 400, 60 + n % 12, 64) for n in range(40)]
    assert page(read(file_of(notes(*steady)))).remarks == []
    many = read(file_of(*(notes((0, 480, 60, 64), channel=n % 16) for n in range(20))))
    assert any("16 parts" in remark for remark in page(many).remarks)


def performed(seed: int) -> tuple[bytes, tuple[int, int]]:
    """Two hands in some metre, each note a little off, some of them together, some of them held over others."""
    dice = np.random.default_rng([seed, 5])
    top, bottom = [(4, 4), (3, 4), (6, 8), (5, 8), (7, 8), (2, 2), (9, 8)][seed % 7]
    tracks = [metre(top, bottom)]
    for channel in range(2):
        rows, at = [], 0
        busy: dict[int, int] = {}
        while at < 480 * 24:
            step = int(dice.choice([480, 240, 120, 160, 720]))
            for pitch in dice.choice(np.arange(40, 85), int(dice.choice([1, 1, 3])), replace=False).tolist():
                start = max(at + int(dice.normal(0, 8)), 0)
                if busy.get(pitch, -1) > start:
                    continue
                busy[pitch] = start + max(int(step * dice.choice([0.4, 0.9, 1.0, 1.6])), 5)
                rows.append((start, busy[pitch], pitch, 70))
            at += step
        tracks.append(notes(*rows, channel=channel))
    return file_of(*tracks), (top, bottom)


@pytest.mark.parametrize("seed", range(14))
def test_a_stranger_reads_the_same_notes_in_bars_of_the_same_length(seed: int, tmp_path: Path) -> None:
    data, (top, bottom) = performed(seed)
    take = read(data)
    (tmp_path / "page.musicxml").write_text(musicxml(page(take), "a & <b>"))
    with warnings.catch_warnings():
        warnings.simplefilter("ignore")
        score = partitura.load_musicxml(str(tmp_path / "page.musicxml"))
    bar = 4 * DIVISIONS * top / bottom
    for part, found in zip(take.parts, score, strict=True):
        lengths = {one.end.t - one.start.t for one in found.measures}
        assert lengths == {bar}
        heads = found.note_array()
        assert len(heads) == len(part.notes)
        for start, pitch in zip(part.notes.start.tolist(), part.notes.pitch.tolist(), strict=True):
            same = heads["onset_div"][heads["pitch"] == pitch] / DIVISIONS
            assert np.abs(same - start / take.resolution).min() < 0.2, f"{pitch} at {start}"


def test_it_is_drawn_with_the_ids_of_the_notes_and_as_pdf() -> None:
    take = read(file_of(metre(4, 4), notes((0, 480, 60, 64), (960, 2400, 67, 64))))
    svg = engraved(musicxml(page(take)), 800)
    heads = set(re.findall(r'<g id="(n[\d-]+)" class="note"', svg))
    assert heads == {"n0", "n1", "n1-1"}
    pdf = as_pdf(svg)
    assert pdf.startswith(b"%PDF-") and len(pdf) > 2000
    with pytest.raises(ValueError, match="cannot be drawn"):
        engraved("no music", 800)
    assert io.BytesIO(pdf).read(5) == b"%PDF-"

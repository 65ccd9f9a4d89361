"""The command line, run as a program: no server, no database, no Django."""

import json
import subprocess
import sys
from pathlib import Path

import mido
import pytest

from command.__main__ import main
from demo.fog_signal import the_stair
from expression.midi.read import read
from expression.midi.write import write
from tests.expression.test_damaged import DAMAGED
from tests.files import events, file_of, phrase

ROOT = Path(__file__).parents[2]


def command(*words: object) -> subprocess.CompletedProcess[str]:
    return subprocess.run(
        [sys.executable, "-m", "command", *map(str, words)], cwd=ROOT, capture_output=True, text=True, env={"PATH": ""}
    )


@pytest.fixture
def recording(tmp_path: Path) -> Path:
    path = tmp_path / "in.mid"
    path.write_bytes(file_of(phrase([64, 64, 64])))
    return path


def strokes(tmp_path: Path, content: object) -> Path:
    path = tmp_path / "strokes.json"
    path.write_text(content if isinstance(content, str) else json.dumps(content))
    return path


def test_shape_writes_what_the_core_makes(recording: Path, tmp_path: Path) -> None:
    out = tmp_path / "out.mid"
    made = command("shape", recording, "--strokes", strokes(tmp_path, [
        {"kind": "velocity.hairpin", "start": 20, "end": 60}, {"kind": "velocity.nudge", "by": 1},
    ]), "-o", out)  # fmt: skip
    assert (made.returncode, made.stdout, made.stderr) == (0, "", "")
    assert read(out.read_bytes()).parts[0].notes.velocity.tolist() == [21, 41, 61]


def test_an_empty_list_of_strokes_gives_the_same_events(tmp_path: Path) -> None:
    path, out = tmp_path / "demo.mid", tmp_path / "out.mid"
    path.write_bytes(the_stair())
    assert command("shape", path, "--strokes", strokes(tmp_path, []), "-o", out).returncode == 0
    assert events(out.read_bytes()) == events(the_stair())
    assert out.read_bytes() == write(read(the_stair()))


def test_inspect_tells_what_the_file_holds(tmp_path: Path) -> None:
    path = tmp_path / "demo.mid"
    path.write_bytes(the_stair())
    found = json.loads(command("inspect", path, "--json").stdout)
    assert found["resolution"] == 960
    assert found["seconds"] == pytest.approx(86.2, abs=0.1)
    assert [(part["id"], part["name"], part["track"], part["channel"]) for part in found["parts"]] == [
        (0, "Bowed glass", 1, 1), (1, "Reed box", 2, 2), (2, "Frame drum", 3, 10), (3, "Thumb piano", 4, 4),
    ]  # fmt: skip
    assert found["parts"][0]["bend_range"] == [[0, 2.0]]
    assert found["parts"][0]["lanes"]["bend"]["min"] == pytest.approx(-1.0)
    assert set(found["parts"][1]["lanes"]) == {"cc:11", "cc:64"}
    assert "Thumb piano" in command("inspect", path).stdout


def test_bad_input_is_one_line_on_stderr_and_exit_2(tmp_path: Path) -> None:
    path = tmp_path / "bad.mid"
    path.write_bytes(b"no music")
    result = command("inspect", path, "--json")
    assert (result.returncode, result.stdout) == (2, "")
    assert result.stderr == f"lull: {path}: {DAMAGED['text'][1].join(['This is ', ''])}" + (
        ": it does not begin with its header. Export the take as .mid.\n"
    )


@pytest.mark.parametrize("name", DAMAGED)
def test_a_damaged_file_is_one_line_and_nothing_is_written(
    name: str, tmp_path: Path, capsys: pytest.CaptureFixture[str]
) -> None:
    path, out = tmp_path / "bad.mid", tmp_path / "out.mid"
    path.write_bytes(DAMAGED[name][0])
    for words in (("inspect", path, "--json"), ("shape", path, "--strokes", strokes(tmp_path, []), "-o", out)):
        assert main([str(word) for word in words]) == 2
        shown = capsys.readouterr()
        assert shown.out == ""
        assert DAMAGED[name][1] in shown.err
        assert shown.err.count("\n") == 1
    assert not out.exists()


@pytest.mark.parametrize(
    ("content", "told"),
    [
        ("not json", "is not JSON"),
        ({"kind": "velocity.set"}, "must hold a list"),
        (
            [{"kind": "velocity.set", "value": 0}],
            "stroke 1: value must be a whole number from 1 to 127, or one of mean, min, max, not 0.",
        ),
        ([{"kind": "velocity.set", "value": 9, "where": {"parts": [7]}}], "names parts that are not there"),
        ("[" * 100_000, "is not JSON"),
    ],
)
def test_bad_strokes_are_one_line_and_leave_the_target_alone(
    recording: Path, tmp_path: Path, content: object, told: str
) -> None:
    out = tmp_path / "out.mid"
    out.write_bytes(b"precious")
    result = command("shape", recording, "--strokes", strokes(tmp_path, content), "-o", out)
    assert (result.returncode, result.stderr.count("\n")) == (2, 1)
    assert told in result.stderr
    assert out.read_bytes() == b"precious"
    assert {path.name for path in tmp_path.iterdir()} == {"in.mid", "out.mid", "strokes.json"}


def test_missing_files_and_folders_are_one_line(recording: Path, tmp_path: Path) -> None:
    for words in (
        ("inspect", tmp_path / "none.mid"),
        ("inspect", tmp_path),
        ("shape", recording, "--strokes", strokes(tmp_path, []), "-o", tmp_path / "none" / "out.mid"),
    ):
        result = command(*words)
        assert (result.returncode, result.stderr.count("\n")) == (2, 1)


class TestPlay:
    def test_a_stiff_file_is_played_and_says_what_was_done(self, recording: Path, tmp_path: Path) -> None:
        out, told, again = tmp_path / "out.mid", tmp_path / "told.json", tmp_path / "again.mid"
        made = command("play", recording, "-o", out, "--as", "bowed", "--amount", "0.8", "--strokes-out", told)
        assert (made.returncode, made.stderr) == (0, "")
        assert events(out.read_bytes()) != events(recording.read_bytes())
        # What it says it did, done by hand, gives the same file.
        possible = [one for one in json.loads(told.read_text()) if one["kind"] != "rule.voice"]
        assert command("shape", recording, "--strokes", strokes(tmp_path, possible), "-o", again).returncode == 0
        assert again.read_bytes() == out.read_bytes()

    def test_several_files_go_to_a_folder(self, recording: Path, tmp_path: Path) -> None:
        other = tmp_path / "other.mid"
        other.write_bytes(recording.read_bytes())
        assert command("play", recording, other, "-o", tmp_path / "played").returncode == 0
        assert sorted(one.name for one in (tmp_path / "played").iterdir()) == ["in.mid", "other.mid"]

    def test_an_amount_of_nothing_leaves_the_events_alone(self, recording: Path, tmp_path: Path) -> None:
        out = tmp_path / "out.mid"
        assert command("play", recording, "-o", out, "--amount", "0").returncode == 0
        assert events(out.read_bytes()) == events(recording.read_bytes())

    def test_what_cannot_be_is_said_in_a_line(self, recording: Path, tmp_path: Path) -> None:
        empty, out = tmp_path / "empty.mid", tmp_path / "out.mid"
        empty.write_bytes(file_of([]))
        made = command("play", empty, "-o", out)
        assert made.returncode == 2 and "has no notes to play" in made.stderr and not out.exists()
        assert "an amount is from -4 to 4" in command("play", recording, "-o", out, "--amount", "9").stderr
        assert "one name" in command("play", recording, recording, "-o", out).stderr
        told = command("play", recording, empty, "-o", tmp_path, "--strokes-out", out)
        assert told.returncode == 2 and "not of several" in told.stderr


class TestSome:
    def test_some_parts_some_bars_and_one_track(self, recording: Path, tmp_path: Path) -> None:
        out, none = tmp_path / "out.mid", strokes(tmp_path, [])
        made = command("shape", recording, "--strokes", none, "-o", out, "--bars", "1-1", "--format", "0")
        assert made.returncode == 0, made.stderr
        file = mido.MidiFile(out)
        assert (file.type, len(file.tracks)) == (0, 1)
        for words, said in (
            (("--bars", "9000"), "the take ends in bar"),
            (("--bars", "3-2"), "the first and the last"),
            (("--parts", "0"), "counted from 1"),
            (("--parts", "40"), "has no part 39"),
        ):
            refused = command("shape", recording, "--strokes", none, "-o", tmp_path / "no.mid", *words)
            assert refused.returncode == 2 and said in refused.stderr, refused.stderr

"""The page over the API: drawn for the bars that are asked for, as it is and as it was, and as files."""

import os
import re
import subprocess
import sys
import time
from pathlib import Path
from typing import Any
from xml.etree import ElementTree

import pytest

from launcher.base import ROOT
from studio.services import engraving
from studio.services.engraving import SheetView
from tests.files import file_of, phrase
from tests.studio.conftest import Caller, holds_to

TWO = file_of(phrase([64] * 40), phrase([64] * 40, channel=1, pitch=40))


@pytest.fixture(scope="module", autouse=True)
def _engraver_is_ready() -> None:
    engraving.warm()


def heads(svg: str) -> set[int]:
    return {int(found) for found in re.findall(r'<g id="n(\d+)(?:-\d+)?" class="note"', svg)}


def test_bars_of_parts_are_drawn_with_the_ids_of_their_notes(anna: Caller) -> None:
    take = anna.add(TWO)
    sheet = anna.get(f"takes/{take}/page?parts=0,1&first=2&count=2")
    holds_to(SheetView, sheet)
    assert (sheet["first"], sheet["count"], sheet["remarks"]) == (2, 2, [])
    assert heads(sheet["svg"]) == {*range(4, 12), *range(44, 52)}
    # No part named: all of them; bars past the end: the last that there is.
    last = anna.get(f"takes/{take}/page?first=500&count=2")
    assert (last["first"], last["count"]) == (10, 1)
    assert heads(last["svg"]) == {*range(36, 40), *range(76, 80)}


def test_before_and_after_a_stroke(anna: Caller) -> None:
    take = anna.add(TWO)
    said = {"kind": "notes.delete", "where": {"notes": [[0, 3]]}}
    written = anna.call("post", f"takes/{take}/strokes", {"revision": 0, "stroke": said})
    assert written.status_code == 200
    query = f"takes/{take}/page?parts=0&count=1"
    assert heads(anna.get(query)["svg"]) == set()
    assert heads(anna.get(f"{query}&before=0")["svg"]) == {0, 1, 2, 3}
    assert heads(anna.get(f"{query}&before=1")["svg"]) == {0, 1, 2, 3}


def test_a_hairpin_is_drawn(anna: Caller) -> None:
    take = anna.add(TWO)
    query = f"takes/{take}/page?parts=0&count=4"
    assert 'class="hairpin"' not in anna.get(query)["svg"]
    said = {"kind": "velocity.hairpin", "where": {"parts": [0], "span": [0, 7680]}, "start": 30, "end": 90}
    anna.call("post", f"takes/{take}/strokes", {"revision": 0, "stroke": said})
    assert 'class="hairpin"' in anna.get(query)["svg"]


@pytest.mark.parametrize(("kind", "begins"), [("musicxml", b"<?xml"), ("svg", b"<svg"), ("pdf", b"%PDF-")])
def test_it_is_downloaded(anna: Caller, kind: str, begins: bytes) -> None:
    take = anna.add(TWO, "my take.mid")
    response = anna.call("get", f"takes/{take}/page/{kind}?parts=0&first=1&count=2")
    assert response.status_code == 200
    assert response.content.startswith(begins)
    name = "my take" if kind == "musicxml" else "my take, bars 1 to 2"
    assert f"{name}.{kind}" in response["Content-Disposition"]
    if kind == "musicxml":
        score = ElementTree.fromstring(response.content)
        assert len(score.findall("part")) == 1
        assert len(score.findall("part/measure")) == 10
        renamed: dict[str, Any] = {"parts": {"0": {"name": "Reeds <&> glass"}}}
        assert anna.call("put", f"takes/{take}/arrangement", renamed).status_code == 200
        again = ElementTree.fromstring(anna.call("get", f"takes/{take}/page/musicxml").content)
        assert again.findtext("part-list/score-part/part-name") == "Reeds <&> glass"


@pytest.mark.parametrize("query", ["count=0", "count=65", "first=0", "width=10", "first=no", "before=-1"])
def test_what_cannot_be_asked_is_told(anna: Caller, query: str) -> None:
    response = anna.call("get", f"takes/{anna.add(TWO)}/page?{query}")
    assert response.status_code == 422
    assert response.json()["detail"].endswith(".")


def test_an_empty_take_and_parts_that_are_not_there(anna: Caller) -> None:
    empty = anna.add(file_of([]))
    response = anna.call("get", f"takes/{empty}/page")
    assert (response.status_code, response.json()["detail"]) == (422, "This take has no part that could be written.")
    assert anna.get(f"takes/{anna.add(TWO)}/page?parts=77&count=1")["count"] == 1


def test_an_engraver_that_has_died_is_started_again(anna: Caller) -> None:
    take = anna.add(TWO)
    assert anna.get(f"takes/{take}/page?count=1")["svg"]
    pool = engraving._engravers()
    for process in list(pool._processes.values()):
        process.kill()
        process.join()
    assert heads(anna.get(f"takes/{take}/page?count=2")["svg"])


def test_cues_go_along_or_not(anna: Caller) -> None:
    take = anna.add(TWO)
    said = {"kind": "notes.cue", "where": {"parts": [0], "pitches": [60]}, "name": "bowed"}
    anna.call("post", f"takes/{take}/strokes", {"revision": 0, "stroke": said})
    view = anna.get(f"takes/{take}/view")["parts"][0]
    assert view["cue_names"] == {"60": "bowed"}
    assert [cue["id"] for cue in view["cues"]] == [0, 12, 24, 36]
    assert len(view["pitch"]) == 36
    both = [anna.call("get", f"takes/{take}/file{query}").content for query in ("", "?cues=false")]
    assert len(both[0]) > len(both[1])
    asked = {"revision": 1, "where": {"parts": [0]}}
    assert anna.call("post", f"takes/{take}/facts", asked).json()["count"] == 36


BESIDE = """
import multiprocessing, os, time
from concurrent.futures import ProcessPoolExecutor
from studio.child_process import end_with_the_server
if __name__ == "__main__":
    pool = ProcessPoolExecutor(1, multiprocessing.get_context("spawn"), initializer=end_with_the_server)
    print(pool.submit(os.getpid).result(), flush=True)
    time.sleep(60)
"""


def test_the_engraver_ends_with_a_server_that_is_killed(tmp_path: Path) -> None:
    (tmp_path / "server.py").write_text(BESIDE)
    environment = {**os.environ, "PYTHONPATH": str(ROOT)}
    with subprocess.Popen(
        [sys.executable, str(tmp_path / "server.py")], stdout=subprocess.PIPE, text=True, env=environment
    ) as server:
        assert server.stdout is not None
        engraver = int(server.stdout.readline())
        assert Path(f"/proc/{engraver}").exists()
        server.kill()
        server.wait()
        deadline = time.monotonic() + 20
        while Path(f"/proc/{engraver}").exists() and time.monotonic() < deadline:
            time.sleep(0.05)
        assert not Path(f"/proc/{engraver}").exists()


def test_some_of_a_take_is_taken_home_and_named_for_what_it_is(anna: Caller) -> None:
    take = anna.add(TWO)
    for query, name in (
        ("", "take.mid"),
        ("?kind=mpe", "take, MPE.mid"),
        ("?format=0&cues=false", "take, one track, without cues.mid"),
        ("?span=0-3840&thin=2", "take, bar 1, thinned by 2.mid"),
    ):
        answer = anna.call("get", f"takes/{take}/file{query}")
        assert answer.status_code == 200, answer.content
        assert name.partition(".")[0].partition(",")[2] in answer["Content-Disposition"]
    for query, said in (("?parts=77", "no part 77"), ("?kind=clip&format=0", "one sequence"), ("?parts=x", "parts")):
        answer = anna.call("get", f"takes/{take}/file{query}")
        assert answer.status_code == 422
        assert said in answer.json()["detail"]

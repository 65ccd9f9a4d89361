"""Every form of a take in one archive, made by a worker."""

import io
import zipfile
from pathlib import Path
from typing import Any
from uuid import UUID

import mido
import pytest

from demo.fog_signal import the_lens_room
from expression.midi.read import read
from expression.midi.write import write
from studio.models import Job, Take
from studio.services import jobs, spool, takes
from tests.files import file_of, phrase
from tests.studio.conftest import Caller

pytestmark = pytest.mark.usefixtures("place")

TWO = file_of(phrase([80] * 16, gap=480), phrase([70] * 16, gap=480, channel=1, pitch=48))


def made(anna: Caller, take: str, **asked: Any) -> tuple[dict[str, Any], zipfile.ZipFile]:
    job = anna.worked(anna.call("post", f"takes/{take}/forms", asked))
    answer = anna.client.get(f"/api/jobs/{job['id']}/file")
    assert answer.headers["Content-Disposition"].endswith('all forms.zip"')
    held = zipfile.ZipFile(io.BytesIO(b"".join(answer.streaming_content)))  # type: ignore[attr-defined]
    assert held.testzip() is None
    return job, held


def test_it_holds_what_each_way_out_gives(anna: Caller) -> None:
    take = anna.add(TWO)
    job, held = made(anna, take)
    assert (job["kind"], job["state"], job["take_id"]) == ("forms", "done", take)
    name = Take.objects.get().name
    assert held.namelist() == [
        f"{name}.mid", f"{name}, plain.mid", f"{name}, MPE.mid", f"{name}.midi2", f"{name}.musicxml",
        f"{name}, bars 1 to 4.svg", f"{name}, bars 1 to 4.pdf", f"{name}, what was done.pdf",
    ]  # fmt: skip
    assert held.read(f"{name}.mid") == write(read(TWO))
    assert held.read(f"{name}, MPE.mid") == anna.client.get(f"/api/takes/{take}/file?kind=mpe").content
    assert held.read(f"{name}.midi2")[:8] == b"SMF2CLIP"
    assert held.read(f"{name}, bars 1 to 4.pdf")[:4] == held.read(f"{name}, what was done.pdf")[:4] == b"%PDF"
    # The same bytes each time, but for PDFs, which say when they were made.
    _, again = made(anna, take)
    same = [one for one in held.namelist() if held.read(one) == again.read(one)]
    assert set(held.namelist()) - set(same) <= {one for one in held.namelist() if one.endswith(".pdf")}


def test_some_parts_some_bars_one_track(anna: Caller) -> None:
    take = anna.add(TWO)
    _, held = made(anna, take, parts=[1], span=[3_840, 7_680], format=0)
    (name,) = [one for one in held.namelist() if one.endswith(".mid") and "MPE" not in one and "plain" not in one]
    assert held.read(name) == anna.client.get(f"/api/takes/{take}/file?parts=1&span=3840-7680&format=0").content
    assert mido.MidiFile(file=io.BytesIO(held.read(name))).type == 0
    assert [one for one in held.namelist() if one.endswith(".svg")] == [f"{Take.objects.get().name}, bars 2 to 2.svg"]


def test_what_cannot_be_made_is_said_beside_the_rest(anna: Caller) -> None:
    take = anna.add(TWO)
    _, held = made(anna, take, span=[10**9, 10**9 + 1])
    told = held.read("not made.txt").decode()
    assert "as its parts are sent: " in told
    assert any(one.endswith(".midi2") for one in held.namelist())


def test_one_at_a_time_and_the_one_before_gives_way(anna: Caller, bert: Caller, place: Path) -> None:
    take = anna.add(the_lens_room())
    first, second = (anna.call("post", f"takes/{take}/forms", {}).json()["id"] for _ in range(2))
    assert first == second
    other = anna.call("post", f"takes/{take}/forms", {"cues": False}).json()["id"]
    assert other != first
    jobs.work(UUID(other))
    assert Job.objects.count() == 1
    assert bert.client.get(f"/api/jobs/{other}/file").status_code == 404
    assert anna.call("delete", f"jobs/{other}").status_code == 204
    assert spool.size(UUID(other)) == 0
    assert anna.call("post", f"takes/{take}/forms", {"thin": -1}).status_code == 422
    assert anna.call("post", f"takes/{take}/forms", {"tide": 1}).status_code == 422


def test_a_take_that_goes_meanwhile_is_told(anna: Caller) -> None:
    take = anna.add(TWO)
    asked = anna.call("post", f"takes/{take}/forms", {})
    takes.delete(anna.user, UUID(take))
    assert "was deleted" in anna.worked(asked)["says"]

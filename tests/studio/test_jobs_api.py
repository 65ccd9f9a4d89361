"""What a worker does: large files, watched, refused with a reason, begun again where it was cut off."""

import json
import os
import threading
import time
from datetime import timedelta
from pathlib import Path
from typing import Any
from uuid import UUID

import pytest
from django.core.files.uploadedfile import SimpleUploadedFile
from django.db import connection
from django.test import Client
from django.utils import timezone
from procrastinate.contrib.django import app
from procrastinate.contrib.django.models import ProcrastinateJob

from bench.performance import performance
from expression.errors import BadFile
from expression.limits import MOST_JOBS_EACH, MOST_READ_AT_ONCE
from studio.models import Checkpoint, Job, Take
from studio.services import folding, jobs, purging, queue, spool
from studio.services.progress import Watched
from tests.files import file_of, phrase
from tests.studio.conftest import Caller, wav

pytestmark = pytest.mark.usefixtures("place")

LONG = performance(notes=20_000, pedals=4_000)


def waiting() -> Any:
    """What the jobs are about that wait, in the order in which they will be done."""
    mine = ProcrastinateJob.objects.filter(task_name="studio.work", status="todo")
    return mine.order_by("-priority", "id").values_list("args", flat=True)


def files(place: Path) -> list[str]:
    """All that waits there, by the job that it belongs to."""
    return sorted(str(file.relative_to(place / "jobs")) for file in place.rglob("*") if file.is_file())


def test_a_large_recording_waits_for_a_worker_and_is_then_in_the_library(anna: Caller, place: Path) -> None:
    assert len(LONG) > MOST_READ_AT_ONCE
    asked = anna.upload(LONG, "A long night.mid")
    job = asked.json()
    assert (asked.status_code, job["kind"], job["state"], job["name"]) == (202, "take", "waiting", "A long night.mid")
    assert job["size"] == len(LONG)
    assert files(place) == [f"{job['id']}/000000"]
    assert spool.read(UUID(job["id"])) == LONG
    assert anna.get("takes") == []
    assert list(waiting()) == [{"job": job["id"]}]

    done = anna.worked(asked)
    assert (done["state"], done["share"], done["remarks"]) == ("done", 1.0, [])
    (card,) = anna.get("takes")
    assert (card["id"], card["name"], card["summary"]["notes"]) == (done["take_id"], "A long night", 20_000)
    assert bytes(Take.objects.get().source) == LONG
    assert files(place) == []


def test_a_small_one_is_read_at_once(anna: Caller, place: Path) -> None:
    assert anna.upload(file_of(phrase([64]))).status_code == 201
    assert anna.get("jobs") == []
    assert files(place) == []


def test_what_is_no_recording_is_refused_by_the_worker_in_the_same_words(anna: Caller, place: Path) -> None:
    junk = b"\xff\xd8" * MOST_READ_AT_ONCE
    told = anna.worked(anna.upload(junk))
    assert (told["state"], told["take_id"]) == ("refused", None)
    assert told["says"].startswith("This is not a Standard MIDI File")
    assert (Take.objects.count(), files(place)) == (0, [])


def test_a_sound_is_kept_beside_its_take_by_and_by(anna: Caller) -> None:
    take = anna.add()
    asked = anna.client.post(f"/api/takes/{take}/sound", {"file": SimpleUploadedFile("room.wav", wav(20))})
    assert asked.status_code == 202
    assert anna.get(f"takes/{take}/sound") is None
    done = anna.worked(asked)
    assert (done["state"], done["kind"], done["take_id"]) == ("done", "sound", take)
    assert anna.get(f"takes/{take}/sound")["seconds"] == 20.0


def test_a_sound_for_a_take_that_was_deleted_meanwhile_is_told(anna: Caller) -> None:
    take = anna.add()
    asked = anna.client.post(f"/api/takes/{take}/sound", {"file": SimpleUploadedFile("room.wav", wav(20))})
    anna.call("delete", f"takes/{take}")
    told = anna.worked(asked)
    assert (told["state"], told["says"]) == ("refused", "The take that this sound was for was deleted.")


def test_jobs_are_their_players_alone(anna: Caller, bert: Caller) -> None:
    job = anna.upload(LONG).json()["id"]
    assert bert.get("jobs") == []
    for method, path in (("get", f"jobs/{job}"), ("delete", f"jobs/{job}"), ("get", f"jobs/{job}/file")):
        assert bert.call(method, path).status_code == 404
    assert anna.call("get", f"jobs/{job}/file").status_code == 404  # It is no archive.
    assert anna.call("delete", f"jobs/{job}").status_code == 204
    assert anna.get("jobs") == []
    jobs.work(UUID(job))  # The worker comes for it, and finds nothing to do.
    assert Take.objects.count() == 0


def test_nobody_fills_the_queue(anna: Caller, bert: Caller) -> None:
    for _ in range(MOST_JOBS_EACH):
        assert anna.upload(LONG).status_code == 202
    refused = anna.upload(LONG)
    assert (refused.status_code, refused.json()["detail"]) == (
        422, "12 of your files are waiting to be read. Add this one when they are through.",
    )  # fmt: skip
    # Who brings the first goes before all but the first of hers.
    last = bert.upload(LONG).json()["id"]
    assert [one["job"] for one in waiting()].index(last) == 1


def test_who_was_cut_off_too_often_is_given_up(anna: Caller) -> None:
    """A worker that is killed leaves the job as it is: working. Whoever takes it over counts."""
    asked = anna.upload(LONG)
    Job.objects.update(state="working", tries=2)
    assert anna.worked(asked)["state"] == "done"
    asked = anna.upload(LONG)
    Job.objects.filter(pk=asked.json()["id"]).update(state="working", tries=3)
    told = anna.worked(asked)
    assert (told["state"], Take.objects.count()) == ("refused", 1)
    assert "was given up; nothing was changed" in told["says"]


def test_a_job_that_was_done_is_not_done_again(anna: Caller) -> None:
    asked = anna.upload(LONG)
    anna.worked(asked)
    anna.worked(asked)
    assert Take.objects.count() == 1


def test_a_file_that_has_gone_is_told(anna: Caller, place: Path) -> None:
    asked = anna.upload(LONG)
    for name in files(place):
        (place / "jobs" / name).unlink()
    assert anna.worked(asked)["says"] == "The file is no longer here. Choose it again."


def test_what_nobody_foresaw_is_a_sentence_too(anna: Caller, monkeypatch: pytest.MonkeyPatch) -> None:
    def break_(*_: object) -> None:
        raise ZeroDivisionError

    asked = anna.upload(LONG)
    monkeypatch.setitem(jobs.DOES, jobs.Kind.TAKE, break_)
    assert anna.worked(asked)["says"].startswith("Something went wrong in Lull")
    monkeypatch.setitem(jobs.DOES, jobs.Kind.TAKE, lambda *_: (_ for _ in ()).throw(MemoryError))
    assert "takes more memory" in anna.worked(anna.upload(LONG))["says"]


def test_work_that_goes_on_for_ever_is_given_up(monkeypatch: pytest.MonkeyPatch) -> None:
    with Watched(UUID(int=0)) as progress:
        progress.part(0.2, 0.4).tell(0.5)
        later = time.monotonic() + 31 * 60
        monkeypatch.setattr(time, "monotonic", lambda: later)
        with pytest.raises(BadFile, match="half an hour"):
            progress.tell(0.3)


@pytest.mark.django_db(transaction=True)
def test_a_worker_takes_what_waits_and_tells_how_far_it_has_come(
    aside: None, anna: Caller, monkeypatch: pytest.MonkeyPatch
) -> None:
    """procrastinate's own worker, on the queue in the database; from beside it, the share is seen to grow."""
    shares: list[float] = []

    def slowly(job: Job, progress: Any) -> jobs.Done:
        for share in (0.25, 0.5, 0.75):
            time.sleep(0.45)
            progress.tell(share)
            shares.append(anna.get(f"jobs/{job.pk}")["share"])
        return jobs.Done(remarks=("Slowly.",))

    monkeypatch.setitem(jobs.DOES, jobs.Kind.TAKE, slowly)
    number = anna.upload(LONG).json()["id"]
    once()
    done = anna.get(f"jobs/{number}")
    assert (done["state"], done["remarks"], done["share"]) == ("done", ["Slowly."], 1.0)
    assert shares == [0.25, 0.5, 0.75]
    assert not ProcrastinateJob.objects.filter(queue_name="aside").exists()


@pytest.fixture
def aside(monkeypatch: pytest.MonkeyPatch) -> None:
    """A queue of the test's own: beside it, a worker of the browser tests may look at the others."""
    monkeypatch.setattr(queue, "QUICK", "aside")


def once() -> None:
    """A worker that does what waits, and goes."""
    failed: list[BaseException] = []

    def run() -> None:
        try:
            with app.replace_connector(app.connector.get_worker_connector()) as at_work:  # type: ignore[attr-defined]
                at_work.run_worker(queues=["aside"], wait=False, delete_jobs="always", install_signal_handlers=False)
        except BaseException as error:
            failed.append(error)

    # A thread of its own: the browser tests' loop may run in this one.
    thread = threading.Thread(target=run)
    thread.start()
    thread.join(60)
    assert not thread.is_alive() and not failed


@pytest.mark.django_db(transaction=True)
def test_a_take_is_taken_up_again_from_its_checkpoint(
    aside: None, anna: Caller, monkeypatch: pytest.MonkeyPatch
) -> None:
    take = anna.add(LONG)
    assert Checkpoint.objects.get().done == 0  # Whoever has read it has put it away.
    for step in range(folding.STEPS_BETWEEN + 2):
        body: Any = {"revision": step, "stroke": {"kind": "velocity.nudge", "by": 1 + step % 2}}
        assert anna.call("post", f"takes/{take}/strokes", body).status_code == 200
    once()
    assert Checkpoint.objects.get().done >= folding.STEPS_BETWEEN
    shown = anna.get(f"takes/{take}/view")
    folding.cache.clear()
    monkeypatch.setattr(folding, "opened", lambda data: pytest.fail("read anew"))
    assert anna.get(f"takes/{take}/view") == shown
    # Steps that were undone, or done otherwise since, count as they are now.
    for path, body in (("undo", {"revision": step + 1}), ("jump", {"revision": step + 2, "step": 3})):
        anna.call("post", f"takes/{take}/{path}", body)
    body = {"revision": step + 3, "stroke": {"kind": "velocity.set", "value": 40}}
    assert anna.call("post", f"takes/{take}/strokes", body).status_code == 200
    shown = anna.get(f"takes/{take}/view")
    folding.cache.clear()
    assert anna.get(f"takes/{take}/view") == shown
    assert set(shown["parts"][0]["velocity"]) == {40}


@pytest.mark.parametrize("column", ["data", "seal", "made_by"])
def test_a_checkpoint_that_lull_has_not_written_so_is_never_taken_up(
    anna: Caller, column: str, monkeypatch: pytest.MonkeyPatch
) -> None:
    # However fast the machine is.
    monkeypatch.setattr(folding, "SLOW", 0.0)
    take = anna.add(LONG)
    shown = anna.get(f"takes/{take}/view")
    other = "0" * 16 if column == "made_by" else b"cos\nsystem\n(S'false'\ntR."
    Checkpoint.objects.update(**{column: other})
    folding.cache.clear()
    assert anna.get(f"takes/{take}/view") == shown
    assert ProcrastinateJob.objects.filter(task_name="studio.keep_checkpoint").count() == 1
    folding.cache.clear()
    anna.get(f"takes/{take}/view")  # Asked for twice, it is made once.
    assert ProcrastinateJob.objects.filter(task_name="studio.keep_checkpoint").count() == 1
    folding.keep_checkpoint(UUID(take))
    folding.cache.clear()
    assert anna.get(f"takes/{take}/view") == shown


def test_what_nobody_fetches_goes_by_itself(anna: Caller, place: Path) -> None:
    anna.upload(LONG)
    stray = place / "stray"
    stray.write_bytes(b"x")
    os.utime(stray, (0, 0))
    purging.purge()
    assert (Job.objects.count(), stray.exists()) == (1, False)
    with connection.cursor() as cursor:
        cursor.execute("update studio_job set made_at = now() - interval '2 days'")
    purging.purge()
    assert Job.objects.count() == 1  # It waits still: no worker has been here for two days.
    Job.objects.update(state=Job.State.DONE)
    purging.purge()
    assert Job.objects.count() == 0
    for name in files(place):
        os.utime(place / "jobs" / name, (0, 0))
    purging.purge()
    assert files(place) == []


def test_a_deleted_account_leaves_no_file(anna: Caller, place: Path) -> None:
    asked = anna.upload(LONG)
    assert anna.call("post", "me/delete", {"name": "anna"}).status_code == 204
    assert files(place) == []
    jobs.work(UUID(json.loads(asked.content)["id"]))
    assert Take.objects.count() == 0


def test_a_clock_that_has_jumped_takes_nothing_that_is_kept_still(
    anna: Caller, place: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    take = anna.add()
    anna.call("delete", f"takes/{take}")
    purging.purge()
    right = timezone.now

    def at(days: int) -> None:
        monkeypatch.setattr("django.utils.timezone.now", lambda: right() + timedelta(days=days))
        purging.purge()

    # A year ahead, one night; then it is right again.
    at(365)
    at(365)
    at(0)
    assert Take.objects.count() == 1
    # Lull was not on for two months, which are believed by and by.
    for _ in range(30):
        at(60)
    assert Take.objects.count() == 0


def test_nobody_waits_for_what_a_jumped_clock_wrote_down(anna: Caller, monkeypatch: pytest.MonkeyPatch) -> None:
    right = timezone.now
    wrong = {"name": "anna", "password": "not this one"}
    with monkeypatch.context() as ahead:
        ahead.setattr("django.utils.timezone.now", lambda: right() + timedelta(days=40))
        for _ in range(7):
            Client().post("/api/session", wrong, content_type="application/json")
        assert Client().post("/api/session", wrong, content_type="application/json").status_code == 429
    good = {"name": "anna", "password": "a long enough one"}
    assert Client().post("/api/session", good, content_type="application/json").status_code == 200

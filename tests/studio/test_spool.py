"""Files that wait, in a folder and in a bucket (a stand-in for one that speaks S3, on loopback)."""

import errno
import io
import os
import random
import zipfile
from collections.abc import Iterator
from pathlib import Path
from typing import Any
from uuid import UUID, uuid4

import pytest
from django.core.files.uploadedfile import SimpleUploadedFile
from django.db import connection
from django.db.migrations.executor import MigrationExecutor
from moto.server import ThreadedMotoServer

from expression.soundfont import made_small
from studio.models import SoundBank, Take, TakeSound
from studio.services import bulk, places, purging, spool
from tests.expression.test_sound import tone, wav
from tests.files import file_of, phrase
from tests.studio.conftest import Caller
from tests.studio.test_jobs_api import LONG

BUCKET = "waiting"


@pytest.fixture(scope="module")
def endpoint() -> Iterator[str]:
    """Where the stand-in answers."""
    server = ThreadedMotoServer("127.0.0.1", 0, verbose=False)
    server.start()
    host, port = server.get_host_and_port()
    yield f"http://{host}:{port}"
    server.stop()


@pytest.fixture(params=["folder", "bucket"])
def kept(request: pytest.FixtureRequest, settings: Any, place: Path, monkeypatch: pytest.MonkeyPatch) -> str:
    """A spool of the test's own, of either kind."""
    if request.param == "bucket":
        import boto3  # type: ignore[import-untyped]

        address = request.getfixturevalue("endpoint")
        for name in ("AWS_ACCESS_KEY_ID", "AWS_SECRET_ACCESS_KEY"):
            monkeypatch.setenv(name, "only a stand-in")
        monkeypatch.setenv("AWS_DEFAULT_REGION", "us-east-1")
        client = boto3.client("s3", endpoint_url=address)
        client.create_bucket(Bucket=BUCKET)
        for one in client.list_objects_v2(Bucket=BUCKET).get("Contents", []):
            client.delete_object(Bucket=BUCKET, Key=one["Key"])
        options = {"bucket_name": BUCKET, "endpoint_url": address, "default_acl": None}
        backends = {
            place: {"BACKEND": "storages.backends.s3.S3Storage", "OPTIONS": {**options, "location": place}}
            for place in ("spool", "files")
        }
        settings.STORAGES = {**settings.STORAGES, **backends}
    else:
        settings.FILES = place / "files"
    return str(request.param)


def test_a_file_in_pieces_is_read_from_any_place(kept: str) -> None:
    job, other = uuid4(), uuid4()
    pieces = [bytes([number]) * (1_000 + 313 * number) for number in range(7)]
    whole = b"".join(pieces)
    assert (spool.size(job), spool.read(job)) == (0, None)
    for piece in pieces:
        spool.add(job, piece)
    spool.add(other, b"another")
    assert (spool.size(job), spool.read(job)) == (len(whole), whole)
    dice = random.Random(4)
    with spool.opened(job) as file:
        assert file.read() == whole
        for _ in range(40):
            at, count = dice.randrange(len(whole)), dice.randrange(4_000)
            file.seek(at)
            assert file.read(count) == whole[at : at + count]
        assert file.seek(-10, io.SEEK_END) == len(whole) - 10
        assert (file.read(), file.read()) == (whole[-10:], b"")
    spool.drop(job)
    assert (spool.size(job), spool.read(job), spool.read(other)) == (0, None, b"another")


def test_what_is_made_is_kept_whole_or_not_at_all(kept: str, place: Path) -> None:
    job = uuid4()
    with spool.making(job) as path:
        path.write_bytes(b"all of it")
    assert spool.read(job) == b"all of it"
    with pytest.raises(ZeroDivisionError), spool.making(uuid4()) as path:
        path.write_bytes(b"half of")
        raise ZeroDivisionError
    assert not [file for file in place.iterdir() if file.is_file()]


def test_uploads_jobs_and_archives_go_through_it(kept: str, anna: Caller, bert: Caller) -> None:
    assert anna.worked(anna.upload(LONG))["state"] == "done"
    anna.upload(file_of(phrase([64] * 5)))
    made = anna.worked(anna.call("post", "me/archive"))
    answer = anna.client.get(f"/api/jobs/{made['id']}/file")
    archive = b"".join(answer.streaming_content)  # type: ignore[attr-defined]
    assert int(answer["Content-Length"]) == len(archive)
    assert len([name for name in zipfile.ZipFile(io.BytesIO(archive)).namelist() if name.endswith(".mid")]) == 2
    job = bert.call("post", "archives", {"name": "hers.zip", "size": len(archive)}).json()["id"]
    for at in range(0, len(archive), 40_000):
        piece = SimpleUploadedFile("piece", archive[at : at + 40_000])
        answer = bert.client.post(f"/api/archives/{job}?at={at}", {"file": piece})
    assert bert.worked(answer)["state"] == "done"
    assert Take.objects.filter(owner=bert.user).count() == 2
    assert spool.read(UUID(job)) is None


@pytest.mark.django_db
def test_what_belongs_to_nothing_goes(kept: str, monkeypatch: pytest.MonkeyPatch, place: Path) -> None:
    stray, arriving = uuid4(), place / "arriving.upload"
    spool.add(stray, b"nobody's")
    arriving.write_bytes(b"x")
    purging.purge()
    assert spool.read(stray) == b"nobody's"
    assert arriving.exists()
    os.utime(arriving, (0, 0))
    monkeypatch.setattr(spool, "OLD", -10)
    purging.purge()
    assert spool.read(stray) is None
    assert not arriving.exists()


def test_sounds_and_soundfonts_lie_there_and_go_when_nothing_needs_them(
    kept: str, anna: Caller, monkeypatch: pytest.MonkeyPatch, tmp_path: Path
) -> None:
    first, second = anna.add(), anna.add()
    for take, seconds in ((first, 0.2), (first, 0.3), (second, 0.4)):
        sent = {"file": SimpleUploadedFile("hum.wav", wav(tone(seconds)))}
        assert anna.client.post(f"/api/takes/{take}/sound", sent).status_code == 201
    assert anna.client.post("/api/banks", {"file": SimpleUploadedFile("lamp.sf2", made_small())}).status_code == 201
    (bank,) = SoundBank.objects.all()
    assert bulk.read(bank.file) == made_small()
    assert bank.size == len(made_small())
    heard = {take: anna.client.get(f"/api/takes/{take}/sound/data").content for take in (first, second)}
    assert {data[:4] for data in heard.values()} == {b"fLaC"}
    # The one that gave way is there until nobody can be writing of it any more.
    assert (bulk.copied_to(tmp_path / "before"), bulk.sweep()) == (3, 0)
    monkeypatch.setattr(bulk, "OLD", -10)
    assert (bulk.sweep(), bulk.copied_to(tmp_path / "after")) == (1, 3)
    bulk.drop([TakeSound.objects.get(take_id=UUID(first)).file])
    gone = anna.client.get(f"/api/takes/{first}/sound/data")
    assert (gone.status_code, gone.json()["detail"]) == (422, bulk.GONE)
    assert anna.client.get(f"/api/takes/{second}/sound/data").content == heard[second]
    # They come back from where they were copied to.
    assert bulk.copied_from(tmp_path / "after") == 3
    assert anna.client.get(f"/api/takes/{first}/sound/data").content == heard[first]
    assert anna.call("post", "me/delete", {"name": "anna"}).status_code == 204
    assert bulk.copied_to(tmp_path / "empty") == 0


@pytest.mark.django_db(transaction=True)
def test_sounds_of_an_older_lull_are_taken_out_of_the_database_and_put_back(kept: str) -> None:
    before = [("studio", "0009_followed_sounds")]
    now_on = MigrationExecutor(connection).loader.graph.leaf_nodes()
    held = b"a sound as it was held"

    def at(points: list[tuple[str, str]]) -> Any:
        executor = MigrationExecutor(connection)
        executor.migrate(points)
        return executor.loader.project_state(points).apps

    old = at(before)
    owner = old.get_model("auth", "User").objects.create(username="anna")
    take = old.get_model("studio", "Take").objects.create(owner=owner, name="one", source=b"", summary={})
    old.get_model("studio", "TakeSound").objects.create(take=take, name="hum", data=held, peaks=b"", seconds=1)
    try:
        at(now_on)
        now = TakeSound.objects.get()
        assert (bulk.read(now.file), now.size, now.name) == (held, len(held), "hum")
        again = at(before).get_model("studio", "TakeSound").objects.get()
        assert bytes(again.data) == held
    finally:
        # All that came later, too: the tests after this one have the same database.
        at(now_on)
    assert bulk.read(TakeSound.objects.get().file) == held


def test_a_bucket_that_is_away_is_a_sentence(anna: Caller, settings: Any, monkeypatch: pytest.MonkeyPatch) -> None:
    for name in ("AWS_ACCESS_KEY_ID", "AWS_SECRET_ACCESS_KEY"):
        monkeypatch.setenv(name, "only a stand-in")
    options = {"bucket_name": BUCKET, "endpoint_url": "http://127.0.0.1:9", "region_name": "us-east-1"}
    away = {"BACKEND": "storages.backends.s3.S3Storage", "OPTIONS": options}
    settings.STORAGES = {**settings.STORAGES, "spool": away}
    monkeypatch.setenv("AWS_MAX_ATTEMPTS", "1")
    anna.client.raise_request_exception = False
    assert spool.state() == (0, 0, False)
    answer = anna.upload(LONG)
    assert (answer.status_code, answer.json()["detail"]) == (503, places.AWAY)
    with pytest.raises(OSError, match=r"127\.0\.0\.1") as raised:
        spool.size(uuid4())
    assert raised.value.errno == errno.EREMOTEIO

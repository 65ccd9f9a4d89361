"""All of one's data as an archive, and such an archive taken in by another account; damaged ones refused or told of."""

import io
import json
import zipfile
from pathlib import Path
from typing import Any
from uuid import UUID

import mido
import pytest
import soundfile
from django.core.files.uploadedfile import SimpleUploadedFile

from studio.models import Step, Take, TakeSound
from studio.services import jobs, spool
from tests.files import file_of, phrase
from tests.studio.conftest import Caller, wav

pytestmark = pytest.mark.usefixtures("place")

STROKES: list[dict[str, Any]] = [
    {"kind": "velocity.set", "value": 80},
    {"kind": "lane.ramp", "lane": "cc:11", "where": {"parts": [0], "span": [0, 1920]}, "start": 10, "end": 90},
    {"kind": "velocity.nudge", "by": 7},
]


def furnished(player: Caller) -> str:
    """A library: a take with a history, an arrangement and a sound; one as it came; one that was deleted."""
    take = player.add(file_of(phrase([64] * 8)), "The landing.mid")
    for revision, stroke in enumerate(STROKES):
        body = {"revision": revision, "stroke": stroke}
        assert player.call("post", f"takes/{take}/strokes", body).status_code == 200
    player.call("post", f"takes/{take}/undo", {"revision": 3})
    player.call("put", f"takes/{take}/arrangement", {"parts": {"0": {"name": "Bell", "dye": "madder"}}})
    player.client.post(f"/api/takes/{take}/sound", {"file": SimpleUploadedFile("room.wav", wav(1))})
    player.call("patch", f"takes/{take}/sound", {"offset": 1.5})
    player.add(file_of(phrase([30, 40])), "As it came.mid")
    player.call("delete", f"takes/{player.add(file_of(phrase([1])), 'Gone.mid')}")
    player.call("put", "preferences", {"middle_c": 3})
    return take


def archive_of(player: Caller) -> bytes:
    job = player.worked(player.call("post", "me/archive"))
    assert (job["state"], job["kind"]) == ("done", "export")
    fetched = player.call("get", f"jobs/{job['id']}/file")
    assert fetched["Content-Disposition"].startswith('attachment; filename="lull-archive-')
    data = b"".join(fetched.streaming_content)
    assert job["size"] == len(data)
    return data


def sent(player: Caller, data: bytes, piece: int = 10_000_000) -> Any:
    """Take an archive in, in pieces."""
    job = player.call("post", "archives", {"name": "mine.zip", "size": len(data)}).json()
    assert job["state"] == "arriving"
    for at in range(0, len(data), piece):
        file = SimpleUploadedFile("piece", data[at : at + piece])
        answer = player.client.post(f"/api/archives/{job['id']}?at={at}", {"file": file})
        assert answer.status_code == 200, answer.content
    return player.worked(answer)


def test_another_account_holds_the_same_afterwards(anna: Caller, bert: Caller) -> None:
    take = furnished(anna)
    data = archive_of(anna)
    done = sent(bert, data, piece=1_000)
    assert (done["state"], done["says"], done["remarks"]) == ("done", "3 takes added.", [])

    cards = {card["name"]: card for card in bert.get("takes")}
    assert [card["name"] for card in bert.get("takes")] == [card["name"] for card in anna.get("takes")]
    assert set(cards) == {"The landing", "As it came"}
    assert [gone["name"] for gone in bert.get("takes/deleted")] == ["Gone"]
    mine = cards["The landing"]["id"]
    assert mine != take
    for path in ("file", "sound/data"):
        assert bert.call("get", f"takes/{mine}/{path}").content == anna.call("get", f"takes/{take}/{path}").content
    for path in ("sound", "unplayed", "events"):
        assert bert.get(f"takes/{mine}/{path}") == anna.get(f"takes/{take}/{path}")
    theirs, hers = (player.get(f"takes/{number}/view") for player, number in ((bert, mine), (anna, take)))
    for view in (theirs, hers):
        del view["id"], view["history"]["revision"]
    assert theirs == hers
    assert bert.get("preferences")["middle_c"] == 3
    # What was undone can be done again there.
    revision = bert.get(f"takes/{mine}/view")["history"]["revision"]
    assert bert.call("post", f"takes/{mine}/redo", {"revision": revision}).status_code == 200
    assert set(bert.get(f"takes/{mine}/view")["parts"][0]["velocity"]) == {87}


def test_an_archive_is_plain_files_that_need_no_lull(anna: Caller) -> None:
    furnished(anna)
    with zipfile.ZipFile(io.BytesIO(archive_of(anna))) as archive:
        assert archive.testzip() is None
        about = json.loads(archive.read("archive.json"))
        assert (about["format"], about["version"], about["player"]) == ("lull-archive", 1, "anna")
        folder = next(
            name.rsplit("/", 1)[0]
            for name in archive.namelist()
            if name.endswith("take.json") and json.loads(archive.read(name))["name"] == "The landing"
        )
        told = json.loads(archive.read(f"{folder}/take.json"))
        assert [step["stroke"]["kind"] for step in told["steps"]] == [stroke["kind"] for stroke in STROKES]
        assert told["done"] == 2
        recorded, shaped = (
            mido.MidiFile(file=io.BytesIO(archive.read(f"{folder}/{name}"))) for name in ("recording.mid", "shaped.mid")
        )
        heard = [[one.velocity for one in file if one.type == "note_on"] for file in (recorded, shaped)]
        assert heard == [[64] * 8, [80] * 8]
        assert soundfile.info(io.BytesIO(archive.read(f"{folder}/sound.flac"))).frames == 8_000


def remade(data: bytes, change: Any) -> bytes:
    """An archive with other files in it."""
    with zipfile.ZipFile(io.BytesIO(data)) as archive:
        files = {name: archive.read(name) for name in archive.namelist()}
    change(files)
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as archive:
        for name, content in files.items():
            archive.writestr(name, content)
    return out.getvalue()


def told_otherwise(files: dict[str, bytes], **change: Any) -> None:
    """Another take.json for the first take."""
    name = "takes/0001/take.json"
    files[name] = json.dumps({**json.loads(files[name]), **change}).encode()


@pytest.mark.parametrize(
    ("change", "remark"),
    [
        (lambda files: files.pop("takes/0001/recording.mid"), "“The landing” is damaged in the archive"),
        (lambda files: files.update({"takes/0001/recording.mid": b"MThd"}), "“The landing” was left out: The file is"),
        (lambda files: files.update({"takes/0001/sound.flac": b"fLaC"}), "“The landing” was left out: This is not a"),
        (lambda files: files.update({"takes/0001/take.json": b"{"}), "“0001” is damaged in the archive"),
        (lambda files: told_otherwise(files, done=9), "fewer steps than it says"),
        (lambda files: told_otherwise(files, steps=[{"number": 1, "stroke": {"kind": "dance"}}]), "was left out: "),
        (lambda files: told_otherwise(files, steps=[{"number": 0, "stroke": {}}]), "is damaged in the archive"),
        (lambda files: told_otherwise(files, arrangement={"parts": 7}), "is damaged in the archive"),
    ],
)
def test_one_take_that_cannot_be_read_is_told_of_and_the_others_come(
    anna: Caller, bert: Caller, change: Any, remark: str
) -> None:
    furnished(anna)
    done = sent(bert, remade(archive_of(anna), change))
    assert (done["state"], done["says"]) == ("done", "2 takes added.")
    (said,) = done["remarks"]
    assert remark in said
    assert Take.objects.filter(owner=bert.user).count() == 2
    assert not Step.objects.filter(take__owner=bert.user).exists()
    assert not TakeSound.objects.filter(take__owner=bert.user).exists()


NOTHING = b"PK\x05\x06" + bytes(18)
"""An archive without a file."""


@pytest.mark.parametrize(
    ("data", "sentence"),
    [
        (b"PK\x03\x04 but nothing else", "This is not an archive of Lull"),
        (file_of(phrase([64])), "This is not an archive of Lull"),
        (NOTHING, "This is not an archive of Lull"),
        (remade(NOTHING, lambda files: files.update({"a": b"b"})), "This is not an archive of Lull"),
        (remade(NOTHING, lambda files: files.update({"archive.json": b'{"format": "other"}'})), "not an archive of"),
        (remade(NOTHING, lambda files: files.update({f"{n}/take.json": b"" for n in range(8_111)})), "more than an"),
    ],
)  # fmt: skip
def test_what_is_no_archive_is_refused(anna: Caller, data: bytes, sentence: str) -> None:
    told = sent(anna, data)
    assert told["state"] == "refused"
    assert sentence in told["says"]
    assert Take.objects.count() == 0


def test_a_file_that_unpacks_without_end_is_read_no_further_than_it_may_be(anna: Caller, bert: Caller) -> None:
    furnished(anna)
    bomb = remade(archive_of(anna), lambda files: files.update({"takes/0001/recording.mid": bytes(200 * 2**20)}))
    assert len(bomb) < 10**6
    done = sent(bert, bomb)
    (said,) = done["remarks"]
    assert "recording.mid is larger than 32 MiB" in said


def test_a_locked_archive_is_told(anna: Caller) -> None:
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w") as archive:
        archive.writestr("archive.json", b"{}")
    data = bytearray(out.getvalue())
    for mark, place in ((b"PK\x03\x04", 6), (b"PK\x01\x02", 8)):
        data[data.index(mark) + place] |= 1
    assert "locked with a password" in sent(anna, bytes(data))["says"]


def test_pieces_come_in_order_and_no_more_than_was_said(anna: Caller, bert: Caller) -> None:
    job = anna.call("post", "archives", {"name": "mine.zip", "size": 10}).json()["id"]

    def piece(player: Caller, at: int, data: bytes) -> Any:
        return player.client.post(f"/api/archives/{job}?at={at}", {"file": SimpleUploadedFile("piece", data)})

    assert piece(bert, 0, b"12345").status_code == 404
    assert piece(anna, 0, b"12345").json()["share"] == 0.5
    again = piece(anna, 0, b"12345")
    assert (again.status_code, "5 bytes have come so far" in again.json()["detail"]) == (422, True)
    assert piece(anna, 5, b"123456").status_code == 422
    assert spool.size(UUID(job)) == 5
    assert piece(anna, 5, b"67890").json()["state"] == "waiting"
    assert piece(anna, 10, b"x").status_code == 404
    assert anna.call("post", "archives", {"name": "mine.zip", "size": 2**40}).status_code == 422
    assert anna.call("post", "archives", {"name": "mine.zip", "size": 0}).status_code == 422


def test_an_archive_gives_way_to_the_next(anna: Caller, place: Path) -> None:
    asked = [anna.call("post", "me/archive").json()["id"] for _ in range(3)]
    assert len({*asked}) == 1  # While it is being made, there is no other.
    first = anna.worked(anna.call("post", "me/archive"))
    second = anna.worked(anna.call("post", "me/archive"))
    assert [job["id"] for job in anna.get("jobs")] == [second["id"]]
    assert [file.name for file in (place / "jobs").iterdir()] == [second["id"]]
    assert anna.call("get", f"jobs/{first['id']}/file").status_code == 404
    assert jobs.made(anna.user, UUID(second["id"]))


def test_hands_come_along_and_are_not_doubled(anna: Caller, bert: Caller) -> None:
    take = anna.add(file_of(phrase([30 + at % 90 for at in range(40)])))
    assert anna.call("post", f"takes/{take}/hands", {"part": 0, "name": "Mine"}).status_code == 201
    data = archive_of(anna)
    for _ in range(2):
        done = sent(bert, data)
        assert (done["state"], done["remarks"]) == ("done", [])
        [hand] = bert.get("hands")
    [own] = anna.get("hands")
    assert bert.client.get(f"/api/hands/{hand['id']}").json() == anna.client.get(f"/api/hands/{own['id']}").json()
    # What is no hand is left out, and told of.
    other = remade(data, lambda files: files.update({"hands/0001.json": b"{}"}))
    assert "this hand cannot be read" in " ".join(sent(bert, other)["remarks"])

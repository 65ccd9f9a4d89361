"""What nobody sends who means well: it is refused in a sentence, and costs next to nothing."""

import time

import pytest
from django.test import Client

from expression.errors import BadFile
from expression.midi.read import read
from tests.files import END, file_of, phrase, raw
from tests.studio.conftest import Caller

FAR = b"\xff\xff\xff\x7f"
"""The longest time between two events that a file can say: 2^28 - 1 ticks."""


def far(times: int, division: int, before: bytes = b"") -> bytes:
    """A file of a few bytes that claims to last for ages."""
    return raw(before + (FAR + b"\x90\x3c\x40") * times + END, division=division)


@pytest.mark.parametrize(
    ("data", "told"),
    [
        (far(6, 1), "for years"),
        (far(6, 960), "hours"),
        (far(1, 24), "hours"),
        (far(4096, 1), "for years"),
        # A millisecond a quarter: not long, but very many bars.
        (far(1, 480, b"\x00\xff\x51\x03\x00\x00\x0a"), "bars"),
        (far(1, 32767, b"\x00\xff\x58\x04\x01\x06\x18\x08"), "bars"),
    ],
)
def test_a_file_that_lasts_for_ever_is_refused_at_once(data: bytes, told: str) -> None:
    begun = time.process_time()
    with pytest.raises(BadFile, match=f"The file says that it lasts .*{told}.*; Lull reads up to 24 hours"):
        read(data)
    assert time.process_time() - begun < 2


def test_a_long_night_is_read() -> None:
    take = read(raw(b"\x00\x90\x3c\x40" + b"\x83\xa9\x80\x00\x80\x3c\x00" + END, division=480))
    assert 2 < take.seconds / 3600 < 24


def test_it_does_not_stay_in_the_library(anna: Caller) -> None:
    answer = anna.upload(far(6, 1))
    assert answer.status_code == 422
    assert "Cut off what lies far behind its last note" in answer.json()["detail"]
    assert anna.get("takes") == []


@pytest.mark.django_db
@pytest.mark.parametrize("name", ["a\0b", "\ud800", "anna\udfff"])
def test_names_that_cannot_be_stored_do_not_sign_in(name: str) -> None:
    import json

    body = json.dumps({"name": name, "password": "x"})
    answer = Client().post("/api/session", body, content_type="application/json")
    assert answer.status_code in (401, 422)
    assert answer.json()["detail"].endswith(".")


@pytest.mark.django_db
@pytest.mark.parametrize("cookie", ["a\0b", "\x01", "ok\x7f"])
def test_cookies_that_cannot_be_looked_up_are_as_good_as_none(cookie: str) -> None:
    client = Client()
    client.cookies["sessionid"] = cookie
    assert client.get("/api/me").status_code == 401
    assert client.get("/").status_code in (302, 503)


def test_names_of_uploads_are_cleaned(anna: Caller) -> None:
    anna.upload(file_of(phrase([64])), "a\0b.mid")
    assert [take["name"] for take in anna.get("takes")] != []

"""Answers that take long: bounded, one for each account; and a process that lives says so whatever it has to do."""

import socket
import threading
import time
import urllib.request

import pytest

from launcher.postgres import free_port
from studio import pulse
from studio.services import heavy
from studio.services.heavy import AGAIN, Busy, Places
from tests.studio.conftest import Caller


def held(places: Places, owner: str, over: threading.Event) -> threading.Thread:
    """A thread that has a place until it is over."""
    has = threading.Event()

    def hold() -> None:
        with places.one(owner):
            has.set()
            over.wait(10)

    thread = threading.Thread(target=hold)
    thread.start()
    assert has.wait(5)
    return thread


def test_one_account_has_one_place_and_others_have_theirs() -> None:
    places, over = Places(most=2, waiting=1, patience=0.05), threading.Event()
    threads = [held(places, "anna", over)]
    with pytest.raises(Busy), places.one("anna"):
        raise AssertionError("a second place")
    threads.append(held(places, "bert", over))
    with pytest.raises(Busy), places.one("cora"):
        raise AssertionError("a third place")
    over.set()
    for thread in threads:
        thread.join()
    with places.one("anna"), places.one("cora"):
        pass


def test_who_waits_comes_next_and_who_is_too_many_is_told_at_once() -> None:
    places, over = Places(most=1, waiting=1, patience=5), threading.Event()
    first = held(places, "anna", over)
    came = threading.Event()

    def wait() -> None:
        with places.one("bert"):
            came.set()

    second = threading.Thread(target=wait)
    second.start()
    while not places._waiting:
        time.sleep(0.01)
    begun = time.monotonic()
    with pytest.raises(Busy), places.one("cora"):
        raise AssertionError("one more that waits")
    assert time.monotonic() - begun < 1
    over.set()
    assert came.wait(5)
    first.join()
    second.join()


def test_a_place_is_given_back_where_something_goes_wrong() -> None:
    places = Places(most=1, waiting=0)
    with pytest.raises(ZeroDivisionError), places.one("anna"):
        raise ZeroDivisionError
    with places.one("anna"):
        pass


def test_without_a_place_it_is_said_when_to_ask_again(anna: Caller, monkeypatch: pytest.MonkeyPatch) -> None:
    take = anna.add()
    full = Places(most=0, waiting=0)
    for module in ("studio.api.desk.places", "studio.api.takes.places"):
        monkeypatch.setattr(module, full)
    for path in ("file?kind=clip", "page/pdf", "page/musicxml", "page?count=64"):
        answer = anna.call("get", f"takes/{take}/{path}")
        assert (answer.status_code, answer["Retry-After"]) == (503, str(AGAIN))
        assert "comes in a moment" in answer.json()["detail"]
    # What is small is answered all the same.
    assert anna.call("get", f"takes/{take}/page?count=8").status_code == 200
    assert anna.call("get", f"takes/{take}/view").status_code == 200


def test_a_pulse_beats_beside_all_work(monkeypatch: pytest.MonkeyPatch) -> None:
    port = free_port()
    monkeypatch.setenv(pulse.PORT, str(port))
    pulse.beat()
    for _ in range(3):
        with urllib.request.urlopen(f"http://127.0.0.1:{port}/", timeout=2) as answer:
            assert answer.read() == b"alive\n"
    # Who connects and says nothing is in nobody's way for long.
    with socket.create_connection(("127.0.0.1", port)):
        begun = time.monotonic()
        with urllib.request.urlopen(f"http://127.0.0.1:{port}/", timeout=5) as answer:
            assert answer.status == 200
        assert time.monotonic() - begun < pulse.PATIENCE + 1


def test_there_are_places_for_fewer_than_there_are_threads() -> None:
    from launcher.serving import WAITRESS

    threads = next(int(word.partition("=")[2]) for word in WAITRESS if word.startswith("--threads="))
    assert threads // 2 >= heavy.MOST_AT_ONCE + heavy.MOST_WAITING

"""Several hands at one take: whoever comes second is told, and nothing of either is lost."""

from concurrent.futures import ThreadPoolExecutor
from uuid import UUID

import pytest
from django.db import connections
from django.test import Client

from expression import checkpoint
from expression.history import Shaped
from expression.midi.read import read
from studio.models import Step, Take
from studio.services.folding import ShapedCache
from tests.files import file_of, phrase
from tests.studio.conftest import Caller


@pytest.mark.django_db(transaction=True)
def test_of_strokes_made_at_once_on_one_revision_just_one_is_taken(anna: Caller) -> None:
    take = anna.add()

    def draw(value: int) -> int:
        client = Client()
        client.force_login(anna.user)
        body = {"revision": 0, "stroke": {"kind": "velocity.set", "value": value}}
        try:
            path = f"/api/takes/{take}/strokes"
            return client.post(path, data=body, content_type="application/json").status_code
        finally:
            connections.close_all()

    with ThreadPoolExecutor(6) as hands:
        answers = sorted(hands.map(draw, range(10, 16)))
    assert answers == [200, 409, 409, 409, 409, 409]
    assert (Step.objects.count(), Take.objects.get().revision) == (1, 1)


@pytest.mark.django_db
def test_takes_of_one_account_do_not_meet(anna: Caller) -> None:
    first, second = anna.add(), anna.add(file_of(phrase([90, 91])))
    body = {"revision": 0, "stroke": {"kind": "velocity.set", "value": 5}}
    anna.call("post", f"takes/{first}/strokes", body)
    assert anna.get(f"takes/{second}/view")["parts"][0]["velocity"] == [90, 91]
    assert anna.get(f"takes/{second}/view")["history"]["revision"] == 0


def test_memory_has_one_place_a_take_and_lets_go_of_what_was_unused_for_longest() -> None:
    take = Shaped.of(read(file_of(phrase([64] * 200))))
    a, b, c = (UUID(int=number) for number in range(3))
    (weight,) = checkpoint.weight(take)
    room = ShapedCache(int(2.5 * weight))
    room.put(a, 0, take)
    room.put(b, 0, take)
    # Many strokes on one take are many revisions in one place: they push nobody out.
    for revision in range(1, 30):
        room.put(b, revision, take)
    assert room.get(a, 0) is take
    assert room.get(b, 29) is take
    assert room.get(b, 28) is None
    room.put(b, 3, take)
    assert room.get(b, 29) is take
    room.get(a, 0)
    room.put(c, 0, take)
    assert room.get(b, 29) is None
    assert room.get(a, 0) is take


def test_what_is_in_memory_is_lent_to_its_owner_alone_and_until_it_is_deleted() -> None:
    take = Shaped.of(read(file_of(phrase([64]))))
    known, room = UUID(int=1), ShapedCache(10**9)
    room.lend(known, 7)
    assert room.lent(known, 0, 7) is None
    room.put(known, 0, take)
    assert room.lent(known, 0, 7) is None  # Nobody has asked whose it is yet.
    room.lend(known, 7)
    assert room.lent(known, 0, 7) is take
    assert room.lent(known, 0, 8) is None
    room.put(known, 1, take)
    assert room.lent(known, 0, 7) is None
    assert room.lent(known, 1, 7) is take
    room.forget(known)
    assert room.lent(known, 1, 7) is None
    assert room.get(known, 1) is None


def test_a_take_in_use_is_still_nobody_elses_and_gone_when_deleted(anna: Caller, bert: Caller) -> None:
    take = anna.add()
    asked = {"revision": 0, "stroke": {"kind": "velocity.set", "value": 5}}
    for _ in range(2):
        assert anna.call("post", f"takes/{take}/preview", asked).status_code == 200
        assert bert.call("post", f"takes/{take}/preview", asked).status_code == 404
    anna.call("post", f"takes/{take}/strokes", asked)
    assert anna.call("post", f"takes/{take}/preview", asked).status_code == 409
    anna.call("delete", f"takes/{take}")
    assert anna.call("post", f"takes/{take}/preview", {**asked, "revision": 1}).status_code == 404

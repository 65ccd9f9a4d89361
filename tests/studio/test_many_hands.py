"""Several hands at one take: whoever comes second is told, and nothing of either is lost."""

from concurrent.futures import ThreadPoolExecutor
from uuid import UUID

import pytest
from django.db import connections
from django.test import Client

from expression.history import Shaped
from expression.midi.read import read
from studio.models import Step, Take
from studio.services.folding import EVENT_BYTES, ShapedCache
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


def test_the_shelf_has_one_place_a_take_and_lets_go_of_what_was_unused_for_longest() -> None:
    take = Shaped.of(read(file_of(phrase([64] * 200))))
    a, b, c = (UUID(int=number) for number in range(3))
    room = ShapedCache(int(2.5 * EVENT_BYTES * len(take.recorded.rows.tick)))
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

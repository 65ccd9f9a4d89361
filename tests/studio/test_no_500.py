"""Whatever is sent, the answer is a sentence: never a 500, and never a change by a request that was refused."""

import json
from typing import Any

import pytest
from django.db import OperationalError
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from expression.strokes import KINDS
from studio.models import Take
from studio.services import shaping
from tests.files import file_of, phrase
from tests.lanes import wheel
from tests.strokes import pairs, scraps, strokes_of, wheres
from tests.studio.conftest import Caller

pytestmark = pytest.mark.django_db

strokes = st.one_of(scraps, st.sampled_from(sorted(KINDS)).flatmap(strokes_of))
bodies = st.one_of(
    scraps,
    st.fixed_dictionaries(
        {"revision": st.one_of(st.just(0), scraps)},
        optional={
            "stroke": strokes,
            "part": scraps,
            "number": scraps,
            "pull": pairs,
            "where": wheres,
            "on": scraps,
            "name": scraps,
        },
    ),
)
WHEELED = file_of([*wheel([5, 60, 61, 9]), *phrase([64] * 8)])
PATHS = ["facts", "preview", "strokes", "undo", "redo"]


@settings(max_examples=400, suppress_health_check=[HealthCheck.function_scoped_fixture])
@given(path=st.sampled_from(PATHS), body=bodies)
def test_any_body_gets_an_answer(anna: Caller, path: str, body: Any) -> None:
    take = getattr(anna, "take", None) or anna.add(WHEELED)
    anna.take = take  # type: ignore[attr-defined]
    if isinstance(body, dict) and body.get("revision") == 0:
        body["revision"] = Take.objects.get().revision
    response = anna.call("post", f"takes/{take}/{path}", body)
    assert response.status_code < 500
    if response.status_code != 200:
        detail = response.json()["detail"]
        assert isinstance(detail, str)
        assert detail


@pytest.mark.parametrize("body", ["[" * 100_000, "{", "nul", "\xff", '{"revision": NaN}', ""])
def test_a_body_that_is_no_json_gets_an_answer(anna: Caller, body: str) -> None:
    take = anna.add()
    for path in PATHS:
        response = anna.client.post(f"/api/takes/{take}/{path}", data=body, content_type="application/json")
        assert 400 <= response.status_code < 500
        assert isinstance(json.loads(response.content)["detail"], str)


def test_a_database_out_of_reach_is_told(anna: Caller, monkeypatch: pytest.MonkeyPatch) -> None:
    take = anna.add()

    def gone(*_: object) -> None:
        raise OperationalError("server closed the connection unexpectedly")

    monkeypatch.setattr(shaping, "undo", gone)
    response = anna.call("post", f"takes/{take}/undo", {"revision": 0})
    assert response.status_code == 503
    assert "cannot reach its database" in response.json()["detail"]

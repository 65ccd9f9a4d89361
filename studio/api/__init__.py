"""The HTTP interface: validates, calls a service, returns. No rules live here."""

from collections.abc import Callable
from typing import Any

import orjson
from django.db import InterfaceError, OperationalError
from django.http import HttpRequest, HttpResponse, RawPostDataException
from ninja.errors import AuthenticationError, HttpError, ValidationError
from ninja.renderers import BaseRenderer
from ninja.security import django_auth

from expression.documents import Document
from expression.errors import Refused
from expression.strokes import KINDS, explain
from studio.api import banks, desk, examples, hands, jobs, recording, session, sounds, takes
from studio.api.contract import Contracted
from studio.api.encoding import encode
from studio.error_responses import NO_DATABASE, SENTENCES
from studio.services.banks import NoSuchBank
from studio.services.hands import NoSuchHand
from studio.services.heavy import AGAIN, Busy
from studio.services.jobs import NoSuchJob
from studio.services.recording import NoSuchPass
from studio.services.shaping import Stale
from studio.services.takes import NoSuchTake
from studio.signing_in import TooManyGuesses

BUSY = "Other large files are being made just now; this one comes in a moment."


class Fast(BaseRenderer):
    """JSON by orjson."""

    media_type = "application/json"

    def render(self, request: HttpRequest, data: object, *, response_status: int) -> bytes:
        """Encode an answer."""
        return encode(data)


api = Contracted(title="Lull", version="1", auth=django_auth, renderer=Fast(), docs_url=None)
api.add_router("", session.router)
api.add_router("", jobs.router)
api.add_router("takes", takes.router)
api.add_router("takes", desk.router)
api.add_router("takes", sounds.router)
api.add_router("takes", recording.router)
api.add_router("takes", hands.measuring)
api.add_router("hands", hands.router)
api.add_router("banks", banks.router)
api.add_router("examples", examples.router)


def _problem(status: int, detail: str, **more: object) -> HttpResponse:
    body = encode({"detail": detail, **more})
    return HttpResponse(body, status=status, content_type="application/json")


def _refused(request: HttpRequest, error: Refused) -> HttpResponse:
    return _problem(422, str(error), field=error.field, offer=error.offer)


def _invalid(request: HttpRequest, error: ValidationError) -> HttpResponse:
    faults = [
        {**fault, "loc": [step for step in fault["loc"] if step not in ("body", "asked", "query", "path")]}
        for fault in error.errors
    ]
    faults[0] |= _input(request, faults[0]["loc"])
    return _refused(request, explain(faults))


def _input(request: HttpRequest, path: list[object]) -> Document:
    """What was given at the place of a fault, which ninja leaves out of its errors; nothing where it is not found."""
    try:
        found = orjson.loads(request.body)
        for step in path:
            if step not in KINDS:  # The name of a stroke's kind stands in the path, but not in what was sent.
                found = found[step]
    except (ValueError, KeyError, IndexError, TypeError, RawPostDataException):
        return {}
    return {"input": found}


def _later(status: int, detail: str, again: int | None) -> HttpResponse:
    """A refusal for now: the page asks again by itself where that helps."""
    answer = _problem(status, detail)
    if again is not None:
        answer["Retry-After"] = str(again)
    return answer


def _no_database(request: HttpRequest, error: Exception) -> HttpResponse:
    return _problem(503, NO_DATABASE)


HANDLERS: dict[type[Exception], Callable[[HttpRequest, Any], HttpResponse]] = {
    Refused: _refused,
    ValidationError: _invalid,
    TooManyGuesses: lambda request, error: _later(429, str(error), error.again),
    NoSuchTake: lambda request, error: _problem(404, "There is no such take in your library."),
    NoSuchJob: lambda request, error: _problem(404, "There is no such file of yours that waits or was read."),
    NoSuchBank: lambda request, error: _problem(404, "There is no such SoundFont of yours."),
    NoSuchHand: lambda request, error: _problem(404, "There is no such hand of yours."),
    NoSuchPass: lambda request, error: _problem(404, "There is no such pass of yours: it was kept, or let go."),
    Busy: lambda request, error: _later(503, BUSY, AGAIN),
    Stale: lambda request, error: _problem(
        409, "This take was changed elsewhere since you opened it here; nothing was lost.", history=error.newer
    ),
    OperationalError: _no_database,
    InterfaceError: _no_database,
    AuthenticationError: lambda request, error: _problem(401, SENTENCES[401]),
    # A token that is missing, or of another session.
    HttpError: lambda request, error: _problem(error.status_code, SENTENCES.get(error.status_code, SENTENCES[400])),
}
for _kind, _handler in HANDLERS.items():
    api.add_exception_handler(_kind, _handler)

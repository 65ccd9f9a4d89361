"""Hands: how somebody plays, measured from a part."""

from typing import Annotated
from uuid import UUID

from django.http import HttpRequest, HttpResponse
from django.utils.http import content_disposition_header
from ninja import File, Router, Schema, Status
from ninja.files import UploadedFile
from pydantic import Field

from expression.errors import BadFile
from expression.measured import Hand
from studio.api.access import owner
from studio.api.encoding import encode
from studio.api.schemas import Problem, Whole
from studio.services import hands, takes

router = Router(tags=["hands"])
measuring = Router(tags=["hands"])
REFUSALS = {401: Problem, 404: Problem, 422: Problem}


class HandAsked(Schema):
    """A part whose hand is measured, and what it is to be called."""

    part: Whole
    name: Annotated[str, Field(min_length=1, max_length=200)]


class HandView(Schema):
    """A hand in short: from how many notes it was measured, and what it lacks."""

    id: UUID
    name: str
    notes: int
    lacks: list[str]


@router.get("", response=list[HandView])
def list_hands(request: HttpRequest) -> object:
    """All hands of the account, by name."""
    return list(hands.owned(owner(request)))


@measuring.post("{uuid:take_id}/hands", response={201: HandView, **REFUSALS})
def measure_hand(request: HttpRequest, take_id: UUID, asked: HandAsked) -> Status[object]:
    """Measure how a part is played, and keep that as a hand of the account."""
    take = takes.get(owner(request), take_id)
    return Status(201, hands.measured(owner(request), take, asked.part, asked.name))


@router.post("", response={201: HandView, **REFUSALS})
def bring_hand(
    request: HttpRequest,
    file: UploadedFile | None = File(None),  # type: ignore[type-arg]  # noqa: B008
) -> Status[object]:
    """Keep a hand that was given on (JSON)."""
    if request.META.get("lull.too_large"):
        raise BadFile("This file is too large for a hand.")
    if file is None:
        raise BadFile("No file came with the request. Choose a hand (.json).")
    return Status(201, hands.brought(owner(request), file.read()))


@router.get("{uuid:hand_id}", response={200: Hand, **REFUSALS})
def hand_data(request: HttpRequest, hand_id: UUID) -> HttpResponse:
    """What was measured, as a stroke takes it, and as it is given on."""
    found = hands.one_of(owner(request), hand_id)
    response = HttpResponse(encode(found.data), content_type="application/json")
    response["Content-Disposition"] = content_disposition_header(False, f"{found.name}.hand.json") or "inline"
    return response


@router.delete("{uuid:hand_id}", response={204: None, **REFUSALS})
def drop_hand(request: HttpRequest, hand_id: UUID) -> Status[None]:
    """Let go of one. Strokes that were made with it keep what they have of it."""
    hands.drop(owner(request), hand_id)
    return Status(204, None)

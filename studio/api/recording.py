"""Playing in: takes from nothing, new parts, and passes that come piece by piece."""

from typing import Annotated, Literal
from uuid import UUID

from django.http import HttpRequest
from ninja import Router, Schema, Status
from pydantic import Field

from expression.gear import GearFinding
from expression.limits import LAST_TICK, MOST_PIECE_EVENTS
from studio.api.access import owner
from studio.api.schemas import Added, Problem
from studio.api.takes import added
from studio.services import recording
from studio.services.recording import Kept, Waiting

router = Router(tags=["recording"])
REFUSALS = {401: Problem, 404: Problem, 422: Problem}
Tick = Annotated[int, Field(strict=True, ge=0, le=LAST_TICK)]
Name = Annotated[str, Field(max_length=500)]
Figures = Annotated[str, Field(max_length=6)]
Place = Annotated[int, Field(strict=True, ge=0, le=1_000_000)]


Strikes = Annotated[list[Annotated[int, Field(strict=True, ge=1, le=127)]], Field(min_length=1, max_length=200)]


class BlankAsked(Schema):
    """A take from nothing. `fifths`: sharps of its key, negative: flats."""

    name: Name = ""
    bpm: Annotated[float, Field(strict=True, ge=10, le=400, allow_inf_nan=False)] = 100.0
    beats: Annotated[int, Field(strict=True, ge=1, le=32)] = 4
    unit: Literal[1, 2, 4, 8, 16, 32] = 4
    fifths: Annotated[int, Field(strict=True, ge=-7, le=7)] = 0
    minor: bool = False


class PartAsked(Schema):
    """A part that is to be there; without a name it has its number."""

    name: Name = ""


class PartMade(Schema):
    """The id of a new part."""

    id: int


class BarsAsked(Schema):
    """Quarters a bar, and seconds of the take at which its beats were tapped; absent: they are found."""

    beats: Annotated[int, Field(strict=True, ge=1, le=16)] = 4
    taps: (
        Annotated[list[Annotated[float, Field(ge=0, le=1e6, allow_inf_nan=False)]], Field(max_length=20_000)] | None
    ) = None


class PassAsked(Schema):
    """A pass that is going to be played: fields as in `record.pass`. `loop_end`: the tick at which it goes round."""

    id: UUID
    part: Annotated[int, Field(strict=True, ge=0, le=10_000)]
    mode: Literal["merge", "replace", "touch"] = "merge"
    leave_out: Annotated[list[Annotated[str, Field(max_length=20)]], Field(max_length=140, default_factory=list)]
    shift_ms: Annotated[float, Field(strict=True, ge=-2000, le=2000, allow_inf_nan=False)] = 0.0
    start: Tick
    loop_end: Tick | None = None


class PieceAsked(Schema):
    """What came since the piece before: of each message its round, the second of the take, and its bytes."""

    number: Place
    events: Annotated[
        list[tuple[Place, Annotated[float, Field(ge=0, le=1e6, allow_inf_nan=False)], Figures]],
        Field(max_length=MOST_PIECE_EVENTS),
    ]


class KeepAsked(Schema):
    """`end`: the second of the take at which it was stopped; absent: with its last message."""

    end: Annotated[float, Field(strict=True, ge=0, le=1e6, allow_inf_nan=False)] | None = None


class ListenedAsked(Schema):
    """What came in some seconds in which nobody touched the instrument: seconds and messages."""

    seconds: Annotated[float, Field(strict=True, gt=0, le=60)]
    events: Annotated[
        list[tuple[Annotated[float, Field(ge=0, le=60, allow_inf_nan=False)], Figures]],
        Field(max_length=MOST_PIECE_EVENTS),
    ]


class ForcesAsked(Schema):
    """Velocities of soft, of middle and of hard strikes."""

    soft: Strikes
    middle: Strikes
    hard: Strikes


@router.post("gear/listened", response={200: list[GearFinding], 401: Problem, 422: Problem})
def listened(request: HttpRequest, asked: ListenedAsked) -> object:
    """What an instrument does by itself, in words, and what puts it right."""
    owner(request)
    return recording.listened(asked.events, asked.seconds)


@router.post("gear/forces", response={200: list[int], 401: Problem, 422: Problem})
def forces(request: HttpRequest, asked: ForcesAsked) -> object:
    """For each force of a keyboard the one it is taken for."""
    owner(request)
    return recording.forces(asked.soft, asked.middle, asked.hard)


@router.get("{uuid:take_id}/strokes/{int:number}/gear", response={200: list[GearFinding], **REFUSALS})
def pass_findings(request: HttpRequest, take_id: UUID, number: int) -> object:
    """What of a pass nobody can have played."""
    return recording.played_through(owner(request), take_id, number)


@router.post("blank", response={201: Added, **REFUSALS})
def add_blank(request: HttpRequest, asked: BlankAsked) -> Status[object]:
    """A take from nothing, to be played into."""
    told = (asked.name, asked.bpm, asked.beats, asked.unit, asked.fifths, asked.minor)
    return Status(201, added(recording.from_nothing(owner(request), *told)))


@router.post("{uuid:take_id}/new-part", response={201: PartMade, **REFUSALS})
def add_part(request: HttpRequest, take_id: UUID, asked: PartAsked) -> Status[object]:
    """A part more, of which nothing is played yet."""
    return Status(201, {"id": recording.new_part(owner(request), take_id, asked.name)})


@router.post("{uuid:take_id}/in-bars", response={201: Added, **REFUSALS})
def put_in_bars(request: HttpRequest, take_id: UUID, asked: BarsAsked) -> Status[object]:
    """A new take from one that was played freely: bars are fitted to its beats."""
    return Status(201, added(recording.in_bars(owner(request), take_id, asked.taps, asked.beats)))


@router.get("{uuid:take_id}/passes", response={200: list[Waiting], **REFUSALS})
def waiting_passes(request: HttpRequest, take_id: UUID) -> object:
    """Passes that were begun, and neither kept nor dropped."""
    return recording.waiting(owner(request), take_id)


@router.post("{uuid:take_id}/passes", response={204: None, **REFUSALS})
def begin_pass(request: HttpRequest, take_id: UUID, asked: PassAsked) -> Status[None]:
    """Something is going to be played in."""
    told = (asked.id, asked.part, asked.mode, asked.leave_out, asked.shift_ms, asked.start, asked.loop_end)
    recording.begin(owner(request), take_id, *told)
    return Status(204, None)


@router.post("{uuid:take_id}/passes/{uuid:pass_id}/pieces", response={204: None, **REFUSALS})
def add_pass_piece(request: HttpRequest, take_id: UUID, pass_id: UUID, asked: PieceAsked) -> Status[None]:
    """What was played since the piece before; the same piece may be sent again."""
    recording.add_piece(owner(request), take_id, pass_id, asked.number, asked.events)
    return Status(204, None)


@router.post("{uuid:take_id}/passes/{uuid:pass_id}/keep", response={200: Kept, **REFUSALS})
def keep_pass(request: HttpRequest, take_id: UUID, pass_id: UUID, asked: KeepAsked) -> object:
    """Make strokes of it: one a round, of which the last sounds."""
    return recording.keep(owner(request), take_id, pass_id, asked.end)


@router.delete("{uuid:take_id}/passes/{uuid:pass_id}", response={204: None, **REFUSALS})
def drop_pass(request: HttpRequest, take_id: UUID, pass_id: UUID) -> Status[None]:
    """Let go of it."""
    recording.drop(owner(request), take_id, pass_id)
    return Status(204, None)

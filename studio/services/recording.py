"""Playing in: what comes from an instrument is kept piece by piece, until it is a stroke of its take.

A tab that is closed and a server that is gone cost at most the last piece; what was played is there on the next visit.
"""

import zlib
from collections.abc import Sequence
from datetime import datetime
from uuid import UUID

import orjson
from django.contrib.auth.models import AbstractBaseUser
from django.db import IntegrityError, transaction
from django.db.models import Count, Sum
from django.db.models.functions import Length
from typing_extensions import TypedDict

from expression import freely, gear, views
from expression.arrays import whole
from expression.errors import BadStroke
from expression.gear import GearFinding
from expression.limits import MOST_PASS_BYTES, MOST_PASSES_WAITING
from expression.midi.blank import blank, with_part
from expression.played import let_go, rounds_of, unpacked
from expression.strokes.passes import RecordPass
from expression.take import Take as Recording
from studio.models import PassPiece, PassUnderWay, Take
from studio.services import folding, quota, shaping, takes

Row = tuple[int, float, str]
"""Of a message: the round (from 0), the second of the take, and its bytes in hexadecimal figures."""


WEIGHED_EVERY = 16
BROKEN_OFF = 8
"""Of a quarter: a round that was stopped nearer to its end than that was played to its end."""


class NoSuchPass(Exception):
    """There is no such pass, or it is somebody else's."""


class Kept(TypedDict):
    """What became of a pass: the numbers of its strokes, one a round in which anything was played."""

    revision: int
    numbers: list[int]


class Waiting(TypedDict):
    """A pass that was neither kept nor dropped."""

    id: UUID
    part: int
    start: int
    begun_at: datetime
    pieces: int


def from_nothing(
    owner: AbstractBaseUser, name: str, bpm: float, beats: int, unit: int, fifths: int, is_minor: bool
) -> Take:
    """A new take of some empty bars, to be played into. Raises BadFile where there is no room."""
    return takes.add(owner, f"{takes.clean_name(name) or 'New take'}.mid", blank(bpm, beats, unit, fifths, is_minor))


def new_part(owner: AbstractBaseUser, take_id: UUID, name: str) -> int:
    """A part more, of which nothing is played yet: its id. Everything else stays. Raises NoSuchTake, BadFile."""
    with transaction.atomic():
        take = shaping.locked(owner, take_id)
        quota.check(owner, len(take.source), 0)
        parts = len(folding.folded(take.pk, take.revision).recorded.parts)
        take.source = with_part(bytes(take.source), takes.clean_name(name) or f"Part {parts + 1}")
        take.revision += 1
        take.save(update_fields=["source", "revision", "changed_at"])
        # What was put away was made of fewer parts.
        folding.forget(take)
    return parts


def in_bars(owner: AbstractBaseUser, take_id: UUID, taps: Sequence[float] | None, beats: int) -> Take:
    """A new take from one that was played freely, in bars: its beats are those that were tapped, or that are found.

    The other one stays. Raises NoSuchTake, BadStroke, BadFile.
    """
    take = takes.get(owner, take_id)
    data, strokes = freely.in_bars(folding.folded(take.pk, take.revision), taps, beats)
    with transaction.atomic():
        made = takes.add(owner, f"{take.name}, in bars.mid", data)
        shaping.append(made, strokes)
        made.summary = views.library.summary(folding.folded(made.pk, made.revision).now.take)
        made.save(update_fields=["summary"])
    return made


def begin(
    owner: AbstractBaseUser,
    take_id: UUID,
    pass_id: UUID,
    part: int,
    mode: str,
    leave_out: Sequence[str],
    shift_ms: float,
    start: int,
    loop_end: int | None,
) -> None:
    """Something is going to be played. Raises NoSuchTake, BadStroke."""
    take = takes.get(owner, take_id)
    recorded = folding.folded(take.pk, take.revision).recorded
    if part >= len(recorded.parts):
        raise BadStroke(f"There is no part {part}; this take has {len(recorded.parts)}.", "part")
    if loop_end is not None and loop_end <= start:
        raise BadStroke("The loop must end after it starts.", "loop_end")
    if take.passes.count() >= MOST_PASSES_WAITING:
        raise BadStroke(f"{MOST_PASSES_WAITING} passes wait to be kept or dropped; do that first.")
    try:
        with transaction.atomic():
            take.passes.create(
                id=pass_id,
                part=part,
                mode=mode,
                leave_out=list(leave_out),
                shift_ms=shift_ms,
                start=start,
                loop_end=loop_end,
            )
    except IntegrityError:
        # Asked for twice, as after an answer that was lost: the first time counts.
        _get(owner, take_id, pass_id)


def add_piece(owner: AbstractBaseUser, take_id: UUID, pass_id: UUID, number: int, events: Sequence[Row]) -> None:
    """What came since the piece before. The same piece may come again. Raises NoSuchPass, BadStroke."""
    under_way = _get(owner, take_id, pass_id)
    data = zlib.compress(orjson.dumps(events), 1)
    # Now and then is soon enough: a piece is small.
    if number % WEIGHED_EVERY == 0:
        held = under_way.pieces.aggregate(bytes=Sum(Length("events")))["bytes"] or 0
        if held + len(data) > MOST_PASS_BYTES:
            raise BadStroke("This pass has become too long to be kept as one. Stop, and go on with another.")
    PassPiece.objects.bulk_create([PassPiece(of=under_way, number=number, events=data)], ignore_conflicts=True)


def keep(owner: AbstractBaseUser, take_id: UUID, pass_id: UUID, end: float | None) -> Kept:
    """Make strokes of a pass, one a round; `end`: the second of the take at which it was stopped.

    Of several rounds the last that was played to its end sounds. Raises NoSuchTake, NoSuchPass.
    """
    with transaction.atomic():
        take = shaping.locked(owner, take_id)
        under_way = _get(owner, take_id, pass_id)
        recorded = folding.folded(take.pk, take.revision).recorded
        strokes = _strokes(under_way, recorded, end)
        # A round that was broken off does not take the place of one that was not.
        sounds = next((one for one in reversed(strokes) if one.only is None), strokes[-1]) if strokes else None
        numbers = shaping.append(take, [(one, one is sounds) for one in strokes]) if strokes else []
        take.summary = views.library.summary(folding.folded(take.pk, take.revision).now.take)
        take.save(update_fields=["summary"])
        under_way.delete()
    return {"revision": take.revision, "numbers": numbers}


def _strokes(under_way: PassUnderWay, recorded: Recording, end: float | None) -> list[RecordPass]:
    pieces = [orjson.loads(zlib.decompress(bytes(piece.events))) for piece in under_way.pieces.all()]
    rounds = rounds_of(recorded.tempo, pieces)
    found = []
    stopped = int(whole(recorded.tempo.tick(end))) if end is not None else 0
    for number, events in rounds.items():
        only = None
        if under_way.loop_end is None:
            until = max(int(unpacked(events).tick.max()) + 1, stopped)
        else:
            until = under_way.loop_end
            if number == max(rounds) and under_way.start < stopped < until - recorded.resolution // BROKEN_OFF:
                # What was held when it was stopped ends there; behind that it says nothing.
                events, only = let_go(events, stopped), ((under_way.start, stopped),)
        said = {
            "kind": "record.pass",
            "mode": under_way.mode,
            "events": events,
            "leave_out": under_way.leave_out,
            "shift_ms": under_way.shift_ms,
            "only": only,
            "where": {"parts": [under_way.part], "span": [under_way.start, max(until, under_way.start + 1)]},
        }
        found.append(RecordPass.model_validate(said))
    return found


def drop(owner: AbstractBaseUser, take_id: UUID, pass_id: UUID) -> None:
    """Let go of a pass. Raises NoSuchPass."""
    _get(owner, take_id, pass_id).delete()


def waiting(owner: AbstractBaseUser, take_id: UUID) -> list[Waiting]:
    """Passes of a take that were neither kept nor dropped, the oldest first. Raises NoSuchTake."""
    rows = takes.get(owner, take_id).passes.annotate(count=Count("pieces"))
    return [
        {"id": row.pk, "part": row.part, "start": row.start, "begun_at": row.begun_at, "pieces": row.count}
        for row in rows
        if row.count
    ]


def listened(events: Sequence[tuple[float, str]], seconds: float) -> list[GearFinding]:
    """What an instrument does by itself."""
    return gear.listened(events, seconds)


def forces(soft: Sequence[int], middle: Sequence[int], hard: Sequence[int]) -> list[int]:
    """For each force of a keyboard the one it is taken for. Raises BadStroke where the strikes do not grow harder."""
    try:
        return gear.forces(soft, middle, hard)
    except ValueError as fault:
        raise BadStroke(str(fault).capitalize()) from None


def played_through(owner: AbstractBaseUser, take_id: UUID, number: int) -> list[GearFinding]:
    """What of a pass nobody can have played; of other strokes nothing. Raises NoSuchTake, BadStep."""
    take = takes.get(owner, take_id)
    known = folding.folded(take.pk, take.revision)
    return gear.played_through(known.history.entry(number).stroke.messages(known.recorded.tempo))


def _get(owner: AbstractBaseUser, take_id: UUID, pass_id: UUID) -> PassUnderWay:
    found = PassUnderWay.objects.filter(
        pk=pass_id, take_id=take_id, take__owner_id=owner.pk, take__deleted_at__isnull=True
    ).first()
    if found is None:
        takes.get(owner, take_id)
        raise NoSuchPass
    return found

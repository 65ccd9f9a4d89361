"""Messages for the practice synth: the same bytes that the file would hold."""

import base64
from typing import NamedTuple
from uuid import UUID

import numpy as np
from django.contrib.auth.models import AbstractBaseUser

from expression.memo import worked_out
from expression.midi.playback import held_at, listen, message_bytes, stream
from expression.midi.write import heard_in
from expression.strokes import AnyStroke
from expression.take import Take as Recording
from studio.models import Take
from studio.services.answers import Messages
from studio.services.shaping import rehearsed, seen


class Ways(NamedTuple):
    """Parts (by id) that are sent plainly, or in zones, whatever they say: as their instruments want it."""

    plain: tuple[int, ...] = ()
    mpe: tuple[int, ...] = ()


def messages(take: Take, start: float, end: float, chase: bool, held: bool, before: int | None, ways: Ways) -> Messages:
    """Messages from `start` to `end` seconds of the take as it is, or as it was before a stroke (0: the newest)."""
    return _heard(take.revision, _sent(seen(take, before), ways), start, end, chase, held)


@worked_out(4)
def _sent(take: Recording, ways: Ways) -> Recording:
    """The same for as long as a take plays."""
    return heard_in(take, {"plain": ways.plain, "mpe": ways.mpe})


def rehearse(
    owner: AbstractBaseUser,
    take_id: UUID,
    revision: int,
    stroke: AnyStroke,
    number: int | None,
    span: tuple[float, float],
    chase: bool,
    held: bool,
    ways: Ways,
) -> Messages:
    """Messages of a span in seconds, of the take as a stroke would leave it that is not kept yet."""
    sent = _sent(rehearsed(owner, take_id, revision, stroke, number), ways)
    # While a hand moves, each take is heard once: what comes behind the span is not asked for.
    return _heard(revision, sent, *span, chase, held, int(sent.tempo.tick(span[1])) + 2)


def _heard(
    revision: int, take: Recording, start: float, end: float, chase: bool, held: bool, until: int | None = None
) -> Messages:
    told = stream(take, until)
    heard = listen(told, start, end, chase or held, held_at(take, start, not held) if chase or held else None)
    return {
        "revision": revision,
        "seconds": np.round(heard.seconds, 5).tolist(),
        "parts": heard.part.tolist(),
        "bytes": base64.b64encode(message_bytes(heard)).decode(),
    }

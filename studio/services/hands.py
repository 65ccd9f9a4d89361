"""Hands of an account: measured from its takes, brought, listed, let go of. Every query goes through the owner."""

from uuid import UUID

import orjson
from django.contrib.auth.models import AbstractBaseUser
from django.db.models import QuerySet
from pydantic import ValidationError

from expression.documents import Document
from expression.errors import BadFile
from expression.limits import MOST_HANDS_EACH
from expression.measured import Hand, measure
from studio.models import MeasuredHand, Take
from studio.services.shaping import part_of, seen
from studio.services.takes import clean_name


class NoSuchHand(Exception):
    """There is no such hand, or it is somebody else's."""


def owned(owner: AbstractBaseUser) -> QuerySet[MeasuredHand]:
    """The hands of an account, without what was measured."""
    return MeasuredHand.objects.filter(owner_id=owner.pk).defer("data")


def measured(owner: AbstractBaseUser, take: Take, part: int, name: str) -> MeasuredHand:
    """Measure how a part of a take is played, as it is now. Raises NothingMatched where it says too little."""
    recording = seen(take)
    return _kept(owner, measure(recording, part_of(recording, part), clean_name(name)[:80] or "A hand"))


def brought(owner: AbstractBaseUser, data: bytes, anew: bool = True) -> MeasuredHand:
    """Keep a hand that was given on; unless it is `anew`, only where there is none like it. Raises BadFile, and then
    nothing is stored.
    """
    try:
        hand = Hand.model_validate(orjson.loads(data))
    except (orjson.JSONDecodeError, ValidationError):
        raise BadFile("This is no hand of Lull's: export one (JSON) from the form of “Like a hand”.") from None
    known = None if anew else MeasuredHand.objects.filter(owner_id=owner.pk, name=hand.name, data=_told(hand)).first()
    return known or _kept(owner, hand)


def one_of(owner: AbstractBaseUser, hand_id: UUID) -> MeasuredHand:
    """One of them. Raises NoSuchHand."""
    found = MeasuredHand.objects.filter(owner_id=owner.pk, pk=hand_id).first()
    if found is None:
        raise NoSuchHand
    return found


def drop(owner: AbstractBaseUser, hand_id: UUID) -> None:
    """Let go of one; strokes that were made with it keep what they have. Raises NoSuchHand."""
    one_of(owner, hand_id).delete()


def _kept(owner: AbstractBaseUser, hand: Hand) -> MeasuredHand:
    if owned(owner).count() >= MOST_HANDS_EACH:
        raise BadFile(f"{MOST_HANDS_EACH} hands are kept, which is the most; let go of one first.")
    return MeasuredHand.objects.create(
        owner_id=owner.pk, name=hand.name, notes=hand.notes, lacks=list(hand.lacks), data=_told(hand)
    )


def _told(hand: Hand) -> Document:
    return hand.model_dump(mode="json", exclude_none=True)

"""How much an account may keep, and keeps."""

from typing import NamedTuple

from django.contrib.auth.base_user import AbstractBaseUser
from django.db.models import Sum
from django.db.models.functions import Length

from expression.errors import BadFile
from expression.limits import GIB, MOST_BYTES_EACH, MOST_TAKES_EACH
from studio.models import Room, SoundBank, Take, TakeSound


class Held(NamedTuple):
    """What an account keeps: takes in its library, bytes of all that counts, and so many it may keep."""

    takes: int
    bytes: int
    most_bytes: int


def held(owner: AbstractBaseUser) -> Held:
    """What it is just now; what was deleted and can be brought back counts in bytes."""
    mine = Take.objects.filter(owner_id=owner.pk)
    sounds = TakeSound.objects.filter(take__owner_id=owner.pk)
    weight = sum(
        found["bytes"] or 0
        for found in (
            mine.aggregate(bytes=Sum(Length("source"))),
            sounds.aggregate(bytes=Sum("size")),
            SoundBank.objects.filter(owner_id=owner.pk).aggregate(bytes=Sum("size")),
        )
    )
    room = Room.objects.filter(owner_id=owner.pk).first()
    takes = mine.filter(deleted_at__isnull=True).count()
    return Held(takes, weight, room.most_bytes if room else MOST_BYTES_EACH)


def check(owner: AbstractBaseUser, more: int, takes: int = 1) -> None:
    """Whether an account may keep so many takes and bytes more. Raises BadFile where it may not."""
    now = held(owner)
    if now.takes + takes > MOST_TAKES_EACH:
        raise BadFile(f"Your library holds {MOST_TAKES_EACH:,} takes, which is the most; delete some of them first.")
    if now.bytes + more > now.most_bytes:
        raise BadFile(
            f"Your library would be larger than {now.most_bytes / GIB:.3g} GiB, which is the most. Delete what you do "
            "not need; it counts for 30 days more, as long as it can be brought back."
        )

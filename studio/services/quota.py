"""How much an account may keep."""

from django.contrib.auth.base_user import AbstractBaseUser
from django.db.models import Sum
from django.db.models.functions import Length

from expression.errors import BadFile
from expression.limits import GIB, MOST_BYTES_EACH, MOST_TAKES_EACH
from studio.models import SoundBank, Take, TakeSound


def check(owner: AbstractBaseUser, more: int, takes: int = 1) -> None:
    """Whether an account may keep so many takes and bytes more. Raises BadFile where it may not."""
    mine = Take.objects.filter(owner_id=owner.pk)
    if mine.filter(deleted_at__isnull=True).count() + takes > MOST_TAKES_EACH:
        raise BadFile(f"Your library holds {MOST_TAKES_EACH:,} takes, which is the most; delete some of them first.")
    sounds = TakeSound.objects.filter(take__owner_id=owner.pk)
    held = sum(
        found["bytes"] or 0
        for found in (
            mine.aggregate(bytes=Sum(Length("source"))),
            sounds.aggregate(bytes=Sum("size")),
            SoundBank.objects.filter(owner_id=owner.pk).aggregate(bytes=Sum("size")),
        )
    )
    if held + more > MOST_BYTES_EACH:
        raise BadFile(
            f"Your library would be larger than {MOST_BYTES_EACH // GIB} GiB, which is the most. Delete what you do "
            "not need; it counts for 30 days more, as long as it can be brought back."
        )

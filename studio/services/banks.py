"""SoundFonts of an account: brought, listed, let go of. Every query goes through the owner."""

from pathlib import PurePath
from uuid import UUID

from django.contrib.auth.models import AbstractBaseUser
from django.db.models import QuerySet

from expression.errors import BadFile
from expression.limits import MOST_BANKS_EACH
from expression.soundfont import answers, presets
from studio.models import SoundBank
from studio.services import bulk, quota
from studio.services.takes import clean_name


class NoSuchBank(Exception):
    """There is no such SoundFont, or it is somebody else's."""


def owned(owner: AbstractBaseUser) -> QuerySet[SoundBank]:
    """The SoundFonts of an account."""
    return SoundBank.objects.filter(owner_id=owner.pk)


def add(owner: AbstractBaseUser, file_name: str, data: bytes) -> SoundBank:
    """Keep a SoundFont. Raises BadFile, and then nothing is stored."""
    if owned(owner).count() >= MOST_BANKS_EACH:
        raise BadFile(f"{MOST_BANKS_EACH} SoundFonts are kept, which is the most; let go of one first.")
    found = [one._asdict() for one in presets(data)]
    quota.check(owner, len(data), 0)
    name = clean_name(PurePath(file_name.replace("\\", "/")).stem) or "SoundFont"
    file = bulk.keep(data, bulk.BANKS, "sf2")
    return SoundBank.objects.create(
        owner_id=owner.pk, name=name, file=file, size=len(data), presets=found, answers=answers(data)
    )


def data_of(owner: AbstractBaseUser, bank_id: UUID) -> bytes:
    """The file of one. Raises NoSuchBank."""
    found = owned(owner).filter(pk=bank_id).first()
    if found is None:
        raise NoSuchBank
    return bulk.read(found.file)


def drop(owner: AbstractBaseUser, bank_id: UUID) -> None:
    """Let go of one. Raises NoSuchBank."""
    count, _ = owned(owner).filter(pk=bank_id).delete()
    if not count:
        raise NoSuchBank

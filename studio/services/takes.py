"""Takes of an account: add, list, rename, delete and bring back. Every query goes through the owner."""

from pathlib import PurePath
from uuid import UUID

from django.contrib.auth.models import AbstractBaseUser
from django.db.models import QuerySet
from django.utils import timezone

from expression import views
from expression.history import Shaped
from expression.limits import LONGEST_NAME
from expression.midi.excerpt import Asked
from expression.midi.files import ALL, FileKind, file_name, opened, saved
from expression.midi.rescue import rescued
from expression.midi.zoning import as_zone
from expression.returned import returned
from expression.strokes import AnyStroke
from expression.take import Take as Recording
from studio.models import Take
from studio.services import quota
from studio.services.folding import cache, folded


class NoSuchTake(Exception):
    """There is no such take, or it is somebody else's."""


def owned(owner: AbstractBaseUser) -> QuerySet[Take]:
    """The takes of an account, without those deleted and without the weight of their recordings."""
    return Take.objects.filter(owner_id=owner.pk, deleted_at__isnull=True).defer("source")


def get(owner: AbstractBaseUser, take_id: UUID) -> Take:
    """One take. Raises NoSuchTake."""
    take = owned(owner).filter(pk=take_id).first()
    if take is None:
        raise NoSuchTake
    return take


def revision(owner: AbstractBaseUser, take_id: UUID) -> int:
    """The revision of a take, without the rest of it. Raises NoSuchTake."""
    found: int | None = owned(owner).filter(pk=take_id).values_list("revision", flat=True).first()
    if found is None:
        raise NoSuchTake
    return found


def add(owner: AbstractBaseUser, file_name: str, data: bytes) -> Take:
    """A new take from an uploaded file. Raises BadFile, and then nothing is stored."""
    quota.check(owner, len(data))
    take, recording = read(owner, file_name, data)
    cache.put(take.pk, take.revision, Shaped.of(recording))
    return take


def rescue(owner: AbstractBaseUser, file_name: str, data: bytes) -> tuple[Take, list[str]]:
    """A new take of what can be read of a damaged file, and what is lost. Raises BadFile; then nothing is stored."""
    found = rescued(data)
    path = PurePath(file_name.replace("\\", "/"))
    return add(owner, f"{path.stem}, what could be read.mid", found.data), found.lost


def read(owner: AbstractBaseUser, file_name: str, data: bytes) -> tuple[Take, Recording]:
    """A new take, and what was read. Raises BadFile, and then nothing is stored."""
    recording = opened(data)
    take = Take.objects.create(
        owner_id=owner.pk,
        name=clean_name(PurePath(file_name.replace("\\", "/")).stem) or "Untitled take",
        source=data,
        summary=views.library.summary(recording),
    )
    return take, recording


def came_back(take: Take, data: bytes) -> AnyStroke:
    """The stroke that makes a take as a file has it that was taken away and changed elsewhere. Raises BadFile, and
    NothingMatched where it has nothing else, or is other music.
    """
    return returned(folded(take.pk, take.revision).now.take, data)


def plain(text: str) -> bool:
    """Whether a text can be stored: PostgreSQL takes neither zero bytes nor halves of surrogate pairs."""
    return "\0" not in text and not any("\ud800" <= sign <= "\udfff" for sign in text)


def clean_name(name: str) -> str:
    """A name as it can be stored and shown on one line: any text, without control characters."""
    shown = "".join(sign if sign.isprintable() else " " for sign in name)
    return " ".join(shown.split())[:LONGEST_NAME]


def rename(owner: AbstractBaseUser, take_id: UUID, name: str) -> Take:
    """Another name; an empty one leaves it as it was."""
    take = get(owner, take_id)
    if cleaned := clean_name(name):
        take.name = cleaned
        take.save(update_fields=["name", "changed_at"])
    return take


def delete(owner: AbstractBaseUser, take_id: UUID) -> None:
    """Out of the library; `restore` brings it back."""
    get(owner, take_id)
    Take.objects.filter(pk=take_id).update(deleted_at=timezone.now())
    cache.forget(take_id)


def deleted(owner: AbstractBaseUser) -> QuerySet[Take]:
    """What was deleted and is still kept, the latest first."""
    gone = Take.objects.filter(owner_id=owner.pk, deleted_at__isnull=False).defer("source")
    return gone.order_by("-deleted_at")


def restore(owner: AbstractBaseUser, take_id: UUID) -> Take:
    """Undo a deletion. Raises NoSuchTake."""
    Take.objects.filter(owner_id=owner.pk, pk=take_id).update(deleted_at=None)
    return get(owner, take_id)


def file(
    take: Take, kind: FileKind | None = None, cues: bool = True, thin: float = 0.0, asked: Asked = ALL
) -> tuple[str, bytes]:
    """The take as a Standard MIDI File, its parts as they are set to be sent, or as `kind` says; or as a clip file; and
    what that is called.

    `thin`: drawn ways in fewer events, off by so many steps at most. `asked`: some parts or bars of it, in one track.
    """
    now = folded(take.pk, take.revision).now.take
    data = saved(now if cues else now.without_cues(), kind, thin, asked)
    return file_name(now, take.name, kind, cues, thin, asked), data


def zoned(owner: AbstractBaseUser, take_id: UUID) -> Take:
    """A new take from the recording of another that looks like MPE: read as what it looks like. Raises BadFile."""
    take = get(owner, take_id)
    return add(owner, f"{take.name}, as MPE", as_zone(bytes(take.source)))

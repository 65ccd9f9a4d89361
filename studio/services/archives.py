"""All that an account holds as one archive, and such an archive taken in, here or by another Lull.

A ZIP of plain files, as docs/archives.md says: recordings as they came, histories as JSON, sounds as FLAC.
"""

import json
import logging
import lzma
import struct
import zipfile
import zlib
from collections.abc import Iterator
from datetime import UTC, datetime, timedelta
from pathlib import Path, PurePosixPath
from typing import IO, Annotated, Literal, NamedTuple

from django.contrib.auth.models import AbstractBaseUser
from django.db import transaction
from django.utils import timezone
from pydantic import AwareDatetime, BaseModel, BeforeValidator, ConfigDict, Field, TypeAdapter

from expression import sound, views
from expression.documents import Document
from expression.errors import BadFile, Refused
from expression.history import Entry, Folded, History
from expression.limits import (
    MOST_BYTES_EACH,
    MOST_FILE_BYTES,
    MOST_HAND_BYTES,
    MOST_HANDS_EACH,
    MOST_SOUND_BYTES,
    MOST_STEPS,
    MOST_TAKES_EACH,
)
from expression.midi.files import opened, saved
from expression.strokes import parse_stroke
from studio.models import MeasuredHand, Preferences, Step, Take, TakeSound
from studio.services import arrangement, bulk, folding, hands, quota, sounds, takes
from studio.services.progress import Progress

log = logging.getLogger(__name__)

FORMAT, VERSION = "lull-archive", 1
ABOUT, WISHES, TAKES, HANDS = "archive.json", "preferences.json", "takes", "hands"
HISTORY, RECORDING, SHAPED, SOUND = "take.json", "recording.mid", "shaped.mid", "sound.flac"
MOST_TEXT_BYTES = 64 * 2**20
"""Of a file of JSON in an archive."""
MOST_REMARKS = 20
NOT_ONE = "This is not an archive of Lull, or it is damaged. Choose the file that “Save everything” has made."


class _Told(BaseModel):
    model_config = ConfigDict(extra="ignore")


def _moment(given: object) -> datetime | None:
    """A moment as it can be kept; what is none, or lies where nobody was, is told as no moment at all."""
    try:
        told = _MOMENTS.validate_python(given)
    except ValueError:
        return None
    return told if told is None or EARLIEST <= told <= timezone.now() + timedelta(days=2) else None


_MOMENTS: TypeAdapter[datetime | None] = TypeAdapter(AwareDatetime | None)
EARLIEST = datetime(1980, 1, 1, tzinfo=UTC)
Moment = Annotated[AwareDatetime | None, BeforeValidator(_moment)]
"""When something was made: nothing else of an archive depends on it."""


class StepTold(_Told):
    """A step of a history."""

    number: Annotated[int, Field(ge=1, le=10**6)]
    stroke: Document
    on: bool = True
    gone: bool = False
    made_at: Moment = None


class SoundTold(_Told):
    """What stands beside a sound."""

    name: str = ""
    offset: Annotated[float, Field(ge=-1e6, le=1e6, allow_inf_nan=False)] = 0.0


class TakeTold(_Told):
    """A take, but for its recording and its sound."""

    name: str
    added_at: Moment = None
    deleted_at: Moment = None
    done: Annotated[int, Field(ge=0)] = 0
    steps: Annotated[list[StepTold], Field(max_length=MOST_STEPS)] = []
    arrangement: Document = {}
    sound: SoundTold | None = None


class About(_Told):
    """What an archive is."""

    format: Literal["lull-archive"]
    version: Literal[1]


def write(owner: AbstractBaseUser, target: Path, progress: Progress) -> None:
    """Write an archive of all that an account holds to a file; what was deleted and is still kept is in it."""
    mine = Take.objects.filter(owner_id=owner.pk).defer("source").order_by("added_at", "pk")
    count = mine.count()
    with zipfile.ZipFile(target, "w", zipfile.ZIP_DEFLATED, compresslevel=1) as archive:
        about = {"format": FORMAT, "version": VERSION, "player": owner.get_username(), "made_at": timezone.now()}
        archive.writestr(ABOUT, _json(about))
        archive.writestr(WISHES, _json(arrangement.wishes(owner).model_dump(mode="json")))
        for number, hand in enumerate(MeasuredHand.objects.filter(owner_id=owner.pk), 1):
            archive.writestr(f"{HANDS}/{number:04}.json", _json(hand.data))
        for number, take in enumerate(mine.iterator(chunk_size=20), 1):
            _write_take(archive, f"{TAKES}/{number:04}", take)
            progress.tell(number / count)


def _write_take(archive: zipfile.ZipFile, folder: str, take: Take) -> None:
    steps = [
        StepTold(number=step.number, stroke=step.stroke, on=step.on, gone=step.gone, made_at=step.made_at)
        for step in take.steps.all()
    ]
    kept = TakeSound.objects.filter(take=take).first()
    told = TakeTold(
        name=take.name,
        added_at=take.added_at,
        deleted_at=take.deleted_at,
        done=take.done,
        steps=steps,
        arrangement=take.arrangement,
        sound=SoundTold(name=kept.name, offset=kept.offset) if kept else None,
    )
    archive.writestr(f"{folder}/{HISTORY}", _json(told.model_dump(mode="json", exclude_none=True)))
    archive.writestr(f"{folder}/{RECORDING}", bytes(take.source))
    if take.done:
        # For whoever has no Lull: what all the strokes have made of it.
        archive.writestr(f"{folder}/{SHAPED}", saved(folding.made(take.pk).now.take))
    if kept is not None:
        archive.writestr(f"{folder}/{SOUND}", bulk.read(kept.file), zipfile.ZIP_STORED)


def _json(data: object) -> str:
    return json.dumps(data, indent=1, default=datetime.isoformat, ensure_ascii=False)


class TakenIn(NamedTuple):
    """What an archive has brought."""

    says: str
    remarks: tuple[str, ...]


def take_in(owner: AbstractBaseUser, source: IO[bytes], progress: Progress) -> TakenIn:
    """Add all takes of an archive to an account's library. What cannot be read is left out and told of.

    Raises BadFile where it is no archive, or more than may be kept; nothing is added then.
    """
    try:
        with zipfile.ZipFile(source) as archive:
            _check(archive)
            About.model_validate_json(_bytes(archive, ABOUT, MOST_TEXT_BYTES))
            folders = sorted({name.rsplit("/", 1)[0] for name in archive.namelist() if name.endswith(f"/{HISTORY}")})
            kept = [info.file_size for info in archive.infolist() if info.filename.endswith((RECORDING, SOUND))]
            quota.check(owner, sum(kept), len(folders))
            remarks = list(_take_all_in(owner, archive, folders, progress))
            _wishes_in(owner, archive)
            left_out = [name for name in archive.namelist() if _is_hand(name) and not _hand_in(owner, archive, name)]
    except Refused:
        raise
    except UNREADABLE:
        raise BadFile(NOT_ONE) from None
    count = len(folders) - len(remarks)
    more = [f"… and {len(remarks) - MOST_REMARKS} more."] if len(remarks) > MOST_REMARKS else []
    said = f"{count:,} take{'' if count == 1 else 's'} added."
    hands_ = [
        f"{PurePosixPath(name).name}: this hand cannot be read, or is one more than are kept." for name in left_out
    ]
    return TakenIn(said, (*remarks[:MOST_REMARKS], *more, *hands_[:MOST_REMARKS]))


def _is_hand(name: str) -> bool:
    return name.startswith(f"{HANDS}/") and name.endswith(".json")


def _hand_in(owner: AbstractBaseUser, archive: zipfile.ZipFile, name: str) -> bool:
    """A hand of an archive into an account that has not got the same; whether it is there now."""
    try:
        hands.brought(owner, _bytes(archive, name, MOST_HAND_BYTES), anew=False)
    except BadFile:
        return False
    return True


UNREADABLE = (
    *(zipfile.BadZipFile, zlib.error, lzma.LZMAError, struct.error, EOFError, OSError),
    *(KeyError, ValueError, OverflowError, RuntimeError, AssertionError),
)
"""What a damaged archive raises, wherever it is damaged: Python's reader checks little of it by itself."""


def _check(archive: zipfile.ZipFile) -> None:
    """As far as an archive tells its size. Raises BadFile."""
    listed = archive.infolist()
    if (
        len(listed) > 4 * MOST_TAKES_EACH + MOST_HANDS_EACH + 10
        or sum(info.file_size for info in listed) > MOST_BYTES_EACH
    ):
        raise BadFile(f"This archive holds more than an account may: {MOST_TAKES_EACH:,} takes and 4 GiB.")
    if any(info.flag_bits & 1 for info in listed):
        raise BadFile("This archive is locked with a password. Unpack it, pack it again without one, and try again.")


def _bytes(archive: zipfile.ZipFile, name: str, most: int) -> bytes:
    """A file of an archive, read no further than it may be long, whatever the archive says of it."""
    with archive.open(name) as file:
        data = file.read(most + 1)
    if len(data) > most:
        raise BadFile(f"{PurePosixPath(name).name} is larger than {most // 2**20} MiB.")
    return data


def _take_all_in(
    owner: AbstractBaseUser, archive: zipfile.ZipFile, folders: list[str], progress: Progress
) -> Iterator[str]:
    """Adds take after take; of each that cannot be read, why."""
    for number, folder in enumerate(folders):
        part = progress.part(number / len(folders), (number + 1) / len(folders))
        part.tell(0.0)
        name = folder.rsplit("/", 1)[-1]
        try:
            told = TakeTold.model_validate_json(_bytes(archive, f"{folder}/{HISTORY}", MOST_TEXT_BYTES))
            name = takes.clean_name(told.name) or name
            with transaction.atomic():
                _take_one_in(owner, archive, folder, told, part)
        except Refused as refused:
            yield f"“{name}” was left out: {refused}"
        except UNREADABLE as error:
            log.warning("a take of an archive could not be read: %r", error)
            yield f"“{name}” is damaged in the archive and was left out."


def _take_one_in(
    owner: AbstractBaseUser, archive: zipfile.ZipFile, folder: str, told: TakeTold, progress: Progress
) -> None:
    data = _bytes(archive, f"{folder}/{RECORDING}", MOST_FILE_BYTES)
    steps = tuple(Entry(step.number, parse_stroke(step.stroke), step.on, step.gone) for step in told.steps)
    if told.done > len(steps):
        raise BadFile("its history has fewer steps than it says.")
    recording = opened(data)
    entries = History(steps, told.done).entries()
    folded = Folded(recording, {})
    for count, entry in enumerate(entries, 1):
        # Stroke by stroke, so that it can be given up in between.
        folded = folded.then(entry)
        progress.tell(0.9 * count / len(entries))
    heard = None
    if told.sound is not None:
        packed = _bytes(archive, f"{folder}/{SOUND}", MOST_SOUND_BYTES)
        heard = sound.unpack(packed)
    take = Take.objects.create(
        owner_id=owner.pk,
        name=takes.clean_name(told.name) or "Untitled take",
        source=data,
        summary=views.library.summary(recording),
        revision=len(steps),
        done=told.done,
        deleted_at=min(told.deleted_at, timezone.now()) if told.deleted_at else None,
    )
    rows = Step.objects.bulk_create(
        Step(
            take=take,
            position=position,
            number=entry.number,
            stroke=entry.stroke.model_dump(mode="json", exclude_none=True),
            label=entry.stroke.title[:200],
            on=entry.on,
            gone=entry.gone,
        )
        for position, entry in enumerate(steps)
    )
    # Django dates every row as it is made: when a step was made in truth is told afterwards, many at a time.
    dated = [(row, step.made_at) for row, step in zip(rows, told.steps, strict=True) if step.made_at is not None]
    for row, made_at in dated:
        row.made_at = made_at
    Step.objects.bulk_update([row for row, _ in dated], ["made_at"], batch_size=500)
    if told.added_at is not None:
        Take.objects.filter(pk=take.pk).update(added_at=min(told.added_at, timezone.now()))
    if told.arrangement:
        arrangement.arrange(take, arrangement.Arrangement.model_validate(told.arrangement))
    if heard is not None and told.sound is not None:
        sounds.keep(take, told.sound.name, heard, packed, offset=told.sound.offset)


def _wishes_in(owner: AbstractBaseUser, archive: zipfile.ZipFile) -> None:
    """What the account wants in every take, where it has not said so here already."""
    if WISHES in archive.namelist() and not Preferences.objects.filter(owner_id=owner.pk).exists():
        arrangement.wish(owner, arrangement.Wishes.model_validate_json(_bytes(archive, WISHES, MOST_TEXT_BYTES)))

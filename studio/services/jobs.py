"""What takes longer than an answer is waited for: a worker does it, from a queue, while its player watches."""

import logging
from collections.abc import Callable
from typing import NamedTuple
from uuid import UUID

from django.contrib.auth.models import AbstractBaseUser
from django.core.files.uploadedfile import UploadedFile
from django.db import InterfaceError, OperationalError, transaction

from expression.documents import Document
from expression.errors import BadFile, Refused
from expression.history import Shaped
from expression.limits import MOST_BYTES_EACH, MOST_JOBS_EACH, MOST_PIECE_BYTES
from studio.models import Job, Take
from studio.services import archives, folding, forms, places, queue, quota, sounds, spool, takes
from studio.services.forms import FormsAsked
from studio.services.progress import Progress, Watched

log = logging.getLogger(__name__)
Kind, State = Job.Kind, Job.State
UNDER_WAY = (State.ARRIVING, State.WAITING, State.WORKING)
MAKES = (Kind.EXPORT, Kind.FORMS)
"""Those that make a file, which is there to be fetched."""
SLOWLY = (Kind.ARCHIVE, Kind.EXPORT, Kind.TUNE, Kind.FORMS)
"""Those that others do not wait for."""
MOST_TRIES = 3
FAILED = "Something went wrong in Lull while this was read; nothing was changed. Try again."
GIVEN_UP = "Reading this has failed several times and was given up; nothing was changed."
GONE = "The file is no longer here. Choose it again."


class NoSuchJob(Exception):
    """There is no such job, or it is somebody else's."""


def mine(owner: AbstractBaseUser) -> list[Job]:
    """The jobs of an account, the oldest first."""
    return list(Job.objects.filter(owner_id=owner.pk))


def get(owner: AbstractBaseUser, job_id: UUID) -> Job:
    """One job. Raises NoSuchJob."""
    found = Job.objects.filter(owner_id=owner.pk, pk=job_id).first()
    if found is None:
        raise NoSuchJob
    return found


def read_take(owner: AbstractBaseUser, file: "UploadedFile[bytes]") -> Job:
    """Have a recording read into a new take."""
    quota.check(owner, file.size or 0)
    return _ask(owner, Kind.TAKE, file.name or "", file)


def read_sound(take: Take, file: "UploadedFile[bytes]") -> Job:
    """Have a sound read and kept beside a take."""
    quota.check(take.owner, file.size or 0, 0)
    return _ask(take.owner, Kind.SOUND, file.name or "", file, take)


def follow_sound(take: Take) -> Job:
    """Have it measured what a take's sound sings: one at a time."""
    waiting = Job.objects.filter(owner_id=take.owner_id, kind=Kind.TUNE, take=take, state__in=UNDER_WAY).first()
    return waiting or _ask(take.owner, Kind.TUNE, "", None, take)


def export(owner: AbstractBaseUser) -> Job:
    """Have an archive made of all that an account holds: one at a time; one that was made before gives way."""
    for earlier in Job.objects.filter(owner_id=owner.pk, kind=Kind.EXPORT):
        if earlier.state in UNDER_WAY:
            return earlier
        _drop(earlier)
    return _ask(owner, Kind.EXPORT, "Lull archive.zip", None)


def every_form(take: Take, asked: FormsAsked) -> Job:
    """Have every form of a take put in one archive: one at a time of a take; one that was made before gives way."""
    for earlier in Job.objects.filter(owner_id=take.owner_id, kind=Kind.FORMS, take=take):
        if earlier.state in UNDER_WAY and earlier.asked == asked.model_dump(mode="json"):
            return earlier
        if earlier.state != State.WORKING:
            _drop(earlier)
    name = f"{take.name}, all forms.zip"
    return _ask(take.owner, Kind.FORMS, name, None, take, asked.model_dump(mode="json"))


def begin_archive(owner: AbstractBaseUser, name: str, size: int) -> Job:
    """An archive is to come, in pieces. One that was coming before has been given up."""
    if not 0 < size <= MOST_BYTES_EACH:
        raise BadFile(f"An archive may have up to {MOST_BYTES_EACH // 2**30} GiB. This one has {size / 2**30:.1f} GiB.")
    for given_up in Job.objects.filter(owner_id=owner.pk, state=State.ARRIVING):
        _drop(given_up)
    _check_count(owner)
    return Job.objects.create(
        owner_id=owner.pk, kind=Kind.ARCHIVE, state=State.ARRIVING, name=takes.clean_name(name), size=size
    )


def add_piece(owner: AbstractBaseUser, job_id: UUID, at: int, piece: bytes) -> Job:
    """The next piece of an archive; with the last of them a worker begins. Raises NoSuchJob, BadFile."""
    with transaction.atomic():
        job = Job.objects.select_for_update().filter(owner_id=owner.pk, pk=job_id, state=State.ARRIVING).first()
        if job is None:
            raise NoSuchJob
        here = spool.size(job.pk)
        if at != here:
            raise BadFile(f"This piece begins at byte {at:,}, but {here:,} bytes have come so far. Send the next one.")
        if len(piece) > MOST_PIECE_BYTES or here + len(piece) > job.size:
            raise BadFile("This piece is larger than what was left to come. Choose the archive again.")
        spool.add(job.pk, piece)
        job.share = (here + len(piece)) / job.size
        if here + len(piece) == job.size:
            job.state, job.share = State.WAITING, 0.0
            _enqueue(job)
        job.save(update_fields=["state", "share"])
    return job


def made(owner: AbstractBaseUser, job_id: UUID) -> Job:
    """An archive that was made and is still here. Raises NoSuchJob."""
    job = get(owner, job_id)
    if job.kind not in MAKES or job.state != State.DONE or not spool.size(job.pk):
        raise NoSuchJob
    return job


def forget(owner: AbstractBaseUser, job_id: UUID) -> None:
    """Let go of a job, and of its file; one that a worker has begun is left to it. Raises NoSuchJob."""
    job = get(owner, job_id)
    if job.state != State.WORKING:
        _drop(job)


def _drop(job: Job) -> None:
    spool.drop(job.pk)
    job.delete()


def _ask(
    owner: AbstractBaseUser,
    kind: Job.Kind,
    name: str,
    file: "UploadedFile[bytes] | None",
    take: Take | None = None,
    asked: Document | None = None,
) -> Job:
    _check_count(owner)
    size = file.size or 0 if file else 0
    job = Job(owner_id=owner.pk, kind=kind, name=takes.clean_name(name), take=take, size=size, asked=asked or {})
    if file is not None:
        spool.keep(job.pk, file)
    try:
        with transaction.atomic():
            job.save()
            _enqueue(job)
    except BaseException:
        spool.drop(job.pk)
        raise
    return job


def _check_count(owner: AbstractBaseUser) -> None:
    if Job.objects.filter(owner_id=owner.pk, state__in=UNDER_WAY).count() >= MOST_JOBS_EACH:
        raise BadFile(f"{MOST_JOBS_EACH} of your files are waiting to be read. Add this one when they are through.")


def _enqueue(job: Job) -> None:
    """Who waits for many things lets those go first who wait for one."""
    line = queue.SLOW if job.kind in SLOWLY else queue.QUICK
    queue.work(job.pk, line, -Job.objects.filter(owner_id=job.owner_id, state__in=UNDER_WAY).count())


def work(job_id: UUID) -> None:
    """Do a job, in a worker. However it ends, its player is told; what was half done is not kept."""
    job = Job.objects.filter(pk=job_id, state__in=(State.WAITING, State.WORKING)).select_related("owner").first()
    if job is None:
        return
    job.tries, job.state = job.tries + 1, State.WORKING
    job.save(update_fields=["tries", "state"])
    try:
        if job.tries > MOST_TRIES:  # It was begun, and whoever did it did not live to say how it went.
            raise BadFile(GIVEN_UP)
        # All of it or nothing, so that a worker that begins anew does not find half of it there.
        with Watched(job.pk) as progress, transaction.atomic():
            done = DOES[Kind(job.kind)](job, progress)
            job.state, job.share = State.DONE, 1.0
            job.says, job.remarks, job.looks_zoned = done.says, list(done.remarks), done.looks_zoned
            job.take = done.take
            job.save()
    except Refused as refused:
        _refuse(job, str(refused))
    except (OperationalError, InterfaceError):
        raise
    except MemoryError:
        _refuse(job, "Reading this takes more memory than Lull gives to one file; nothing was changed.")
    except Exception as error:
        if Job.objects.filter(pk=job_id).exists():  # Otherwise the account is gone, and the job with it.
            log.exception("job %s (%s) failed", job_id, job.kind)
            _refuse(job, places.trouble(error) or FAILED)
    if job.kind not in MAKES or job.state != State.DONE:
        spool.drop(job.pk)


def _refuse(job: Job, sentence: str) -> None:
    job.state, job.says = State.REFUSED, sentence
    Job.objects.filter(pk=job.pk).update(state=job.state, says=sentence)


class Done(NamedTuple):
    """What a job has come to."""

    take: Take | None = None
    says: str = ""
    remarks: tuple[str, ...] = ()
    looks_zoned: bool = False


def _file(job: Job) -> bytes:
    data = spool.read(job.pk)
    if data is None:
        raise BadFile(GONE)
    return data


def _take(job: Job, progress: Progress) -> Done:
    take, recording = takes.read(job.owner, job.name, _file(job))
    progress.tell(0.8)
    folding.keep_checkpoint(take.pk, Shaped.of(recording))
    return Done(take, remarks=recording.remarks, looks_zoned=recording.looks_zoned)


def _sound(job: Job, progress: Progress) -> Done:
    take = job.take
    if take is None or take.deleted_at is not None:
        raise BadFile("The take that this sound was for was deleted.")
    sounds.add(take, job.name, _file(job), progress)
    return Done(take)


def _tune(job: Job, progress: Progress) -> Done:
    take = job.take
    if take is None or take.deleted_at is not None or sounds.of(take) is None:
        raise BadFile("The sound that was to be followed is gone.")
    sounds.follow(take, progress)
    return Done(take)


def _archive(job: Job, progress: Progress) -> Done:
    if spool.size(job.pk) != job.size:
        raise BadFile(GONE)
    with spool.opened(job.pk) as file:
        found = archives.take_in(job.owner, file, progress)
    return Done(None, found.says, found.remarks)


def _export(job: Job, progress: Progress) -> Done:
    with spool.making(job.pk) as path:
        archives.write(job.owner, path, progress)
    job.size = spool.size(job.pk)
    return Done()


def _forms(job: Job, progress: Progress) -> Done:
    take = job.take
    if take is None or take.deleted_at is not None:
        raise BadFile("The take that was to be taken home was deleted.")
    with spool.making(job.pk) as path:
        forms.write(take, FormsAsked.model_validate(job.asked), path, progress)
    job.size = spool.size(job.pk)
    return Done(take)


DOES: dict[Job.Kind, Callable[[Job, Progress], Done]] = {
    Kind.TAKE: _take,
    Kind.SOUND: _sound,
    Kind.ARCHIVE: _archive,
    Kind.EXPORT: _export,
    Kind.TUNE: _tune,
    Kind.FORMS: _forms,
}

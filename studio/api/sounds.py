"""A sound beside a take."""

from uuid import UUID

from django.http import HttpRequest, HttpResponse
from ninja import File, Router, Status
from ninja.files import UploadedFile

from expression.errors import BadFile
from expression.limits import MOST_READ_AT_ONCE
from studio.api.access import owner
from studio.api.schemas import AttacksAsked, JobView, Problem, ShineAsked, SingAsked, SoundMoved, TraceAsked, Traced
from studio.services import jobs, sounds, takes
from studio.services.answers import SoundView
from studio.services.takes import NoSuchTake

router = Router(tags=["sound"])
REFUSALS = {401: Problem, 404: Problem, 422: Problem}


@router.get("{uuid:take_id}/sound", response={200: SoundView | None, **REFUSALS})
def sound(request: HttpRequest, take_id: UUID) -> object:
    """What is known of a take's sound; null where it has none."""
    return sounds.of(takes.get(owner(request), take_id))


@router.post("{uuid:take_id}/sound", response={201: SoundView, 202: JobView, **REFUSALS})
def add_sound(
    request: HttpRequest,
    take_id: UUID,
    file: UploadedFile | None = File(None),  # type: ignore[type-arg]  # noqa: B008
) -> Status[object]:
    """Keep a WAV file beside a take, in place of any other: a large one by and by (202, see `jobs`)."""
    take = takes.get(owner(request), take_id)
    if file is None:
        if request.META.get("lull.too_large"):
            raise BadFile("The sound is larger than 128 MiB. Save it in one channel, or shorter, and try again.")
        raise BadFile("No file came with the request. Choose a WAV file.")
    if (file.size or 0) > MOST_READ_AT_ONCE:
        return Status(202, jobs.read_sound(take, file))
    return Status(201, sounds.add(take, file.name or "", file.read()))


@router.patch("{uuid:take_id}/sound", response={200: SoundView, **REFUSALS})
def move_sound(request: HttpRequest, take_id: UUID, asked: SoundMoved) -> object:
    """Let it begin at another time."""
    return sounds.move(takes.get(owner(request), take_id), asked.offset)


@router.delete("{uuid:take_id}/sound", response={204: None, **REFUSALS})
def remove_sound(request: HttpRequest, take_id: UUID) -> Status[None]:
    """Take it away."""
    sounds.remove(takes.get(owner(request), take_id))
    return Status(204, None)


@router.get("{uuid:take_id}/sound/data", response={200: None, **REFUSALS})
def sound_data(request: HttpRequest, take_id: UUID) -> HttpResponse:
    """The sound itself, as FLAC."""
    return HttpResponse(sounds.data(takes.get(owner(request), take_id)), content_type="audio/flac")


@router.post("{uuid:take_id}/sound/follow", response={202: JobView, **REFUSALS})
def follow_sound(request: HttpRequest, take_id: UUID) -> Status[object]:
    """Have its pitch, its brightness and its attacks measured (see `jobs`)."""
    take = takes.get(owner(request), take_id)
    if sounds.of(take) is None:
        raise NoSuchTake
    return Status(202, jobs.follow_sound(take))


@router.post("{uuid:take_id}/sound/sing", response={200: Traced, **REFUSALS})
def sing(request: HttpRequest, take_id: UUID, asked: SingAsked) -> object:
    """The stroke that bends a part's line (the wheel, or its notes) as the sound sings, once that was followed."""
    return {"stroke": sounds.sing(takes.get(owner(request), take_id), asked.part, asked.correction, asked.lane)}


@router.post("{uuid:take_id}/sound/shine", response={200: Traced, **REFUSALS})
def shine(request: HttpRequest, take_id: UUID, asked: ShineAsked) -> object:
    """The stroke that draws a lane after the sound's brightness, once that was followed."""
    take = takes.get(owner(request), take_id)
    return {"stroke": sounds.shine(take, asked.part, asked.lane, asked.low, asked.high, asked.tolerance)}


@router.post("{uuid:take_id}/sound/attacks", response={200: Traced, **REFUSALS})
def attacks(request: HttpRequest, take_id: UUID, asked: AttacksAsked) -> object:
    """The stroke that brings notes to where the sound is struck, once that was followed."""
    return {"stroke": sounds.attacks(takes.get(owner(request), take_id), asked.where)}


@router.post("{uuid:take_id}/sound/trace", response={200: Traced, **REFUSALS})
def trace(request: HttpRequest, take_id: UUID, asked: TraceAsked) -> object:
    """The stroke that draws a lane after the sound's loudness; to be tried or kept like any other."""
    numbers = {name: getattr(asked, name) for name in ("attack", "release", "low", "high", "linear")}
    take = takes.get(owner(request), take_id)
    return {"stroke": sounds.trace(take, asked.part, asked.lane, numbers, asked.tolerance)}

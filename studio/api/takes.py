"""The library: takes of the account."""

from typing import Annotated, Literal
from uuid import UUID

from django.http import HttpRequest, HttpResponse
from django.utils.http import content_disposition_header
from ninja import File, Query, Router, Status
from ninja.files import UploadedFile

from expression.documents import Document
from expression.errors import BadFile
from expression.limits import MOST_READ_AT_ONCE, MOST_THINNING
from expression.midi.excerpt import Asked
from studio.api.access import owner
from studio.api.schemas import Added, DeletedTake, JobView, Problem, Rename, TakeCard, Traced
from studio.models import Take
from studio.services import jobs, takes
from studio.services.folding import folded
from studio.services.forms import FormsAsked
from studio.services.heavy import places

router = Router(tags=["takes"])
REFUSALS = {401: Problem, 404: Problem, 422: Problem}


@router.get("", response=list[TakeCard])
def list_takes(request: HttpRequest) -> object:
    """All takes, the newest first."""
    return takes.owned(owner(request))


@router.post("", response={201: Added, 202: JobView, **REFUSALS})
def add_take(
    request: HttpRequest,
    file: UploadedFile | None = File(None),  # type: ignore[type-arg]  # noqa: B008
    rescue: bool = False,
) -> Status[object]:
    """Read an uploaded file into a new take: a large one by and by (202, see `jobs`).

    It is judged by what it holds, not by its name. With `rescue`, what can be read of a damaged one.
    """
    if file is None:
        if request.META.get("lull.too_large"):
            raise BadFile("The file is larger than 32 MiB, the most Lull reads. Save fewer tracks and try again.")
        raise BadFile("No file came with the request. Choose a Standard MIDI File (.mid).")
    if rescue:
        with places.one(owner(request).pk):
            take, lost = takes.rescue(owner(request), file.name or "", file.read())
        told = added(take)
        return Status(201, {**told, "remarks": [*lost, *told["remarks"]]})
    if (file.size or 0) > MOST_READ_AT_ONCE:
        return Status(202, jobs.read_take(owner(request), file))
    take = takes.add(owner(request), file.name or "", file.read())
    return Status(201, added(take))


@router.get("deleted", response=list[DeletedTake])
def list_deleted(request: HttpRequest) -> object:
    """What was deleted in the last thirty days, the latest first."""
    return takes.deleted(owner(request))


@router.patch("{uuid:take_id}", response={200: TakeCard, **REFUSALS})
def rename_take(request: HttpRequest, take_id: UUID, asked: Rename) -> Take:
    """Give a take another name."""
    return takes.rename(owner(request), take_id, asked.name)


@router.delete("{uuid:take_id}", response={204: None, **REFUSALS})
def delete_take(request: HttpRequest, take_id: UUID) -> Status[None]:
    """Take it out of the library."""
    takes.delete(owner(request), take_id)
    return Status(204, None)


@router.post("{uuid:take_id}/restore", response={200: TakeCard, **REFUSALS})
def restore_take(request: HttpRequest, take_id: UUID) -> Take:
    """Bring a deleted take back."""
    return takes.restore(owner(request), take_id)


FORMATS: dict[str, Literal[0, 1]] = {"0": 0, "1": 1}


@router.get("{uuid:take_id}/file")
def take_file(
    request: HttpRequest,
    take_id: UUID,
    kind: Literal["plain", "mpe", "clip"] | None = None,
    cues: bool = True,
    thin: Annotated[float, Query(ge=0, le=MOST_THINNING)] = 0.0,
    parts: Annotated[str | None, Query(pattern=r"^\d{1,4}(,\d{1,4}){0,255}$")] = None,
    span: Annotated[str | None, Query(pattern=r"^\d{1,12}-\d{1,12}$")] = None,
    format: Literal["0", "1"] | None = None,
) -> HttpResponse:
    """The take as a Standard MIDI File: as its parts are sent; plainly, or in zones of MPE; or as a MIDI 2.0 clip.

    Cue notes are in it, unless `cues` says otherwise. With `thin`, drawn ways are sent in fewer messages: off by so
    many steps at most. `parts` (numbers with commas), `span` (ticks, `first-after`): only these. `format` 0: one track.
    """
    take = takes.get(owner(request), take_id)
    chosen = tuple(sorted({int(one) for one in parts.split(",")})) if parts else None
    first, after = map(int, span.split("-")) if span else (0, 0)
    asked = Asked(chosen, (first, max(after, first + 1)) if span else None, FORMATS.get(format or ""))
    with places.one(take.owner_id):
        name, data = takes.file(take, kind, cues, thin, asked)
    response = HttpResponse(data, content_type="audio/midi")
    response["Content-Disposition"] = content_disposition_header(True, name) or "attachment"
    return response


@router.post("{uuid:take_id}/forms", response={202: JobView, **REFUSALS})
def every_form(request: HttpRequest, take_id: UUID, asked: FormsAsked) -> Status[object]:
    """Have every form of the take put in one archive; when that is done, fetch it from `jobs/…/file`."""
    return Status(202, jobs.every_form(takes.get(owner(request), take_id), asked))


@router.post("{uuid:take_id}/back", response={200: Traced, **REFUSALS})
def bring_back(
    request: HttpRequest,
    take_id: UUID,
    file: UploadedFile | None = File(None),  # type: ignore[type-arg]  # noqa: B008
) -> object:
    """The stroke that makes the take as a file has it that was taken away and changed in another program."""
    take = takes.get(owner(request), take_id)
    if request.META.get("lull.too_large"):
        raise BadFile("This file is too large to have been this take.")
    if file is None:
        raise BadFile("No file came with the request. Choose a MIDI file that was taken from this take.")
    with places.one(take.owner_id):
        return {"stroke": takes.came_back(take, file.read())}


@router.post("{uuid:take_id}/zoned", response={201: Added, **REFUSALS})
def zone_take(request: HttpRequest, take_id: UUID) -> Status[object]:
    """A new take from a recording that looks like MPE and does not say so, read as such. The other one stays."""
    take = takes.zoned(owner(request), take_id)
    return Status(201, added(take))


def added(take: Take) -> Document:
    """A new take as it is told."""
    recorded = folded(take.pk, take.revision).recorded
    return {**_card(take), "remarks": list(recorded.remarks), "looks_zoned": recorded.looks_zoned}


def _card(take: Take) -> Document:
    return {name: getattr(take, name) for name in ("id", "name", "added_at", "changed_at", "summary")}

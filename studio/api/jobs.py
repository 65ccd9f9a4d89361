"""What is done by and by: how far it has come, and archives in and out."""

from typing import Annotated
from uuid import UUID

from django.http import FileResponse, HttpRequest
from ninja import File, Router, Status
from ninja.files import UploadedFile
from pydantic import Field

from expression.errors import BadFile
from studio.api.access import owner
from studio.api.schemas import ArchiveAsked, JobView, Problem
from studio.models import Job
from studio.services import jobs, spool

router = Router(tags=["jobs"])
REFUSALS = {401: Problem, 404: Problem, 422: Problem}


@router.get("jobs", response=list[JobView])
def list_jobs(request: HttpRequest) -> object:
    """All that is done for the account, and what has come of it in the last day; the oldest first."""
    return jobs.mine(owner(request))


@router.get("jobs/{uuid:job_id}", response={200: JobView, **REFUSALS})
def job(request: HttpRequest, job_id: UUID) -> Job:
    """How far a job has come."""
    return jobs.get(owner(request), job_id)


@router.delete("jobs/{uuid:job_id}", response={204: None, **REFUSALS})
def forget_job(request: HttpRequest, job_id: UUID) -> Status[None]:
    """Need not be told of it any longer; what it has brought stays."""
    jobs.forget(owner(request), job_id)
    return Status(204, None)


@router.post("me/archive", response={202: JobView, **REFUSALS})
def export(request: HttpRequest) -> Status[object]:
    """Have an archive made of all that the account holds; when that is done, fetch it from `jobs/…/file`."""
    return Status(202, jobs.export(owner(request)))


@router.get("jobs/{uuid:job_id}/file", response={200: None, **REFUSALS})
def job_file(request: HttpRequest, job_id: UUID) -> FileResponse:
    """The archive that was made."""
    made = jobs.made(owner(request), job_id)
    name = f"lull-archive-{made.made_at:%Y-%m-%d}.zip" if made.kind == Job.Kind.EXPORT else made.name
    answer = FileResponse(spool.opened(made.pk), as_attachment=True, filename=name)
    answer.headers["Content-Length"] = str(made.size)
    return answer


@router.post("archives", response={201: JobView, **REFUSALS})
def begin_archive(request: HttpRequest, asked: ArchiveAsked) -> Status[object]:
    """An archive is to come, in pieces."""
    return Status(201, jobs.begin_archive(owner(request), asked.name, asked.size))


@router.post("archives/{uuid:job_id}", response={200: JobView, **REFUSALS})
def add_piece(
    request: HttpRequest,
    job_id: UUID,
    at: Annotated[int, Field(ge=0, le=2**53)],
    file: UploadedFile | None = File(None),  # type: ignore[type-arg]  # noqa: B008
) -> Job:
    """The next piece of an archive, from byte `at` on; with the last of them it is read."""
    if file is None:
        raise BadFile("No piece came with the request.")
    return jobs.add_piece(owner(request), job_id, at, file.read())

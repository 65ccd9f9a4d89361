"""SoundFonts that a player has brought."""

from uuid import UUID

from django.http import HttpRequest, HttpResponse
from ninja import File, Router, Schema, Status
from ninja.files import UploadedFile

from expression.errors import BadFile
from expression.limits import MIB, MOST_BANK_BYTES
from studio.api.access import owner
from studio.api.schemas import Problem
from studio.services import banks

router = Router(tags=["banks"])
REFUSALS = {401: Problem, 404: Problem, 422: Problem}


class PresetView(Schema):
    """What a program of a bank calls up."""

    name: str
    bank: int
    program: int


class BankView(Schema):
    """A SoundFont, with what it holds. `answers`: the lanes that it takes notice of."""

    id: UUID
    name: str
    presets: list[PresetView]
    answers: list[str]


@router.get("", response=list[BankView])
def list_banks(request: HttpRequest) -> object:
    """All SoundFonts of the account."""
    return list(banks.owned(owner(request)))


@router.post("", response={201: BankView, **REFUSALS})
def add_bank(
    request: HttpRequest,
    file: UploadedFile | None = File(None),  # type: ignore[type-arg]  # noqa: B008
) -> Status[object]:
    """Keep a SoundFont (SF2 or SF3)."""
    if request.META.get("lull.too_large"):
        raise BadFile(f"This SoundFont is larger than {MOST_BANK_BYTES // MIB} MiB, the most that Lull keeps of one.")
    if file is None:
        raise BadFile("No file came with the request. Choose a SoundFont (.sf2 or .sf3).")
    return Status(201, banks.add(owner(request), file.name or "", file.read()))


@router.get("{uuid:bank_id}/data", response={200: None, **REFUSALS})
def bank_data(request: HttpRequest, bank_id: UUID) -> HttpResponse:
    """The file itself."""
    response = HttpResponse(banks.data_of(owner(request), bank_id), content_type="application/octet-stream")
    response["Cache-Control"] = "private, max-age=31536000, immutable"
    return response


@router.delete("{uuid:bank_id}", response={204: None, **REFUSALS})
def drop_bank(request: HttpRequest, bank_id: UUID) -> Status[None]:
    """Let go of one."""
    banks.drop(owner(request), bank_id)
    return Status(204, None)

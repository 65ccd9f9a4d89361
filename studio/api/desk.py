"""The desk: a take as it is drawn, shaped and heard."""

import gzip
from typing import Annotated, Literal
from uuid import UUID

from django.http import HttpRequest, HttpResponse
from django.utils.http import content_disposition_header
from ninja import Router
from pydantic import Field

from expression.limits import MOST_BARS, MOST_PAGE_BARS
from expression.midi.files import FileKind
from expression.views.checkup import SpotView
from expression.views.compare import Comparison
from expression.views.delta import Delta
from expression.views.events import EventPage, Order
from expression.views.facts import Facts
from expression.views.fault import Fault
from expression.views.own_lanes import OwnFacts
from expression.views.reasons import Reason
from expression.views.wire import Wire
from studio.api.access import owner
from studio.api.encoding import encode
from studio.api.schemas import (
    ChangeAsked,
    FactsAsked,
    JumpAsked,
    OwnFactsAsked,
    PreviewAsked,
    Problem,
    ReasonsAsked,
    RehearsalAsked,
    RuleAsked,
    StaleProblem,
    StepAsked,
    StrokeAsked,
)
from studio.services import arrangement, engraving, forms, listening, portraits, shaping, takes
from studio.services.answers import Chosen, DeskView, Lanes, Messages, Preview, ProofView, Written
from studio.services.arrangement import Arrangement
from studio.services.engraving import SheetView
from studio.services.heavy import places
from studio.services.portraits import Strip

router = Router(tags=["desk"])
REFUSALS = {401: Problem, 404: Problem, 409: StaleProblem, 422: Problem}
Index = Annotated[int, Field(ge=0, le=2**31)]
Bar = Annotated[int, Field(ge=1, le=MOST_BARS)]
Bars = Annotated[int, Field(ge=1, le=MOST_PAGE_BARS)]
MOST_BARS_AT_ONCE = 16
"""Of the page on the desk: more of them are drawn in a place of their own."""
PAGE_KINDS = {
    "musicxml": "application/vnd.recordare.musicxml+xml",
    "svg": "image/svg+xml",
    "pdf": "application/pdf",
}
Seconds = Annotated[float, Field(ge=0, le=1e6, allow_inf_nan=False)]


def _json(request: HttpRequest, data: object, pack: bool = False) -> HttpResponse:
    """An answer of long columns: what the services made is sent as it is. `pack` is for the slow way to the browser."""
    body = encode(data)
    response = HttpResponse(content_type="application/json")
    if pack and "gzip" in request.headers.get("Accept-Encoding", ""):
        body = gzip.compress(body, compresslevel=1)
        response["Content-Encoding"] = "gzip"
    response.content = body
    return response


@router.get("{uuid:take_id}/view", response={200: DeskView, **REFUSALS})
def view(request: HttpRequest, take_id: UUID) -> HttpResponse:
    """All that the desk draws, at the take's current revision."""
    engraving.warm()
    return _json(request, shaping.desk(takes.get(owner(request), take_id)), pack=True)


@router.post("{uuid:take_id}/facts", response={200: Facts, **REFUSALS})
def facts(request: HttpRequest, take_id: UUID, asked: FactsAsked) -> HttpResponse:
    """The facts of a selection."""
    return _json(request, shaping.facts(owner(request), take_id, asked.revision, asked.where))


@router.post("{uuid:take_id}/own-facts", response={200: OwnFacts, **REFUSALS})
def own_facts(request: HttpRequest, take_id: UUID, asked: OwnFactsAsked) -> HttpResponse:
    """How the values of chosen notes' curves of one kind are spread."""
    return _json(request, shaping.own_facts(owner(request), take_id, asked.revision, asked.where, asked.lane))


@router.post("{uuid:take_id}/preview", response={200: Preview, **REFUSALS})
def preview(request: HttpRequest, take_id: UUID, asked: PreviewAsked) -> HttpResponse:
    """What a stroke would change, without keeping it."""
    tried = (asked.stroke, asked.number, asked.pull, asked.part, asked.sight, asked.whole)
    return _json(request, shaping.preview(owner(request), take_id, asked.revision, *tried))


@router.post("{uuid:take_id}/reasons", response={200: list[Reason], **REFUSALS})
def reasons(request: HttpRequest, take_id: UUID, asked: ReasonsAsked) -> HttpResponse:
    """What each rule of performance did to one note, the open stroke among them."""
    told = (asked.note, asked.stroke, asked.number)
    return _json(request, shaping.reasons(owner(request), take_id, asked.revision, *told))


@router.post("{uuid:take_id}/rehearse", response={200: Messages, **REFUSALS})
def rehearse(request: HttpRequest, take_id: UUID, asked: RehearsalAsked) -> HttpResponse:
    """What the practice synth plays of a span while a stroke is being made."""
    ways = listening.Ways(tuple(_numbers(asked.plain)), tuple(_numbers(asked.mpe)))
    tried = (asked.stroke, asked.number, asked.span, asked.chase, asked.held, ways)
    return _json(request, listening.rehearse(owner(request), take_id, asked.revision, *tried))


@router.get("{uuid:take_id}/before", response={200: Delta, **REFUSALS})
def before(request: HttpRequest, take_id: UUID, number: int | None = None, part: Index | None = None) -> HttpResponse:
    """What was otherwise before a stroke, or before the newest; of the lanes of one `part` node by node."""
    return _json(request, shaping.before(takes.get(owner(request), take_id), number, part), pack=True)


@router.post("{uuid:take_id}/strokes", response={200: Written, **REFUSALS})
def add_stroke(request: HttpRequest, take_id: UUID, asked: StrokeAsked) -> HttpResponse:
    """Keep a stroke."""
    return _json(request, shaping.commit(owner(request), take_id, asked.revision, asked.stroke, _seen(asked)))


@router.patch("{uuid:take_id}/strokes/{int:number}", response={200: Written, **REFUSALS})
def change_stroke(request: HttpRequest, take_id: UUID, number: int, asked: ChangeAsked) -> HttpResponse:
    """Give a stroke other numbers or a name, move it to other bars, or switch it off or on."""
    changed = (number, asked.stroke, asked.on, asked.begins, _seen(asked))
    return _json(request, shaping.change(owner(request), take_id, asked.revision, *changed))


@router.delete("{uuid:take_id}/strokes/{int:number}", response={200: Written, **REFUSALS})
def delete_stroke(request: HttpRequest, take_id: UUID, number: int, asked: StepAsked) -> HttpResponse:
    """Take a stroke out of the history; undo brings it back."""
    return _json(request, shaping.delete(owner(request), take_id, asked.revision, number, _seen(asked)))


@router.post("{uuid:take_id}/undo", response={200: Written, **REFUSALS})
def undo(request: HttpRequest, take_id: UUID, asked: StepAsked) -> HttpResponse:
    """One step of the history back."""
    return _json(request, shaping.undo(owner(request), take_id, asked.revision, _seen(asked)))


@router.post("{uuid:take_id}/redo", response={200: Written, **REFUSALS})
def redo(request: HttpRequest, take_id: UUID, asked: StepAsked) -> HttpResponse:
    """One step forward."""
    return _json(request, shaping.redo(owner(request), take_id, asked.revision, _seen(asked)))


@router.post("{uuid:take_id}/jump", response={200: Written, **REFUSALS})
def jump(request: HttpRequest, take_id: UUID, asked: JumpAsked) -> HttpResponse:
    """To any point of the history."""
    return _json(request, shaping.jump(owner(request), take_id, asked.revision, asked.step, _seen(asked)))


@router.post("{uuid:take_id}/select", response={200: Chosen, **REFUSALS})
def select(request: HttpRequest, take_id: UUID, asked: RuleAsked) -> HttpResponse:
    """The notes that a rule picks."""
    return _json(request, shaping.choose(owner(request), take_id, asked.revision, asked.where, asked.rule))


@router.get("{uuid:take_id}/lanes", response={200: Lanes, **REFUSALS})
def lanes(request: HttpRequest, take_id: UUID, part: Index) -> HttpResponse:
    """The nodes of every lane of a part."""
    return _json(request, shaping.lanes(takes.get(owner(request), take_id), part), pack=True)


def _seen(asked: StepAsked) -> shaping.Seen:
    return shaping.Seen(asked.part, asked.where, (asked.own.where, asked.own.lane) if asked.own else None)


def _numbers(listed: str) -> list[int]:
    return [int(number) for number in listed.split(",") if number.isdecimal()]


def _is_key(said: str) -> bool:
    return said.isdecimal() and len(said) <= 3 and int(said) <= 127


@router.get("{uuid:take_id}/checkup", response={200: list[SpotView], **REFUSALS})
def checkup(request: HttpRequest, take_id: UUID) -> HttpResponse:
    """What is broken in a take, what reads as programmed, and strokes that mend it."""
    return _json(request, shaping.checkup(takes.get(owner(request), take_id)), pack=True)


@router.get("{uuid:take_id}/unplayed", response={200: list[Fault], **REFUSALS})
def unplayed(request: HttpRequest, take_id: UUID) -> HttpResponse:
    """What nobody played, each with the stroke that takes it away."""
    return _json(request, shaping.faults(takes.get(owner(request), take_id)))


@router.get("{uuid:take_id}/unsent", response={200: list[Fault], **REFUSALS})
def unsent(
    request: HttpRequest, take_id: UUID, kind: FileKind | None = None, cues: bool = True, one_track: bool = False
) -> HttpResponse:
    """What will not sound as it is drawn in a file of the take: why, where, and the stroke that helps."""
    return _json(request, shaping.unsent(takes.get(owner(request), take_id), kind, cues, one_track))


@router.get("{uuid:take_id}/comparison", response={200: Comparison, **REFUSALS})
def comparison(
    request: HttpRequest,
    take_id: UUID,
    before: int | None = None,
    beside: UUID | None = None,
    until: int | None = None,
) -> HttpResponse:
    """What differs from another take (`beside`), or from the take as it was before a stroke (0: the newest), to it as
    it is now, or as it was before another stroke (`until`): measures, notes, lanes.
    """
    mine = owner(request)
    take = takes.get(mine, take_id)
    other = takes.get(mine, beside) if beside else None
    with places.one(take.owner_id):
        return _json(request, shaping.compared(take, before, other, until), pack=True)


@router.get("{uuid:take_id}/range", response={200: list[Strip], **REFUSALS})
def range_of(request: HttpRequest, take_id: UUID, part: Index) -> HttpResponse:
    """The measures of a part beside those of the demo's hands and of the account's other takes."""
    take = takes.get(owner(request), take_id)
    return _json(request, portraits.strips(owner(request), take, part))


@router.get("{uuid:take_id}/wire", response={200: Wire, **REFUSALS})
def wire(request: HttpRequest, take_id: UUID, kind: Literal["plain", "mpe"] | None = None) -> HttpResponse:
    """What the busiest cable has to carry of the take, second by second."""
    return _json(request, shaping.wire(takes.get(owner(request), take_id), kind))


@router.get("{uuid:take_id}/sheet", response={200: None, **REFUSALS})
def done_sheet(request: HttpRequest, take_id: UUID) -> HttpResponse:
    """What was done to the take, stroke by stroke, with its lanes before and after: a PDF."""
    take = takes.get(owner(request), take_id)
    with places.one(take.owner_id):
        name, body = forms.sheet(take)
    response = HttpResponse(body, content_type="application/pdf")
    response["Content-Disposition"] = content_disposition_header(True, name) or "attachment"
    return response


@router.get("{uuid:take_id}/proof", response={200: ProofView, **REFUSALS})
def proof(request: HttpRequest, take_id: UUID, part: Index) -> HttpResponse:
    """How far what a receiver hears of a part's lanes is from what is drawn, and how much its cable carries."""
    return _json(request, shaping.proof(takes.get(owner(request), take_id), part))


@router.get("{uuid:take_id}/events", response={200: EventPage, **REFUSALS})
def events(
    request: HttpRequest,
    take_id: UUID,
    first: Index = 0,
    count: Annotated[int, Field(ge=1, le=500)] = 100,
    kinds: str | None = None,
    parts: str | None = None,
    note: int | None = None,
    order: Order = "time",
    falling: bool = False,
) -> HttpResponse:
    """A page of the event list, in the `order` of a column, rising or `falling`.

    `kinds` and `parts` are lists with commas; `note` finds the page that holds it.
    """
    wanted_kinds = kinds.split(",") if kinds is not None else None
    wanted_parts = _numbers(parts) if parts is not None else None
    take = takes.get(owner(request), take_id)
    return _json(request, shaping.events(take, first, count, wanted_kinds, wanted_parts, note, order, falling))


@router.get("{uuid:take_id}/page", response={200: SheetView, **REFUSALS})
def page(
    request: HttpRequest,
    take_id: UUID,
    parts: str = "",
    first: Bar = 1,
    count: Bars = 8,
    width: Annotated[int, Field(ge=200, le=4000)] = 1000,
    before: Index | None = None,
    splits: Annotated[str | None, Field(max_length=2000)] = None,
) -> HttpResponse:
    """Parts (a list with commas; none: all) as staff notation, `width` pixels wide; `before`: as before that stroke.

    `splits`: where the hands part, for each of these parts (keys with commas, empty: as the page would have it);
    absent: as the arrangement says.
    """
    take = takes.get(owner(request), take_id)
    keys = splits.split(",") if splits is not None else None
    told = {part: int(key) for part, key in zip(_numbers(parts), keys, strict=False) if _is_key(key)} if keys else None
    asked = (_numbers(parts), first, count, width, before, told)
    if count <= MOST_BARS_AT_ONCE:
        return _json(request, engraving.sheet(take, *asked), pack=True)
    with places.one(take.owner_id):
        return _json(request, engraving.sheet(take, *asked), pack=True)


@router.get("{uuid:take_id}/page/{kind}", response={200: None, **REFUSALS})
def page_file(
    request: HttpRequest,
    take_id: UUID,
    kind: Literal["musicxml", "svg", "pdf"],
    parts: str = "",
    first: Bar = 1,
    count: Bars = 16,
) -> HttpResponse:
    """The page as a file: the whole take as MusicXML, or some bars of it as SVG or PDF."""
    take = takes.get(owner(request), take_id)
    with places.one(take.owner_id):
        name, body = forms.page(take, _numbers(parts), first, count, kind)
    response = HttpResponse(body, content_type=PAGE_KINDS[kind])
    response["Content-Disposition"] = content_disposition_header(True, name) or "attachment"
    return response


@router.put("{uuid:take_id}/arrangement", response={200: Arrangement, **REFUSALS})
def arrange(request: HttpRequest, take_id: UUID, asked: Arrangement) -> HttpResponse:
    """Keep names, dyes and lanes as the player has set them."""
    return _json(request, arrangement.arrange(takes.get(owner(request), take_id), asked))


@router.get("{uuid:take_id}/messages", response={200: Messages, **REFUSALS})
def messages(
    request: HttpRequest,
    take_id: UUID,
    end: Seconds,
    start: Seconds = 0.0,
    chase: bool = False,
    held: bool = False,
    before: Index | None = None,
    plain: str = "",
    mpe: str = "",
) -> HttpResponse:
    """What the practice synth plays from `start` to `end`; `before`: as it was before that stroke (0: the newest).

    With `chase`, what is in force at the start comes first; with `held`, the notes that sound there are struck as well.
    `plain`, `mpe`: parts (lists with commas) whose notes with curves are sent plainly or in zones, whatever they say.
    """
    take = takes.get(owner(request), take_id)
    ways = listening.Ways(tuple(_numbers(plain)), tuple(_numbers(mpe)))
    return _json(request, listening.messages(take, start, end, chase, held, before, ways))

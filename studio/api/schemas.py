"""What the API takes, and the few answers that are not a view of the core. TypeScript types are made from these."""

from typing import Annotated, Literal
from uuid import UUID

from ninja import Schema
from pydantic import AwareDatetime, Field

from expression.selection import SelectionRule
from expression.strokes import Stroke, Where
from expression.strokes.base import Tick
from expression.views.library import Summary
from studio.models import Job
from studio.services.answers import HistoryView

Whole = Annotated[int, Field(strict=True, ge=-(2**53), le=2**53)]
"""A whole number as JSON has it: neither true nor false, nor a text that looks like one."""


class Problem(Schema):
    """Why a request was refused, in a sentence for the person who asked."""

    detail: str
    field: str | None = None
    offer: dict[str, float] = Field(default_factory=dict)
    """Numbers of the stroke that would do."""


class Account(Schema):
    name: str


class AccountView(Account):
    """The account in its player's hands.

    `mail`: its address, where it has one; `can_mail`: whether mail is sent at all; `needs_password`: whether the
    present password is asked for before there is another.
    """

    mail: str
    can_mail: bool
    needs_password: bool


class Forgotten(Schema):
    """A name of an account, or its mail address."""

    name: Annotated[str, Field(max_length=500)]


class NewMail(Schema):
    """Another mail address of the account; it is asked whether it is theirs."""

    mail: Annotated[str, Field(max_length=254)]
    password: Annotated[str, Field(max_length=4096)] = ""


class Said(Schema):
    """What came of it, in a sentence."""

    says: str


class Credentials(Schema):
    name: Annotated[str, Field(max_length=500)]
    password: Annotated[str, Field(max_length=4096)]


class NewPassword(Schema):
    old: Annotated[str, Field(max_length=4096)] = ""
    new: Annotated[str, Field(max_length=4096)]


class Farewell(Schema):
    name: Annotated[str, Field(max_length=500)]


class Ended(Schema):
    sessions: int


class Link(Schema):
    token: Annotated[str, Field(max_length=200)]


class TakeCard(Schema):
    id: UUID
    name: str
    added_at: AwareDatetime
    changed_at: AwareDatetime
    summary: Summary


class DeletedTake(Schema):
    """A take that can be brought back."""

    id: UUID
    name: str
    deleted_at: AwareDatetime


class Added(TakeCard):
    """`looks_zoned`: it looks like MPE, and can be opened as such."""

    remarks: list[str]
    looks_zoned: bool


class JobView(Schema):
    """What is done for an account by and by. `share`: how much of it; `size`: bytes of its file."""

    id: UUID
    kind: Job.Kind
    state: Job.State
    name: str
    size: int
    share: float
    says: str
    """Why it was refused, or what there is to say when it is done."""
    remarks: list[str]
    looks_zoned: bool
    take_id: UUID | None


class ArchiveAsked(Schema):
    """An archive that is to come in pieces."""

    name: Annotated[str, Field(max_length=500)]
    size: Annotated[int, Field(strict=True, ge=0, le=2**53)]


class InvitationView(Schema):
    """An invitation that nobody has used yet."""

    id: int
    until: AwareDatetime


class InvitationAsked(Schema):
    """`mail`: where the link is sent to; empty: nowhere."""

    mail: Annotated[str, Field(max_length=254)] = ""


class InvitationMade(InvitationView):
    """`token`: the last piece of its link, which is told this once."""

    token: str


class InvitationTaken(Schema):
    """Somebody makes an account by an invitation."""

    token: Annotated[str, Field(max_length=200)]
    name: Annotated[str, Field(max_length=500)]
    password: Annotated[str, Field(max_length=4096)]


class Rename(Schema):
    name: str


class StaleProblem(Problem):
    history: HistoryView


class FactsAsked(Schema):
    revision: Whole
    where: Where


class PreviewAsked(Schema):
    """A stroke to be tried. `number`: as that stroke's new numbers. `pull`: (tick, value) its line is to pass.

    `part`: whose lanes are to be told node by node. `sight`: ticks between which notes are to be told. `whole`: of very
    many, too, all of it is worked out, however little of it is told.
    """

    revision: Whole
    stroke: Stroke
    number: Whole | None = None
    pull: tuple[Whole, Annotated[float, Field(strict=True, allow_inf_nan=False)]] | None = None
    part: Annotated[int, Field(strict=True, ge=0)] | None = None
    sight: tuple[Whole, Whole] | None = None
    whole: bool = False


class ReasonsAsked(Schema):
    """A note whose rules are asked for, with a stroke that is tried: as a new one, or as that one's new numbers."""

    revision: Whole
    note: Whole
    stroke: Stroke | None = None
    number: Whole | None = None


Second = Annotated[float, Field(strict=True, ge=0, le=1e6, allow_inf_nan=False)]


class RehearsalAsked(Schema):
    """A span in seconds of the take as a stroke would leave it."""

    revision: Whole
    stroke: Stroke
    number: Whole | None = None
    span: tuple[Second, Second]
    chase: bool = False
    held: bool = False
    plain: str = ""
    mpe: str = ""


class OwnSeen(Schema):
    """The notes, and the kind of their curves."""

    where: Where
    lane: Annotated[str, Field(max_length=40)]


class OwnFactsAsked(OwnSeen):
    revision: Whole


class StepAsked(Schema):
    """A change of the history, at the revision that is known. `part`: whose lanes are looked at, node by node.

    `where`, `own`: the notes of which facts are wanted, and those of whose curves.
    """

    revision: Whole
    part: Annotated[int, Field(strict=True, ge=0)] | None = None
    where: Where | None = None
    own: OwnSeen | None = None


class StrokeAsked(StepAsked):
    stroke: Stroke


class ChangeAsked(StepAsked):
    stroke: Stroke | None = None
    on: bool | None = None
    begins: Tick | None = Field(None, description="It is moved so that it begins at this tick.")


class JumpAsked(StepAsked):
    step: Whole


class RuleAsked(Schema):
    revision: Whole
    where: Where
    rule: SelectionRule


class SoundMoved(Schema):
    offset: Annotated[float, Field(strict=True, ge=-36_000, le=36_000, allow_inf_nan=False)]


class TraceAsked(Schema):
    """A lane from the sound's loudness: milliseconds to rise and fall, and the values of silence and of the loudest.

    By decibels, or `linear`: by the height of the wave.
    """

    part: Annotated[int, Field(strict=True, ge=0, le=10_000)]
    lane: str
    attack: Annotated[float, Field(strict=True, ge=0, le=10_000)] = 10
    release: Annotated[float, Field(strict=True, ge=0, le=60_000)] = 120
    low: Annotated[float, Field(strict=True, ge=0, le=127)] = 0
    high: Annotated[float, Field(strict=True, ge=0, le=127)] = 127
    linear: Annotated[bool, Field(strict=True)] = False
    tolerance: Annotated[float, Field(strict=True, ge=0, le=64)] = 1


Index = Annotated[int, Field(strict=True, ge=0, le=10_000)]


class SingAsked(Schema):
    """A bend as the sound sings, of the wheel or of each note. `correction`: how far what is off is brought to what is
    written (0 to 1).
    """

    part: Index
    lane: Literal["bend", "note:pitch"] = "bend"
    correction: Annotated[float, Field(strict=True, ge=0, le=1)] = 1


class ShineAsked(Schema):
    """A lane from the sound's brightness: the values of its darkest and of its brightest."""

    part: Index
    lane: str
    low: Annotated[float, Field(strict=True, ge=0, le=127)] = 0
    high: Annotated[float, Field(strict=True, ge=0, le=127)] = 127
    tolerance: Annotated[float, Field(strict=True, ge=0, le=64)] = 1


class AttacksAsked(Schema):
    """Notes that are to go to where the sound is struck."""

    where: Where


class Traced(Schema):
    stroke: Stroke

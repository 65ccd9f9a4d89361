"""The shapes of what the API takes and returns. TypeScript types are made from these."""

from typing import Annotated, Literal
from uuid import UUID

from ninja import Schema
from pydantic import AwareDatetime, Field

from expression.lanes import Form
from expression.selection import SelectionRule
from expression.strokes import Stroke, Where
from studio.services.arrangement import Arrangement


class Problem(Schema):
    """Why a request was refused, in a sentence for the person who asked."""

    detail: str
    field: str | None = None


class Account(Schema):
    name: str


class Credentials(Schema):
    name: Annotated[str, Field(max_length=500)]
    password: Annotated[str, Field(max_length=4096)]


class Link(Schema):
    token: Annotated[str, Field(max_length=200)]


class PartName(Schema):
    name: str
    dye: str
    seal: str


class Summary(Schema):
    seconds: float
    bars: int
    notes: int
    parts: list[PartName]
    sketch: list[tuple[int, int, int, int]]


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
    remarks: list[str]


class Rename(Schema):
    name: str


class Bars(Schema):
    start: list[int]
    beats: list[int]
    beat_ticks: list[int]


class Tempo(Schema):
    ticks: list[int]
    seconds: list[float]
    micros: list[int]


class LaneHead(Schema):
    """A lane of a part in short. `leads_in`: it has a value before the first note; `form`: by what it holds."""

    key: str
    nodes: int
    lowest: float
    highest: float
    leads_in: bool
    form: Form


class Contour(Schema):
    """The sounding shape of a part's notes: `count` points each; hundredths of semitones, and 0 to 100."""

    count: list[int]
    tick: list[int]
    bend: list[int]
    loud: list[int]
    ink: list[int]


class Flag(Schema):
    """What is neither note nor lane."""

    tick: int
    part: int
    kind: str
    value: str


class PartLanes(Schema):
    id: int
    lanes: list[LaneHead]
    contour: Contour | None


class PartView(PartLanes):
    """A part with its notes in columns. `start` holds differences; `shares` are the other parts on its channel."""

    name: str
    channel: int
    shares: list[int]
    dye: str
    seal: str
    patch: str
    drum: bool
    voices: dict[int, str]
    ids: list[tuple[int, int]]
    start: list[int]
    length: list[int]
    pitch: list[int]
    velocity: list[int]


class GripView(Schema):
    """Where a stroke can be taken by hand: a place on its lane, and the number (`field`) that it moves.

    `scale` is what 1 of the field is on the lane; with 0 the whole line is formed to pass where the grip is dragged to.
    `along` is what goes with it sideways.
    """

    field: str
    name: str
    tick: int
    value: float
    number: float
    scale: float
    along: Literal["start", "end", "peak", ""]


class Mark(Schema):
    """Where a stroke shows on the page; its line is (tick, value)."""

    label: str
    place: str
    start: int
    end: int
    line: list[tuple[int, float]]
    grips: list[GripView]
    parts: list[int]
    count: int


class StrokeView(Schema):
    number: int
    on: bool
    step: int
    stroke: Stroke
    idle: str | None
    mark: Mark


class UndoneView(Schema):
    label: str
    step: int


class HistoryView(Schema):
    revision: int
    strokes: list[StrokeView]
    undone: list[UndoneView]
    can_undo: int
    can_redo: int


class StaleProblem(Problem):
    history: HistoryView


class DeskView(Schema):
    id: UUID
    name: str
    resolution: int
    end: int
    seconds: float
    bars: Bars
    tempo: Tempo
    note_names: list[str]
    flags: list[Flag]
    parts: list[PartView]
    remarks: list[str]
    history: HistoryView
    arrangement: Arrangement


class AddedNotes(Schema):
    """Notes that have come to a part, in columns; times are ticks."""

    part: int
    start: list[int]
    end: list[int]
    pitch: list[int]
    velocity: list[int]


class Changes(Schema):
    """Notes (inclusive ranges of ids) with the velocity each has now, and the parts of which lanes have changed.

    With `others` the notes themselves are others, come (`added`) or gone: the take has to be read anew.
    """

    notes: list[tuple[int, int]]
    velocity: list[int]
    lanes: list[int]
    added: list[AddedNotes]
    others: bool


class Facts(Schema):
    count: int
    lowest: int
    mean: float
    highest: int
    dynamic: str
    spread: list[int]
    at_end: int


class BentWay(Schema):
    """The way from a node to the next where it is no straight line: its form, and (tick, value) to draw it by."""

    node: int
    lift: float
    ease: float
    line: list[tuple[int, float]]


class LaneData(Schema):
    """Nodes of a lane; `tick` holds differences, `ways` which nodes do not hold their value until the next."""

    key: str
    tick: list[int]
    value: list[float]
    ways: list[tuple[int, int]]
    bent: list[BentWay]


class LaneChange(LaneData):
    """Nodes that take the place of those from `first` to before `after`."""

    first: int
    after: int


class Saving(Schema):
    """Nodes of lanes before and after a stroke, and how far the lane strays from each of the former at most."""

    before: int
    after: int
    error: float


class FactsAsked(Schema):
    revision: int
    where: Where


class PreviewAsked(Schema):
    """A stroke to be tried. `number`: as that stroke's new numbers. `pull`: (tick, value) its line is to pass.

    `part`: whose lanes are to be told node by node.
    """

    revision: int
    stroke: Stroke
    number: int | None = None
    pull: tuple[int, Annotated[float, Field(allow_inf_nan=False)]] | None = None
    part: Annotated[int, Field(ge=0)] | None = None


class Preview(Schema):
    stroke: Stroke
    mark: Mark
    changes: Changes
    lanes: list[LaneChange]
    facts: Facts | None
    saving: Saving | None


Second = Annotated[float, Field(ge=0, le=1e6, allow_inf_nan=False)]


class RehearsalAsked(Schema):
    """A span in seconds of the take as a stroke would leave it."""

    revision: int
    stroke: Stroke
    number: int | None = None
    span: tuple[Second, Second]
    chase: bool = False
    held: bool = False


class StrokeAsked(Schema):
    revision: int
    stroke: Stroke


class ChangeAsked(Schema):
    revision: int
    stroke: Stroke | None = None
    on: bool | None = None


class StepAsked(Schema):
    revision: int


class JumpAsked(Schema):
    revision: int
    step: int


class RuleAsked(Schema):
    revision: int
    where: Where
    rule: SelectionRule


class Chosen(Schema):
    notes: list[tuple[int, int]]
    count: int


class Lanes(Schema):
    revision: int
    lanes: list[LaneData]


class PartsLanes(Schema):
    """What has changed on the desk with the lanes of some parts; `end` is the take's last tick."""

    revision: int
    end: int
    parts: list[PartLanes]


class Unplayed(Schema):
    """What is wrong on a lane: why, where (spans of ticks), and the stroke that mends it, if one does."""

    part: int
    lane: str
    reason: str
    says: str
    spans: list[tuple[int, int]]
    stroke: Stroke | None


class SoundView(Schema):
    """A sound beside a take: when it begins and how far it goes out (base64, one byte for each peak)."""

    name: str
    seconds: float
    offset: float
    peaks_a_second: int
    peaks: str


class SoundMoved(Schema):
    offset: Annotated[float, Field(ge=-36_000, le=36_000, allow_inf_nan=False)]


class TraceAsked(Schema):
    """A lane from the sound's loudness: milliseconds to rise and fall, and the values of silence and of the loudest."""

    part: Annotated[int, Field(ge=0, le=10_000)]
    lane: str
    attack: Annotated[float, Field(ge=0, le=10_000)] = 10
    release: Annotated[float, Field(ge=0, le=60_000)] = 120
    low: Annotated[float, Field(ge=0, le=127)] = 0
    high: Annotated[float, Field(ge=0, le=127)] = 127
    tolerance: Annotated[float, Field(ge=0, le=64)] = 1


class Traced(Schema):
    stroke: Stroke


class LaneWord(Schema):
    """A word that players have for a value."""

    word: str
    value: float


class LaneKindView(Schema):
    """A kind of lane (velocity is the first): what it is called, what its values mean and how it is drawn.

    `least`: it is drawn as far as it goes to both sides, and so far at least; 0: from `low` to `high`. `marks` are
    drawn as lines, to `rounds` a hand is drawn.
    """

    key: str
    name: str
    title: str
    number: int | None
    unit: str
    form: Form
    default: float
    low: float
    high: float
    middle: float
    least: float
    decimals: int
    marks: list[float]
    rounds: list[float]
    words: list[LaneWord]


class EventRow(Schema):
    tick: int
    bar: int
    beat: int
    rest: int
    part: int
    kind: str
    note: int
    number: str
    value: str
    length: int
    lane: str
    low: float | None
    """The lowest value that can be given; null where it is not to be changed."""
    high: float | None


class EventPage(Schema):
    total: int
    first: int
    rows: list[EventRow]


class Written(Schema):
    history: HistoryView
    changes: Changes


class Messages(Schema):
    """Channel messages: when (seconds), for which part, and their bytes one after another (base64)."""

    revision: int
    seconds: list[float]
    parts: list[int]
    bytes: str

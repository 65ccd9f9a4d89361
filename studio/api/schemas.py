"""The shapes of what the API takes and returns. TypeScript types are made from these."""

from typing import Annotated
from uuid import UUID

from ninja import Schema
from pydantic import AwareDatetime, Field

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
    name: str
    password: str


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


class Dynamic(Schema):
    mark: str
    velocity: int


class LaneHead(Schema):
    """A lane of a part in short. `leads_in`: it has a value before the first note."""

    key: str
    nodes: int
    lowest: float
    highest: float
    leads_in: bool


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


class PartView(Schema):
    """A part with its notes in columns. `start` holds differences from note to note."""

    id: int
    name: str
    channel: int
    dye: str
    seal: str
    patch: str
    drum: bool
    voices: dict[int, str]
    lanes: list[LaneHead]
    contour: Contour | None
    first_note: int
    start: list[int]
    length: list[int]
    pitch: list[int]
    velocity: list[int]


class Mark(Schema):
    """Where a stroke shows on the page; its line is (tick, value)."""

    label: str
    place: str
    start: int
    end: int
    line: list[tuple[int, float]]
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
    dynamics: list[Dynamic]
    note_names: list[str]
    flags: list[Flag]
    parts: list[PartView]
    remarks: list[str]
    history: HistoryView
    arrangement: Arrangement


class Changes(Schema):
    """Notes (inclusive ranges of ids) with the velocity each has now, and the parts of which lanes have changed."""

    notes: list[tuple[int, int]]
    velocity: list[int]
    lanes: list[int]


class Facts(Schema):
    count: int
    lowest: int
    mean: float
    highest: int
    dynamic: str
    spread: list[int]
    at_end: int


class FactsAsked(Schema):
    revision: int
    where: Where


class PreviewAsked(Schema):
    """A stroke to be tried. `number`: as that stroke's new numbers. `pull`: (tick, value) its line is to pass."""

    revision: int
    stroke: Stroke
    number: int | None = None
    pull: tuple[int, Annotated[float, Field(allow_inf_nan=False)]] | None = None


class Preview(Schema):
    stroke: Stroke
    mark: Mark
    changes: Changes
    facts: Facts | None


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


class LaneData(Schema):
    """Nodes of a lane; `tick` holds differences."""

    key: str
    tick: list[int]
    value: list[float]
    hold: bool


class Lanes(Schema):
    revision: int
    lanes: list[LaneData]


class LaneNameView(Schema):
    key: str
    name: str
    unit: str
    switch: bool


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

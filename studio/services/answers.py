"""What the services answer where that is more than one view of the core; the API sends all of it as it is."""

from uuid import UUID

from typing_extensions import TypedDict

from expression.strokes import Stroke
from expression.views.delta import Delta
from expression.views.facts import Facts
from expression.views.fault import Fault
from expression.views.lanes import LaneData, Saving
from expression.views.own_lanes import OwnFacts, OwnLane
from expression.views.page import Page
from expression.views.proof import Proof
from expression.views.strokes import Mark, Strokes, StrokesChange
from studio.services.arrangement import Arrangement


class HistoryView(Strokes):
    """The history at a revision of its take."""

    revision: int


class DeskView(Page):
    """All that the desk draws."""

    id: UUID
    name: str
    history: HistoryView
    arrangement: Arrangement


class Preview(TypedDict):
    """What a stroke would change.

    `beyond`: where its bend would go further than the range in force, with the range that would hold it. `also`: what
    it moves besides what it is meant for. `proof`: what a receiver would make of it, where it is about that. `idle`:
    it changes nothing. `whole`: all of it was worked out, not only what is in sight.
    """

    delta: Delta
    stroke: Stroke
    mark: Mark
    facts: Facts | None
    saving: Saving | None
    beyond: Fault | None
    also: str
    proof: Proof | None
    idle: bool
    whole: bool


class HistoryChange(StrokesChange):
    """What has changed in the history, at the revision that the take has now: the one after that of the change."""

    revision: int


class Written(TypedDict):
    """What a change of the history has come to. `facts`, `own_facts`: of the notes that were asked about."""

    delta: Delta
    history: HistoryChange
    facts: Facts | None
    own_facts: OwnFacts | None


class Chosen(TypedDict):
    """The notes that a rule picks, as inclusive ranges of ids."""

    notes: list[tuple[int, int]]
    count: int


class Lanes(TypedDict):
    """The lanes of a part, node by node, and the curves of its notes."""

    revision: int
    lanes: list[LaneData]
    own: list[OwnLane]


class ProofView(Proof):
    """What a receiver makes of the bytes of a part, at a revision of its take."""

    revision: int


class Messages(TypedDict):
    """Channel messages: when (seconds), for which part, and their bytes one after another (base64)."""

    revision: int
    seconds: list[float]
    parts: list[int]
    bytes: str


class SoundView(TypedDict):
    """A sound beside a take: when it begins and how far it goes out (base64, one byte for each peak)."""

    name: str
    seconds: float
    offset: float
    peaks_a_second: int
    peaks: str
    followed: bool
    """Its pitch, brightness and attacks have been measured."""

"""The kinds of lanes, as a page draws them; and the scales that a player may name."""

from typing_extensions import TypedDict

from expression.lanes import LANES, VELOCITY, Form, LaneKind
from expression.scales import SCALES


class LaneWord(TypedDict):
    """A word that players have for a value."""

    word: str
    value: float


class LaneKindView(TypedDict):
    """A kind of lane (velocity is the first): what it is called, what its values mean and how it is drawn.

    `least`: it is drawn as far as it goes to both sides, and so far at least; 0: from `low` to `high`. `marks` are
    drawn as lines, to `rounds` a hand is drawn. `called`: other words by which it is looked for.
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
    called: str


class ScaleView(TypedDict):
    """A scale: its steps are semitones above its root."""

    key: str
    name: str
    steps: list[int]


def scales() -> list[ScaleView]:
    """Every scale there is, in the order in which they are offered."""
    return [{"key": one.key, "name": one.name, "steps": list(one.steps)} for one in SCALES]


def lane_kinds() -> list[LaneKindView]:
    """Velocity, and every lane there can be: what it is called, what its values mean and how they are drawn."""
    return [_lane_kind(kind) for kind in (VELOCITY, *LANES.values())]


def _lane_kind(kind: LaneKind) -> LaneKindView:
    return {
        "key": kind.key,
        "name": kind.name,
        "title": kind.title,
        "number": None if kind.is_of_notes else kind.wire.number,
        "unit": kind.unit,
        "form": kind.form,
        "default": kind.default,
        "low": kind.low,
        "high": kind.high,
        "middle": kind.middle,
        "least": kind.least,
        "decimals": kind.decimals,
        "marks": list(kind.marks),
        "rounds": list(kind.rounds),
        "called": kind.called,
        "words": [{"word": word, "value": value} for word, value in kind.words],
    }

"""What is known of a kind of stroke beside its numbers: where it belongs, what it is called, how a form asks for it.

Each class of strokes carries one `Spec`. Forms, search, history, marks and documents follow from it: nothing else tests
which kind a stroke is.
"""

from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import Literal

Family = Literal["velocity", "notes", "lane", "bend", "own", "pedal", "passes", "ground", "play"]
"""What a stroke acts on: velocities, notes themselves, a lane, the wheel, curves of notes, a pedal, a recorded pass,
the tempo and the metre, a line as players play it."""
Evidence = Literal["facts", "saving", "sent", "counts", "bows"]
"""What is told of a stroke while it is tried: facts of its notes, nodes and messages that it saves, how it is sent.
`counts`: how many notes give way to it is said on the command line as well. `bows`: how far nodes may go is drawn."""
Widget = Literal[
    "number", "choice", "flag", "measure", "roll", "turns", "one of", "lane", "place", "scale", "lines", "through",
    "pattern", "tap", "kinds", "pitches", "text", "node", "note", "pass", "writing", "each", "hand", "left out",
]  # fmt: skip
"""How a field is asked for: by what it holds, never by the kind of stroke."""


@dataclass(frozen=True)
class When:
    """A field is shown while another (`field`) says something (`told`), says nothing, or is one of some values."""

    field: str
    told: bool | None = None
    among: tuple[object, ...] = ()


@dataclass(frozen=True)
class Option:
    """A value of a choice with its words; `sets` are other fields that begin anew with it."""

    value: object
    words: str
    sets: Mapping[str, object] = field(default_factory=dict)


@dataclass(frozen=True)
class Ask:
    """One field of a form. `name` may be one place of several (`lean.0`); `step` is what an arrow key moves it by.

    `absent`: it may be left empty, and these words stand there then. `start`: with what it is turned on.
    """

    name: str
    label: str
    widget: Widget = "number"
    step: float = 1
    absent: str | None = None
    options: tuple[Option, ...] = ()
    when: tuple[When, ...] = ()
    start: float | None = None
    parts: bool = False
    lanes: bool = False

    def shown(self, *when: When) -> "Ask":
        """The same field, shown only then."""
        return Ask(**{**self.__dict__, "when": (*self.when, *when)})


@dataclass(frozen=True)
class Gesture:
    """One way to begin a stroke: a key in the panel, and an action that search finds.

    `where`: what it acts on (see the page's `places`). `given`: the numbers that it begins with; those that begin with
    an @ are looked up where the hand is (see the page's `numbers`). `begins`: who opens it, where that is not as usual.
    `on_notes`: of those on lanes, on the curves of notes as well. `folded`: in the panel behind one key with others.
    """

    sign: str
    name: str
    title: str
    words: str
    group: str
    where: str = "front"
    given: Mapping[str, object] = field(default_factory=dict)
    begins: str = "open"
    for_selection: bool = False
    on_notes: bool = False
    folded: bool = False


@dataclass(frozen=True)
class Spec:
    """All that is known of a kind of stroke besides its model.

    `slides`: only on lanes that slide, or only on those that are off or on. `lane`: the one lane on which it shows;
    where it is empty, the fields of `named_by` name lanes, the first that says one. `one_part`: it cannot be spread
    over all parts in front. `by_phrase`: it goes by where phrases
    begin.
    """

    family: Family
    name: str
    says: str = ""
    asks: tuple[Ask, ...] = ()
    gestures: tuple[Gesture, ...] = ()
    slides: bool | None = None
    lane: str = ""
    named_by: tuple[str, ...] = ("lane",)
    evidence: tuple[Evidence, ...] = ()
    one_part: bool = False
    by_phrase: bool = False


def entry(name: str, label: str, step: float = 1, absent: str | None = None) -> Ask:
    """A number."""
    return Ask(name, label, "number", step, absent)


def choice(name: str, label: str, *options: tuple[object, str]) -> Ask:
    """One of a few words."""
    return Ask(name, label, "choice", options=tuple(Option(*one) for one in options))


def yes_no(name: str, label: str) -> Ask:
    """Yes or no."""
    return choice(name, label, (False, "no"), (True, "yes"))


def one_of(label: str, *options: tuple[str, str, Mapping[str, object]]) -> Ask:
    """Which of several fields it is that says it: its name, its words, and what is set where it is chosen."""
    return Ask("", label, "one of", options=tuple(Option(*one) for one in options))


def told(name: str) -> When:
    """While a field says something."""
    return When(name, told=True)


def silent(name: str) -> When:
    """While a field says nothing."""
    return When(name, told=False)


def among(name: str, *values: object) -> When:
    """While a field is one of some values."""
    return When(name, among=values)


ASK_LIFT = entry("lift", "Lift", 0.05)
ASK_EASE = entry("ease", "Ease", 0.05)
ASK_PEAK = entry("peak", "Peak").shown(told("peak"))
ASK_PEAK_AT = entry("peak_at", "Peak at", 0.05).shown(told("peak"))
ASK_ACCENTS = entry("accents", "Accents", 0.05)
ASK_ROLL = Ask("seed", "Roll", "roll")
ASK_UNDER = choice("under", "Under them", (True, "travels along"), (False, "stays"))
ASK_PAGE = choice("page", "The page follows", (True, "yes"), (False, "no"))
ASK_OVER = choice("over", "Same key", ("cut", "is cut"), ("refuse", "refuse"))
ASK_TIME = entry("time", "Time (beats)", 0.125)
ASK_EACH = Ask(
    "where",
    "Over",
    "each",
    options=(Option(None, "all"), Option("phrases", "each phrase"), Option("groups", "each group")),
)
"""Over all of its place at once, or once more over each phrase in it."""
ASK_SCALE = Ask("scale", "Steps of", "scale", absent="all keys")

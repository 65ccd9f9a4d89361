"""Phrases by hand: where they begin, whatever was found."""

from dataclasses import replace
from typing import Annotated, Literal

from pydantic import Field, field_validator
from typing_extensions import override

from expression.errors import NothingMatched
from expression.limits import MOST_POINTS
from expression.phrases import line_of
from expression.strokes.base import BaseStroke, Reach, Tick
from expression.strokes.spec import Gesture, Spec, choice
from expression.take import PhraseMark, Take

WORDS = "phrase breath boundary slur line begin split join"


class PhraseMarks(BaseStroke):
    """Where phrases begin from the start of `where.span` to its last tick, in the place of what was found there.

    Each tick means the note of the line that begins nearest to it. Without `bounds` the stretch goes on from what is
    before it; without a span it is all of the line.
    """

    kind: Literal["phrase.mark"] = "phrase.mark"
    spec = Spec(
        "play",
        "Phrases by hand",
        says="Phrases begin where this says, over its stretch, and not where they were found.",
        asks=(choice("level", "What begins", ("phrases", "a phrase"), ("groups", "a group")),),
        gestures=(
            Gesture(
                "begins",
                "Phrase begins",
                "A phrase begins at the first chosen note, or where the span begins",
                WORDS,
                "Rules",
                where="place",
                given={"bounds": "@bounds"},
                folded=True,
            ),
            Gesture(
                "joins",
                "One phrase",
                "What is chosen is one phrase: it begins with the first, and nothing begins inside",
                WORDS,
                "Rules",
                where="stretch of chosen",
                given={"bounds": "@bounds"},
                folded=True,
            ),
        ),
    )
    travels = ("bounds.*",)
    bounds: Annotated[tuple[Tick, ...], Field(max_length=MOST_POINTS)] = Field(
        (), description="Where they begin, in ticks, ascending."
    )
    level: Literal["phrases", "groups"] = Field("phrases", description="Phrases, or the groups within them.")

    @field_validator("bounds")
    @classmethod
    def _ascends(cls, bounds: tuple[int, ...]) -> tuple[int, ...]:
        if list(bounds) != sorted(set(bounds)):
            raise ValueError("bounds must ascend")
        return bounds

    def _parts(self, take: Take) -> list[int]:
        """The parts that are meant and have a line. Raises NothingMatched."""
        meant = [part.id for part in take.parts if self.where.parts is None or part.id in self.where.parts]
        found = [part for part in meant if len(line_of(take, part).onset)]
        if not found:
            raise NothingMatched("There is no note that is heard in these parts, so that nothing has phrases.")
        return found

    @override
    def apply(self, take: Take) -> Take:
        first, after = self.where.span or (0, max(take.end, 1))
        made = tuple(PhraseMark(part, self.level, first, after - 1, self.bounds) for part in self._parts(take))
        return replace(take, phrase_marks=take.phrase_marks + made)

    @override
    def reach(self, take: Take) -> Reach:
        first, after = self.where.span or (0, max(take.end, 1))
        return Reach(first, after, self._parts(take), len(self.bounds))

    @override
    def label(self) -> str:
        one, many = ("Phrase", "phrases") if self.level == "phrases" else ("Group", "groups")
        if not self.bounds:
            return f"{one} goes on"
        return f"{one} begins" if len(self.bounds) == 1 else f"{len(self.bounds)} {many} by hand"

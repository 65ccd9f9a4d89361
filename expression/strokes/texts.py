"""Strokes on texts: markers, lyrics, comments."""

from dataclasses import replace
from typing import Literal, Self

from pydantic import Field, model_validator
from typing_extensions import override

from expression.errors import NothingMatched
from expression.limits import MOST_LETTERS
from expression.midi.texts import texts_of
from expression.strokes.base import IDS_EACH, BaseStroke, Count, Reach, Tick
from expression.strokes.spec import Ask, Gesture, Spec, choice, silent
from expression.take import Take, Text

TextKind = Literal["text", "lyric", "marker", "cue point"]
NUMBERS: dict[str, int] = {"text": 0x01, "lyric": 0x05, "marker": 0x06, "cue point": 0x07}
"""As a file says it (SMF 1.0)."""
MOST_SHOWN = 24


class TakeText(BaseStroke):
    """A marker, a lyric or another text: put in, said otherwise, moved, or taken away.

    `text` says which one; without it a new one comes, on the track of the first part of `where`. One that was recorded
    stays in the recording and is not sent any longer.
    """

    kind: Literal["take.text"] = "take.text"
    is_beyond = True
    spec = Spec(
        "ground",
        "Text",
        says="A marker, a lyric or another text. What is left empty is taken away.",
        asks=(
            Ask("words", "Says", "text"),
            choice("of", "Is", *((one, one) for one in NUMBERS)).shown(silent("text")),
        ),
        gestures=(
            Gesture(
                "text",
                "Text",
                "A marker, a lyric or a comment at the start of the span or where it stands",
                "marker lyric comment section verse chorus word label",
                "Ground",
                where="ground",
                given={"words": "Marker", "tick": "@place"},
            ),
        ),
    )
    travels = ("tick",)
    text: Count | None = Field(None, description="Which text, by the id that the event list tells; absent: a new one.")
    tick: Tick | None = Field(None, description="Where it goes; absent: it stays where it is.")
    words: str = Field(max_length=MOST_LETTERS, description="What it says. Nothing: it is taken away.")
    of: TextKind = Field("marker", description="What kind of text a new one is.")
    made: Count = Field(
        IDS_EACH - 1, description="The id that a new one gets, as long as no recorded event has it. A history gives it."
    )

    @model_validator(mode="after")
    def _fits(self) -> Self:
        if self.text is None and (self.tick is None or not self.words):
            raise ValueError("a new text needs words, and a tick to stand at")
        if any(not sign.isprintable() for sign in self.words):
            raise ValueError("words must be on one line, without signs that cannot be printed")
        return self

    @override
    def numbered(self, number: int) -> Self:
        return self.model_copy(update={"made": number * IDS_EACH})

    def _one(self, take: Take) -> Text:
        """The text as it is, or as a new one begins. Raises NothingMatched."""
        if self.text is None:
            return Text(max(self.made, len(take.rows.tick)), self._track(take), self.tick or 0, NUMBERS[self.of], "")
        found = next((one for one in texts_of(take) if one.id == self.text), None)
        if found is None:
            raise NothingMatched("The text that this was made for is gone.", "text")
        return found

    def _track(self, take: Take) -> int:
        parts = [take.parts[part] for part in self.where.parts or () if part < len(take.parts)]
        return parts[0].track if parts and self.of == "lyric" else 0

    @override
    def apply(self, take: Take) -> Take:
        one = self._one(take)
        tick = one.tick if self.tick is None else self.tick
        others = tuple(other for other in take.texts if other.id != one.id)
        recorded = self.text is not None and one.id < len(take.rows.tick)
        return replace(
            take,
            texts=(*others, one._replace(tick=tick, words=self.words)) if self.words else others,
            dropped_texts=take.dropped_texts | {one.id} if recorded else take.dropped_texts,
        )

    @override
    def reach(self, take: Take) -> Reach:
        one = self._one(take)
        tick = one.tick if self.tick is None else self.tick
        start, end = min(one.tick, tick), max(one.tick, tick) + 1
        return Reach(start, end, [part.id for part in take.parts], 1)

    @override
    def label(self) -> str:
        if not self.words:
            return "Text taken away"
        words = self.words if len(self.words) <= MOST_SHOWN else f"{self.words[: MOST_SHOWN - 1].rstrip()}…"
        return f"“{words}”"

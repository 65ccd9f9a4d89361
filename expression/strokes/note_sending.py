"""How the curves of notes go down the cable, and what the instrument at its end takes of them."""

import math
from dataclasses import replace
from typing import Annotated, Literal, Self

from pydantic import Field, model_validator
from typing_extensions import override

from expression.cable import Answers, Pace, Sending, Zone
from expression.errors import NothingMatched
from expression.lanes import LANES, NOTE_PITCH
from expression.limits import MOST_SEMITONES
from expression.percussion import CHANNEL as PERCUSSION
from expression.status import BEND_CENTRE
from expression.strokes.own_stroke import NoteLane, known_note_lane
from expression.strokes.spec import Ask, Gesture, Spec, choice, entry, told
from expression.strokes.wheel import StandingStroke
from expression.take import Channel, Take


class NoteSend(StandingStroke):
    """How a part is sent: by messages of its one channel, or in a zone in which each note has a channel of its own.

    Percussion, which instruments know by its channel, goes into a zone only where its part is named. A range that does
    not hold what notes say is widened.
    """

    kind: Literal["note.send"] = "note.send"
    spec = Spec(
        "own",
        "How it is sent",
        says="In a zone each note has a channel of its own (MPE); plainly, all share the part's.",
        asks=(
            choice("as", "Sent", ("auto", "as needed"), ("plain", "plainly"), ("mpe", "MPE")),
            choice("zone", "Zone", ("lower", "lower"), ("upper", "upper")),
            entry("members", "Members"),
            entry("semitones", "Semitones"),
            Ask("replaces", "In place of the part's lane, not on it", "kinds"),
        ),
        gestures=(
            Gesture(
                "stream",
                "How it is sent",
                "Plainly, or as MPE: the zone, its members and their range",
                "mpe zone channel members plain send midi",
                "Sent",
                where="part",
                given={"as": "mpe"},
            ),
        ),
    )
    vars()["__annotations__"]["as"] = Literal["auto", "plain", "mpe"]
    vars()["as"] = Field(
        "auto", description="`auto`: in a zone (MPE) where its own channel could not say what its notes say."
    )
    zone: Literal["lower", "upper"] = Field("lower", description="Managed by channel 1, or by channel 16.")
    members: Annotated[int, Field(ge=1, le=15)] = Field(15, description="Channels that carry a note each.")
    semitones: Annotated[float, Field(ge=1, le=MOST_SEMITONES)] = Field(
        48.0, description="The bend range of the members, either way."
    )
    replaces: tuple[NoteLane, ...] = Field(
        (),
        max_length=130,
        description="Kinds of curves that stand in place of the part's lane, and not on it.",
    )

    @model_validator(mode="after")
    def _known(self) -> Self:
        for key in self.replaces:
            if known_note_lane(key, "replaces") == "note:pitch":
                raise ValueError("replaces cannot be note:pitch: the pitch of a note is always added to the bend")
        return self

    @override
    def apply(self, take: Take) -> Take:
        zone = Zone(self.zone == "lower", self.members, self.semitones)
        sending = Sending(getattr(self, "as"), zone, frozenset(self.replaces))
        for channel in self.channels(take):
            take = take.with_channel(replace(channel, sending=sending))
        return take

    @override
    def channels(self, take: Take) -> list[Channel]:
        found = super().channels(take)
        if self.where.parts is not None or getattr(self, "as") != "mpe":
            return found
        found = [channel for channel in found if channel.number != PERCUSSION]
        if not found:
            raise NothingMatched("Percussion stays on its channel; name its part to send it in a zone.", "where")
        return found

    @override
    def label(self) -> str:
        way = getattr(self, "as")
        if way == "mpe":
            return f"Sent as MPE, {self.zone} zone, {self.members} members, ±{self.semitones:g}"
        return "Sent plainly" if way == "plain" else "Sent as its notes need it"

    @override
    def mends(self) -> str:
        return f"Send as MPE, {self.members} members, ±{self.semitones:g}"


class NoteStream(StandingStroke):
    """How finely the curves of notes of a part are sent: off by so much at most, or so many messages a second for each
    note. Nodes are always sent.
    """

    kind: Literal["note.stream"] = "note.stream"
    spec = Spec(
        "own",
        "How finely it is sent",
        says="Fewer messages for the curves of notes. Nodes are always sent.",
        asks=(
            entry("off", "Off by", 0.5).shown(told("off")),
            entry("per_second", "A second", 10).shown(told("per_second")),
        ),
        gestures=(
            Gesture(
                "stream",
                "How finely",
                "Fewer messages: so many a second for each note",
                "thin thinner dense cable bandwidth messages rate tolerance density",
                "Sent",
                where="part",
                given={"per_second": 100},
            ),
        ),
    )
    lane: NoteLane
    off: Annotated[float | None, Field(gt=0, le=127)] = Field(
        None, description="What is heard is never further from what is drawn, in the lane's unit; pitch in semitones."
    )
    per_second: Annotated[float | None, Field(ge=1, le=1000)] = Field(
        None, description="Messages a second at most, whatever that makes of the drawing."
    )

    @model_validator(mode="after")
    def _one(self) -> Self:
        known_note_lane(self.lane)
        if (self.off is None) == (self.per_second is None):
            raise ValueError("a stream has either off or per_second")
        return self

    def pace(self, channel: Channel) -> Pace:
        """The same as the encoding has it: what the rounding of a message takes of it is left to that."""
        kind = LANES[self.lane]
        if self.off is None:
            return Pace(kind.step, 1 / (self.per_second or 1.0), math.inf)
        rounding = channel.sending.zone.reach / BEND_CENTRE if self.lane == NOTE_PITCH else 1.0
        return Pace(max(2 * self.off - rounding, kind.step), kind.seconds, max(self.off, kind.step))

    @override
    def apply(self, take: Take) -> Take:
        for channel in self.channels(take):
            take = take.with_channel(replace(channel, paces={**channel.paces, self.lane: self.pace(channel)}))
        return take

    @property
    def target_lane(self) -> str:
        """The kind of curve that it is about."""
        return self.lane

    @override
    def label(self) -> str:
        how = f"{self.per_second:g} times a second" if self.per_second is not None else f"to {self.off:g}"
        return f"{LANES[self.lane].name} sent {how}"


class NoteAnswers(StandingStroke):
    """What the instrument of a part takes of each note by itself. What is lost is shown on the notes."""

    kind: Literal["note.answers"] = "note.answers"
    spec = Spec(
        "own",
        "What its instrument takes",
        says="What is lost on it is shown on the notes.",
        asks=(
            entry("semitones", "Bends notes by", 1, "any"),
            entry("rings", "Rings on (s)", 0.1, "1"),
            Ask("keys", "Takes", "kinds", absent="all"),
        ),
        gestures=(
            Gesture(
                "instrument",
                "Its instrument",
                "What the instrument takes of each note: pitch, pressure, timbre, pan",
                "capability polyphonic expression synth device receives",
                "Sent",
                where="part",
            ),
        ),
    )
    keys: tuple[NoteLane, ...] | None = Field(
        None, max_length=130, description="Kinds of curves that it takes; absent: all."
    )
    semitones: Annotated[float | None, Field(gt=0, le=MOST_SEMITONES)] = Field(
        None, description="How far it bends a note, either way; absent: as far as it is told."
    )

    rings: Annotated[float | None, Field(ge=0, le=60)] = Field(
        None,
        description="Seconds that a note is heard after it was let go; absent: 1. So long a bend that was made for it "
        "stays, where no other note needs the wheel.",
    )

    @model_validator(mode="after")
    def _known(self) -> Self:
        for key in self.keys or ():
            known_note_lane(key, "keys")
        return self

    @override
    def apply(self, take: Take) -> Take:
        answers = Answers(None if self.keys is None else frozenset(self.keys), self.semitones, self.rings)
        for channel in self.channels(take):
            take = take.with_channel(replace(channel, answers=answers))
        return take

    @override
    def label(self) -> str:
        if self.keys is None:
            return "Its instrument takes all of each note"
        if not self.keys:
            return "Its instrument takes nothing of single notes"
        return "Its instrument takes " + ", ".join(key.removeprefix("note:") for key in self.keys) + " of each note"

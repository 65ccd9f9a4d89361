"""How a player has arranged the desk: names and dyes of parts, drum voices, lanes; and an account's wishes."""

from typing import Annotated, Literal

from django.contrib.auth.models import AbstractBaseUser
from pydantic import BaseModel, ConfigDict, Field, StringConstraints

from expression import views
from expression.lanes import CHANNEL_LANES, LANES
from expression.views.kinds import LaneKindView, ScaleView
from studio.models import Preferences, Take
from studio.services.takes import clean_name

Name = Annotated[str, StringConstraints(max_length=120)]
Index = Annotated[int, Field(ge=0, le=10_000)]


class _Kept(BaseModel):
    model_config = ConfigDict(extra="forbid")


class Route(_Kept):
    """What a lane also moves in the practice synth, by a share of the target's reach either way."""

    lane: Name
    target: Literal["level", "brightness", "vibrato", "pan", "resonance", "detune"]
    amount: Annotated[float, Field(ge=-1, le=1, allow_inf_nan=False)]


class PartLook(_Kept):
    """What the player calls a part, its dye, names for its drum voices, and its routes. Empty: as it came.

    `split`: the key from which on its notes are written for the right hand; none: as the page would have it.
    """

    name: Name = ""
    dye: Name = ""
    voices: dict[Annotated[int, Field(ge=0, le=127)], Name] = {}
    routes: Annotated[list[Route], Field(max_length=64)] = []
    split: Annotated[int, Field(ge=1, le=127)] | None = None


class LaneLook(_Kept):
    """A lane on the desk: a strip, or open and so tall; or hidden."""

    key: Name
    hidden: bool = False
    open: bool = False
    height: Annotated[int, Field(ge=40, le=800)] = 140


class Arrangement(_Kept):
    """The desk of one take. `lanes` are in the player's order, for each part."""

    parts: dict[Index, PartLook] = {}
    lanes: dict[Index, Annotated[list[LaneLook], Field(max_length=130)]] = {}
    velocity_share: Annotated[float, Field(ge=0.05, le=0.95, allow_inf_nan=False)] | None = None
    """How much of the height the velocity lane takes; none: as the desk would have it."""


class Favourite(_Kept):
    """A controller that the player works with."""

    key: Name
    label: Name = ""
    dye: Name = ""


class Habits(_Kept):
    """What an instrument is known to do by itself, and is put right.

    Kinds that are not taken, or only where they change; where its wheel rests (steps of 8192), and how far around
    there; a pedal that is the wrong way round; for each force (0 to 127) the one it is taken for.
    """

    ignore: Annotated[list[Name], Field(max_length=140)] = []
    thinned: Annotated[list[Name], Field(max_length=140)] = []
    rest: Annotated[int, Field(ge=-8192, le=8191)] = 0
    slack: Annotated[int, Field(ge=0, le=4096)] = 0
    turned: bool = False
    forces: Annotated[list[Annotated[int, Field(ge=0, le=127)]], Field(min_length=128, max_length=128)] | None = None


class Wishes(_Kept):
    """What an account wants in every take."""

    middle_c: Annotated[int, Field(ge=3, le=5)] = 4
    favourites: Annotated[list[Favourite], Field(max_length=128)] = []
    sounds: bool = True
    """Notes sound as they are chosen and dragged."""
    letters: bool = True
    """Keys of one letter act by themselves; otherwise only with Alt."""
    metronome: bool = False
    """Beats are clicked while a take plays ..."""
    metronome_level: Annotated[float, Field(ge=0, le=1)] = 0.5
    """... so loudly."""
    walked: bool = False
    """The first walk was taken, or turned down."""
    gear: Annotated[dict[Name, Habits], Field(max_length=64)] = {}
    """Of instruments, by their names."""


def of(take: Take) -> Arrangement:
    """A take's arrangement as it is kept; what an older version kept otherwise is left out."""
    return Arrangement.model_validate(take.arrangement or {})


def arrange(take: Take, wanted: Arrangement) -> Arrangement:
    """Keep an arrangement. Names are cleaned as names of takes are."""
    for look in wanted.parts.values():
        look.name, look.dye = clean_name(look.name), clean_name(look.dye)
        look.voices = {pitch: clean_name(name) for pitch, name in look.voices.items()}
        look.routes = [route for route in look.routes if route.lane in CHANNEL_LANES]
    for lanes in wanted.lanes.values():
        lanes[:] = [lane for lane in lanes if lane.key in LANES]
    take.arrangement = wanted.model_dump(mode="json")
    take.save(update_fields=["arrangement"])
    return of(take)


def scales() -> list[ScaleView]:
    """Every scale that a player may name."""
    return views.kinds.scales()


def lane_kinds() -> list[LaneKindView]:
    """Velocity, and every kind of lane there can be."""
    return views.kinds.lane_kinds()


def wishes(owner: AbstractBaseUser) -> Wishes:
    """An account's wishes."""
    kept = Preferences.objects.filter(owner_id=owner.pk).first()
    return Wishes.model_validate(kept.wishes if kept else {})


def wish(owner: AbstractBaseUser, wanted: Wishes) -> Wishes:
    """Keep an account's wishes."""
    wanted.favourites = [
        Favourite(key=one.key, label=clean_name(one.label), dye=clean_name(one.dye))
        for one in wanted.favourites
        if one.key in LANES
    ]
    Preferences.objects.update_or_create(owner_id=owner.pk, defaults={"wishes": wanted.model_dump(mode="json")})
    return wishes(owner)

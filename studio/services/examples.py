"""Takes of the fog signal, in which the guide shows things: an account has each as soon as it asks for it."""

from django.contrib.auth.models import AbstractBaseUser

from demo.fog_signal import SOUNDS, STROKES, TAKES
from expression.strokes import parse_stroke
from studio.models import Take
from studio.services import shaping, sounds, takes
from studio.services.takes import NoSuchTake


def _slug(name: str) -> str:
    return name.rpartition(": ")[2].replace("'", "").replace(" ", "-")


EXAMPLES: dict[str, str] = {_slug(name): name for name in TAKES}
"""Their names, by what stands in an address (`the-stair`)."""


def opened(owner: AbstractBaseUser, example: str) -> Take:
    """The account's own take of an example, added where it has none. Raises NoSuchTake."""
    if example not in EXAMPLES:
        raise NoSuchTake
    name = EXAMPLES[example]
    return takes.owned(owner).filter(name=name).first() or added(owner, name)


def added(owner: AbstractBaseUser, name: str) -> Take:
    """A take of the fog signal, with what has been done to it already."""
    take = takes.add(owner, "demo.mid", TAKES[name]())
    takes.rename(owner, take.pk, name)
    if name in SOUNDS:
        called, made = SOUNDS[name]
        sounds.add(take, called, made())
    for stroke in STROKES.get(name, []):
        shaping.commit(owner, take.pk, takes.get(owner, take.pk).revision, parse_stroke(stroke))
    return takes.get(owner, take.pk)

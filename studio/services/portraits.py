"""How a part is played beside how others play: the demo's hands, and the account's own takes."""

from functools import cache

from django.contrib.auth.models import AbstractBaseUser
from typing_extensions import TypedDict

from demo.fog_signal import HANDS, TAKES
from expression.midi.files import opened
from expression.portrait import MEASURES, portraits
from studio.models import Take
from studio.services import takes
from studio.services.folding import folded
from studio.services.shaping import part_of, seen

MOST_TAKES, MOST_AT_ONCE = 24, 2
"""Takes that are shown beside; and of those not yet known so many are measured each time it is asked for."""
KEPT = "portraits"


class Strip(TypedDict):
    """One measure: of the part, of each of the demo's hands, and of parts of the account's other takes."""

    key: str
    name: str
    unit: str
    mine: float | None
    demo: list[float]
    own: list[float]


def strips(owner: AbstractBaseUser, take: Take, part: int) -> list[Strip]:
    """All measures that the part has, or another. Raises NothingMatched where there is no such part."""
    recording = seen(take)
    mine = portraits(recording)[part_of(recording, part).id]
    demo, own = _demo(), _own(owner, take)
    found: list[Strip] = []
    for one in MEASURES:
        others = [[hand[one.key] for hand in hands if one.key in hand] for hands in (demo, own)]
        if one.key in mine or any(others):
            value = mine.get(one.key)
            found.append(
                {"key": one.key, "name": one.name, "unit": one.unit, "mine": value, "demo": others[0], "own": others[1]}
            )
    return found


@cache
def _demo() -> list[dict[str, float]]:
    """The hands of the demo."""
    return [portraits(opened(TAKES[take]()))[part] for take, part in HANDS.values()]


def _own(owner: AbstractBaseUser, besides: Take) -> list[dict[str, float]]:
    """Of the takes that were changed last; what has been changed since it was measured is measured again by and by."""
    found: list[dict[str, float]] = []
    new = 0
    for take in takes.owned(owner).exclude(pk=besides.pk).order_by("-changed_at")[:MOST_TAKES]:
        kept = take.summary.get(KEPT, {"revision": -1, "hands": []})
        if kept["revision"] != take.revision and new < MOST_AT_ONCE:
            new += 1
            hands = list(portraits(folded(take.pk, take.revision).now.take))
            kept = {"revision": take.revision, "hands": hands}
            Take.objects.filter(pk=take.pk).update(summary={**take.summary, KEPT: kept})
        found += [hand for hand in kept["hands"] if hand]
    return found

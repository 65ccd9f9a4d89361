"""What differs between two takes of one recording, as the desk draws it: what every answer to a change tells."""

from typing_extensions import TypedDict

from expression.limits import LAST_TICK
from expression.take import Part, Take
from expression.time import Sight
from expression.views.changes import Changes, changes
from expression.views.contours import TriedContour, tried_contours
from expression.views.lanes import LaneChange, lane_changes
from expression.views.own_lanes import OwnLane, own_changes
from expression.views.page import Frame, PartChange, PartLanes, frame, lanes_of, part_changes


class Delta(TypedDict):
    """From one take to another.

    `lanes`, `own`: of the part that is looked at, node by node. `parts`: what else is drawn of lanes that differ, and
    of the notes that they shape. `whole`: parts of which notes have come, gone or moved, anew. `frame`: bars, tempo and
    length, where any of it differs (told while a gesture is held, too). `contours`: while one is held, the shapes of
    the notes in sight.
    """

    changes: Changes
    lanes: list[LaneChange]
    own: list[OwnLane]
    parts: list[PartLanes]
    whole: list[PartChange]
    frame: Frame | None
    contours: list[TriedContour]


def delta(was: Take, now: Take, part: int | None) -> Delta:
    """All that differs; node by node of one part alone."""
    told = changes(was, now, is_told_anew=True)
    whole = told["others"]
    # How long notes sound, and whether they have channels of their own, is said by all that share a channel; what is
    # still held at the end of the take lasts as long as that, and how long all rings on is a matter of the clock.
    is_longer = was.end != now.end or was.tempo is not now.tempo
    channels = {now.parts[one].channel.id for one in (*whole, *told["lanes"])}
    # So are phrases that were set by hand.
    phrased = {mark.part for mark in {*was.phrase_marks} ^ {*now.phrase_marks}}
    heard = [one.id for one in now.parts if one.channel.id in channels or is_longer or one.id in phrased]
    return {
        **compared(was, now, part, told),
        "parts": lanes_of(now, [one for one in heard if one not in whole]),
        "whole": part_changes(was, now, whole),
        "frame": frame(was, now),
    }


def tried(was: Take, now: Take, part: int | None, sight: Sight | None) -> Delta:
    """As much of it as is drawn while a hand holds a gesture: notes in sight, of very many nodes an outline."""
    old, new = _looked_at(was, now, part)
    return {
        **_blank(changes(was, now, sight)),
        "lanes": lane_changes(old, new, sight or (0, LAST_TICK)) if old and new else [],
        "own": own_changes(old, new, sight) if old and new and sight else [],
        "contours": tried_contours(was, now, *sight) if sight else [],
        "frame": frame(was, now),
    }


def compared(was: Take, now: Take, part: int | None, told: Changes | None = None) -> Delta:
    """As much of it as is drawn beside the take as it is: how hard its notes were struck, and its lanes."""
    old, new = _looked_at(was, now, part)
    return {
        **_blank(told or changes(was, now)),
        "lanes": lane_changes(old, new) if old and new else [],
        "own": own_changes(old, new) if old and new else [],
    }


def _blank(told: Changes) -> Delta:
    return {"changes": told, "lanes": [], "own": [], "parts": [], "whole": [], "frame": None, "contours": []}


def _looked_at(was: Take, now: Take, part: int | None) -> tuple[Part, Part] | tuple[None, None]:
    if part is None or part >= len(now.parts):
        return None, None
    return was.parts[part], now.parts[part]

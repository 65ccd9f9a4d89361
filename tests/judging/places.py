"""Where a stroke may change what is heard."""

import math
from typing import Any

from expression.take import Take
from tests.judging.drawn import Drawn


def sharing(take: Take, parts: list[int]) -> list[int]:
    """The parts on the same channels as some parts."""
    lines = {id(take.parts[part].channel) for part in parts}
    return [part.id for part in take.parts if id(part.channel) in lines]


ANYWHERE = {
    f"rule.{one}" for one in ("lead", "gaps", "leaps", "swing", "loose", "swell", "vibrato", "slides", "ritard")
}


def place_of(take: Take, said: dict[str, Any], stroke: Any) -> dict[int, list[tuple[float, float]]] | None:
    """Spans in which lanes of a part may be heard otherwise, and {-1: []} where notes may; None: anywhere."""
    kind, where = said["kind"], said["where"]
    if kind.startswith(("note.", "take.")) or kind in ("lane.to_notes", "record.pass"):
        # By another clock ways are sent at other ticks, and may lie elsewhere altogether. What notes say by themselves
        # is held note by note; what was played is held tick by tick.
        return None
    if kind.startswith("notes."):
        # What lies under notes goes with them: untouched notes are held one by one (see test_notes_random).
        return None
    if kind == "phrase.mark":
        return {}
    if kind.startswith("play.") or kind in ANYWHERE:
        # What they come to is held in test_rules.
        return None
    if kind.startswith(("velocity.", "rule.")):
        return {-1: []}
    parts = sharing(take, where["parts"])
    start, end, keys = _reach_of(take, said, stroke, parts)
    stays = kind in ("lane.draw", "lane.ramp", "lane.shape", "lane.lead_in", "bend.home")
    spans = []
    for key in keys:
        drawn = Drawn.of(take, parts[0], key)
        low, high = start, end
        if kind in ("lane.nodes", "lane.shift"):
            # Ways that cross an edge go to the new nodes, or on from them; what they end with stays.
            low = max((tick for tick in drawn.ticks if tick < start), default=0)
        if stays or kind in ("lane.nodes", "lane.shift"):
            high = min((tick for tick in drawn.ticks if tick >= end), default=math.inf)
        if not drawn.ticks:
            high = math.inf
        elif drawn.ticks[0] >= high:
            # Where the lane has not begun, nothing comes back: what the stroke ends with stays until it begins.
            high = drawn.ticks[0]
        spans.append((low, high))
    if (kind == "bend.glide" and said.get("as") == "one") or kind in ("pedal.to_lengths", "pedal.from_lengths"):
        return {**dict.fromkeys(parts, spans), -1: []}
    return dict.fromkeys(parts, spans)


def _reach_of(take: Take, said: dict[str, Any], stroke: Any, parts: list[int]) -> tuple[float, float, list[str]]:
    """From where to where, and on which lanes."""
    kind, where = said["kind"], said["where"]
    start, end = where.get("span") or (0, math.inf)
    keys = [said["lane"]] if isinstance(said.get("lane"), str) else list(said.get("lane", [])) or ["cc:11"]
    if kind == "lane.draw":
        start, end = max(start, said["points"][0][0]), min(end, said["points"][-1][0] + 1)
    elif kind == "lane.lead_in":
        start, end = 0, 1
    elif kind == "lane.copy":
        length = (said.get("fit") or end - start) * said.get("repeat", 1)
        target = said.get("to", {})
        start = target.get("at", start)
        end = start + length + 1
        keys = [target.get("lane") or keys[0]]
    elif kind == "lane.move":
        keys.append(said["to"])
    elif kind == "lane.shift":
        start, end = min(start, start + said["ticks"]), max(end, end + said["ticks"])
    elif kind == "lane.reshape":
        end = max(end, start + (end - start) * said.get("length", 1.0) + 1)
    elif kind == "lane.fade":
        starts = sorted(tick for part in parts for tick in take.parts[part].notes.start.tolist())
        # Up to the note after the next: a chord that is spread over the end of the fade is one.
        later = [tick for tick in starts if tick >= end]
        end = later[0] if later else math.inf
        if later and [tick for tick in starts if tick < end and later[0] - tick <= take.resolution / 16]:
            following = [tick for tick in later if tick - later[0] > take.resolution / 16]
            end = following[0] if following else math.inf
        start = (
            0
            if not Drawn.of(take, parts[0], keys[0]).ticks or Drawn.of(take, parts[0], keys[0]).ticks[0] > start
            else start
        )
    elif kind.startswith("bend."):
        reach = stroke.reach(take)
        start, end, keys = reach.start, reach.end, ["bend"]
        if kind in ("bend.range", "bend.centre", "bend.instrument", "bend.stream") and "span" not in where:
            end = math.inf
    elif kind in ("pedal.to_lengths", "pedal.from_lengths") or (
        kind.startswith("pedal.") and (said.get("spans") or not where.get("span"))
    ):
        reach = stroke.reach(take)
        start, end = reach.start, reach.end + 1
    elif kind == "lane.shape" and said.get("notes"):
        reach = stroke.reach(take)
        start, end = reach.start, reach.end
    return start, end, keys

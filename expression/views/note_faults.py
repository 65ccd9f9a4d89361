"""What goes wrong with curves of notes on their way: what is lost, on which notes, and the stroke that mends it."""

import numpy as np

from expression.arrays import Ints
from expression.lanes import LANES, NOTE_PITCH
from expression.levels import curves_on, inexpressible, is_zoned, kinds_on
from expression.midi.zones import allotment, ports_needed
from expression.percussion import CHANNEL as PERCUSSION
from expression.strokes import parse_stroke
from expression.take import Channel, Take
from expression.views.fault import MOST_SPANS, Fault, fault

FURTHER = "{name}: {many}, the first in bar {bar}, go further than"


def note_faults(take: Take, channel: Channel, part: int) -> list[Fault]:
    """All of them, on the notes of a part of a channel."""
    kinds = kinds_on(take, channel)
    if not kinds:
        return []
    zoned = is_zoned(take, channel)
    found = [*_not_taken(take, channel, part, kinds)]
    return found + (_in_zone(take, channel, part) if zoned else _plainly(take, channel, part))


def _where(take: Take, part: int, ids: Ints) -> tuple[list[tuple[int, int]], int]:
    """The spans of notes of a part, and the bar of the first."""
    notes = take.parts[part].notes
    mine = np.flatnonzero(np.isin(notes.id, ids))[:MOST_SPANS]
    spans = list(zip(notes.start[mine].tolist(), notes.end[mine].tolist(), strict=True))
    return spans, take.meter.position(spans[0][0]).bar if spans else 0


def _found(
    take: Take, part: int, key: str, reason: str, ids: Ints, says: str, mend: dict[str, object] | None
) -> list[Fault]:
    spans, bar = _where(take, part, ids)
    if not spans:
        return []
    many = "1 note" if len(spans) == 1 else f"{len(spans):,} notes"
    stroke = parse_stroke({"where": {"parts": [part]}, **mend}) if mend else None
    says = says.format(many=many, bar=bar, name=LANES[key].name)
    return [fault(part, key, reason, says, spans, stroke)]


def _plainly(take: Take, channel: Channel, part: int) -> list[Fault]:
    found: list[Fault] = []
    for key, ids in inexpressible(take, channel).items():
        says = (
            "{name}: {many}, the first in bar {bar}, cannot be heard as drawn: the part is sent plainly, and its one "
            "channel moves all that sounds together. In a zone of MPE each note is heard by itself."
        )
        if channel.number == PERCUSSION:
            says += " An instrument may know percussion by its channel, and play something else on others."
        found += _found(take, part, key, "shared channel", ids, says, {"kind": "note.send", "as": "mpe"})
    return found


def _in_zone(take: Take, channel: Channel, part: int) -> list[Fault]:
    zone, found = channel.sending.zone, []
    crowded = allotment(take, channel).crowded
    first = kinds_on(take, channel)[0]
    says = (
        "{many}, the first in bar {bar}, had to share a channel: more notes sound than the zone has members "
        f"({zone.members})."
    )
    mend: dict[str, object] | None = None
    if zone.members < 15:
        mend = _send(channel, members=15)
    found += _found(take, part, first, "crowded zone", crowded, says, mend)
    port = ports_needed(take, [one for one in take.channels if is_zoned(take, one)]).get(channel.id)
    if port is not None:
        says = f"Its zone would share channels with other parts: it goes to port {port + 1}, in a track of its own."
        notes = take.parts[part].notes
        found += _found(take, part, first, "own port", notes.id[:1], says, None)
    return found


def _send(channel: Channel, **changed: object) -> dict[str, object]:
    zone = channel.sending.zone
    return {
        "kind": "note.send",
        "as": "mpe",
        "zone": "lower" if zone.is_lower else "upper",
        "members": zone.members,
        "semitones": zone.reach,
        "replaces": sorted(channel.sending.replaces),
        **changed,
    }


def _not_taken(take: Take, channel: Channel, part: int, kinds: list[str]) -> list[Fault]:
    """What the instrument at the end of the cable takes no notice of."""
    found: list[Fault] = []
    for key in kinds:
        curves = curves_on(take, channel, key)
        if not channel.answers.takes(key):
            says = "{name} is lost on {many}, the first in bar {bar}: its instrument takes none of it."
            found += _found(take, part, key, "not taken", curves.ids, says, None)
        elif key == NOTE_PITCH and (most := channel.answers.semitones) is not None:
            over = np.unique(curves.owners()[np.abs(curves.nodes.values) > most])
            says = (
                "{name}: {many}, the first in bar {bar}, go further than "
                + f"{most:g} semitones, as far as its instrument bends."
            )
            found += _found(take, part, key, "too far", over, says, None)
    return found

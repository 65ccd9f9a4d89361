"""What goes wrong with a bend wheel and its range: why, where, and the stroke that mends it."""

import numpy as np

from expression.lanes import BEND
from expression.limits import MOST_SEMITONES
from expression.midi.ranges import astray
from expression.midi.rpn import DEFAULT_SEMITONES, holding
from expression.strokes import AnyStroke, parse_stroke
from expression.strokes.resting import off_centre, rests_out
from expression.take import Channel, Take
from expression.views.fault import MOST_SPANS, Fault, fault
from expression.views.proof import CABLE, streamed

AT_REST = 0.03
"""Semitones: what is nearer to the centre is heard as at rest."""
LEAST_CENTS = 3
THINNED = 500
"""Messages a second that leave room on a cable for notes."""


def beyond(before: Take, after: Take, part: int) -> Fault | None:
    """Where a stroke first makes the bend of a part go beyond its range, and the wider range that would be heard."""
    now = beyond_range(after, after.parts[part].channel, part)
    was = beyond_range(before, before.parts[part].channel, part) if now else []
    known = {span for one in was for span in one["spans"]}
    for one in now:
        if first := next((span for span in one["spans"] if span not in known), None):
            holds = getattr(one["stroke"], "semitones", None)
            return {**one, "spans": [first], "mend": f"Keep, with a range of {holds:g}" if holds else ""}
    return None


def beyond_range(take: Take, channel: Channel, part: int) -> list[Fault]:
    """Where the bend is drawn further than the range in force reaches: a wider one mends it."""
    if BEND not in channel.lanes:
        return []
    curve, ranges = channel.lanes[BEND].curve, channel.bend_range
    changes = ranges.ticks[ranges.ticks >= curve.ticks[0]]
    # No way goes further than from one value to the next.
    if max(curve.values.max(), -curve.values.min()) <= ranges.at(np.append(curve.ticks[:1] - 1, changes)).min():
        return []
    ticks = np.concatenate((curve.ticks, changes))
    order = np.argsort(ticks, kind="stable")
    # What arrives at a node where it jumps belongs to before it.
    arrives = np.append(curve.ticks[1:] == curve.ticks[:-1], False)[: len(curve)]
    force = ranges.at(ticks - np.append(arrives, np.zeros(len(changes), dtype=bool)))[order]
    ticks, drawn = ticks[order], np.append(curve.values, curve.at(changes))[order]
    # The wheel reaches the full range downwards, and upwards all but one of its 8,192 steps.
    over = np.flatnonzero(np.abs(drawn) > force * (1 + 1e-9))
    if not len(over):
        return []
    worst = over[np.argmax(np.abs(drawn[over]) - force[over])]
    bar = take.meter.position(int(ticks[worst])).bar
    says = (
        f"Pitch bend is drawn {abs(drawn[worst]):.2f} semitones away in bar {bar}, but the range in force there is "
        f"{force[worst]:g}: no more than that is heard."
    )
    ends = np.maximum(np.append(ticks[1:], ticks[-1] + 1), ticks + 1)
    shown = over[:MOST_SPANS]
    spans = list(zip(ticks[shown].tolist(), ends[shown].tolist(), strict=True))
    least = holding(float(np.abs(drawn).max()))
    stroke = _mend("bend.range", part, semitones=least) if least <= MOST_SEMITONES else None
    return [_fault(part, "beyond", says, spans, stroke)]


def _fault(part: int, reason: str, says: str, spans: list[tuple[int, int]], stroke: AnyStroke | None) -> Fault:
    return fault(part, BEND, reason, says, spans, stroke)


def _unstated(take: Take, channel: Channel, part: int) -> list[Fault]:
    """A range that the file never says, or too late: every instrument takes its own for it."""
    if BEND not in channel.lanes or not channel.instrument.is_told:
        return []
    curve = channel.lanes[BEND].curve
    bent = curve.ticks[np.abs(curve.values) > AT_REST]
    if not len(bent) or astray(take, channel):
        return []
    said = [*take.rows.tick[channel.ranges].tolist(), *(one.ticks[2] for one in channel.statements)]
    first, bar = int(bent[0]), take.meter.position(int(bent[0])).bar
    if said and min(said) <= first:
        return []
    when = (
        f"The bend range is said only in bar {take.meter.position(min(said)).bar}" if said else "No bend range is said"
    )
    says = (
        f"{when}, but the wheel is moved from bar {bar} on: an instrument that is set to another than "
        f"{DEFAULT_SEMITONES:g} semitones plays other notes."
    )
    span = (0, min(said)) if said and min(said) else None
    stroke = _mend("bend.range", part, span, semitones=DEFAULT_SEMITONES)
    return [_fault(part, "unstated", says, [(first, first + 1)], stroke)]


def _astray(take: Take, channel: Channel, part: int) -> list[Fault]:
    """Ranges in the wrong order: the value comes before the parameter that it is for, or without it."""
    found = astray(take, channel) if BEND in channel.lanes and channel.instrument.is_told else []
    if not found:
        return []
    tick, semitones = found[0]
    bar = take.meter.position(tick).bar
    says = (
        f"In bar {bar} the value {semitones} comes before any parameter is chosen: as a bend range it is in the wrong "
        f"order, and instruments pass over it. In force there is {float(channel.bend_range.at(tick)):g}."
    )
    # The wheel was moved for the range that was meant.
    span = (tick, take.end + 1) if 0 < tick <= take.end else None
    mends = 0 < semitones <= MOST_SEMITONES
    stroke = _mend("bend.range", part, span, semitones=semitones, keep="travel") if mends else None
    return [_fault(part, "wrong order", says, [(at, at + 1) for at, _ in found], stroke)]


def _unable(take: Take, channel: Channel, part: int) -> list[Fault]:
    """Ranges that are further than the instrument goes."""
    largest = channel.instrument.largest
    steps = channel.bend_range
    if largest is None or BEND not in channel.lanes or not (steps.semitones > largest).any():
        return []
    over = np.flatnonzero(steps.semitones > largest)
    ends = np.append(steps.ticks[1:], max(take.end, int(steps.ticks[-1])) + 1)
    bar = take.meter.position(int(steps.ticks[over[0]])).bar
    says = (
        f"From bar {bar} on the range is {steps.semitones[over[0]]:g}; the instrument goes no further than {largest:g}."
    )
    fits = float(np.abs(channel.lanes[BEND].curve.values).max()) <= largest
    stroke = _mend("bend.range", part, semitones=largest) if fits else None
    spans = [(int(steps.ticks[row]), int(ends[row])) for row in over.tolist()]
    return [_fault(part, "unable", says, spans, stroke)]


def _dense(take: Take, channel: Channel, part: int) -> list[Fault]:
    """More bends than a cable carries: they would come late, and later and later."""
    if BEND not in channel.lanes:
        return []
    bytes_a_second, at = streamed(take, channel, BEND)
    if bytes_a_second <= CABLE:
        return []
    bar = take.meter.position(at).bar
    says = (
        f"In bar {bar} the bend comes to {bytes_a_second:,} bytes a second; a cable of MIDI 1.0 carries {CABLE:,}, "
        "and the rest would come late."
    )
    moves = bool(channel.lanes[BEND].curve.ways.any())
    stroke = _mend("bend.stream", part, per_second=THINNED) if moves else None
    return [_fault(part, "dense", says, [(at, at + 1)], stroke)]


def _mend(kind: str, part: int, span: tuple[int, int] | None = None, **numbers: float | str) -> AnyStroke:
    return parse_stroke({"kind": kind, "where": {"parts": [part], **({"span": span} if span else {})}, **numbers})


def _crowded(take: Take, channel: Channel, part: int) -> list[Fault]:
    """Ranges whose messages come closer together than was asked for: nothing but the music mends that."""
    crowded = [one for one in channel.statements if one.is_crowded]
    if not crowded:
        return []
    bar = take.meter.position(crowded[0].ticks[0]).bar
    says = f"In bar {bar} the music leaves little room to say the bend range: a slow instrument may miss it."
    return [_fault(part, "crowded", says, [(one.ticks[0], one.ticks[-1] + 1) for one in crowded], None)]


def _away(take: Take, channel: Channel, part: int) -> list[Fault]:
    """A wheel that never comes home, one that is out in a rest, and one that rests off its centre."""
    if BEND not in channel.lanes:
        return []
    found: list[Fault] = []
    curve = channel.lanes[BEND].curve
    last, value = int(curve.ticks[-1]), float(curve.values[-1])
    off = off_centre(take, channel)
    if abs(value - off) > AT_REST:
        way = "up" if value > 0 else "down"
        says = f"The wheel never comes home: it ends {abs(value):.2f} semitones {way}, and what is next begins there."
        found.append(_fault(part, "never home", says, [(last, last + 1)], _mend("bend.home", part)))
    home, after = rests_out(take, channel, 0.0)
    stays = (after <= take.end) & (np.abs(curve.at(after) - off) > AT_REST)
    stays &= np.searchsorted(curve.ticks, after, side="right") == np.searchsorted(curve.ticks, home, side="right")
    if stays.any():
        home, after = home[stays], after[stays]
        bar = take.meter.position(int(home[0])).bar
        where = f"in {len(home)} rests, the first in bar {bar}" if len(home) > 1 else f"in the rest in bar {bar}"
        says = f"The wheel stays out {where}: the next phrase begins bent."
        spans = list(zip(home.tolist(), after.tolist(), strict=True))
        found.append(_fault(part, "out in a rest", says, spans, _mend("bend.home", part)))
    if abs(off) * 100 >= LEAST_CENTS:
        says = f"At rest the wheel is {abs(off) * 100:.0f} cents {'sharp' if off > 0 else 'flat'}."
        first = int(curve.ticks[np.flatnonzero(np.isclose(curve.values, off))[0]])
        centre = _mend("bend.centre", part)
        found.append(_fault(part, "off centre", says, [(first, first + 1)], centre))
    return found


BEND_FAULTS = (beyond_range, _unstated, _astray, _unable, _crowded, _dense, _away)
"""All of them: each tells what it finds on a channel, as a fault of a part on it."""

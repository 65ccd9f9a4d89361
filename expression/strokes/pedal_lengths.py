"""What the foot does for the fingers: pedal into lengths, and lengths into pedal."""

from typing import Annotated, Literal

import numpy as np
from pydantic import Field
from typing_extensions import override

from expression.arrays import Flags, Ints, contained, looked_up, merged, union, whole
from expression.chords import chord_onsets
from expression.curve import NO_NODES
from expression.errors import NothingMatched
from expression.lanes import OFF, ON, SOSTENUTO, SUSTAIN, THRESHOLD
from expression.memo import worked_out
from expression.notes import Notes
from expression.piece import Piece
from expression.sounding import Pressed, Sounding, next_struck, notes_off, pressed, sounding
from expression.strokes.foot import EARLY, SPLIT, FootStroke, Held, chosen_in, throughout
from expression.strokes.lane import Spot, lane_of
from expression.strokes.note_stroke import on_page
from expression.strokes.pedals import Spans, Threshold, footed
from expression.strokes.spec import Gesture, Spec, entry, yes_no
from expression.take import Channel, Take


class PedalToLengths(FootStroke):
    """Notes end where they sounded to, and the pedal that held them goes: what is heard stays as it was.

    A note that the pedal held ends when that comes up, or when its key is struck again. Where the pedal holds notes
    that are not chosen it stays.
    """

    kind: Literal["pedal.to_lengths"] = "pedal.to_lengths"
    spec = Spec(
        "pedal",
        "Pedal into lengths",
        says="Notes end where they sounded to, and the pedal that held them goes. It is heard as before.",
        asks=(
            entry("threshold", "Holds from"),
            entry("gap_ms", "Gap (ms)", 5),
            entry("longest", "At most (beats)", 1, "as long"),
            yes_no("keep_pedal", "Pedal stays"),
        ),
        gestures=(
            Gesture(
                "longer",
                "Into lengths",
                "Notes end where the pedal let them sound to",
                "pedal to note lengths extend apply sustain fingers",
                "Pedal",
                where="span or chosen",
            ),
        ),
        lane="cc:64",
    )
    threshold: Threshold = Field(64.0, description="A pedal holds from here upwards.")
    gap_ms: Annotated[float, Field(ge=0, le=10_000)] = Field(
        0.0, description="So much before its key is struck again a note ends at the latest, if its finger lets it."
    )
    longest: Annotated[float | None, Field(gt=0, le=1_000_000)] = Field(
        None, description="Beats: no note becomes longer than this; absent: as long as it sounded."
    )
    keep_pedal: bool = Field(False, description="The pedal stays as well.")

    @override
    def held(self, take: Take) -> list[Held]:
        return _to_lengths(self, take)

    @override
    def apply(self, take: Take) -> Take:
        made = take
        for held in self.held(take):
            made = _ended(made, held)
            if not self.keep_pedal:
                presses = pressed(take, held.channel, SUSTAIN, self.threshold)
                made = _pedalled(made, held, self.span(take, held), presses, self.threshold)
        return made

    @override
    def also(self, take: Take) -> str:
        grown = longest = again = 0
        for held in self.held(take):
            grows = held.key_up > held.sounds.key_up
            grown += int(grows.sum())
            longest = max(longest, int((held.key_up - held.sounds.start)[grows].max(initial=0)))
            again += int((held.chosen & held.sounds.again).sum())
        if not grown:
            return "No note grows: none was held by the pedal alone."
        beats = f"{longest / take.resolution:.3g} beats"
        notes = "1 note grows" if grown == 1 else f"{grown:,} notes grow"
        cut = "" if not again else f"; {again:,} end where their keys are struck again"
        return f"{notes}, the longest to {beats}{cut}."

    @override
    def label(self) -> str:
        return "Pedal into lengths" + (", pedal kept" if self.keep_pedal else "")


class PedalFromLengths(FootStroke):
    """Notes as short as fingers hold them, and the pedal where what sounds on needs it: what is heard stays as it was.

    The pedal goes down only where nothing ends that it would hold: what it would make longer the fingers hold instead.
    Hands are told apart at middle C, where a part goes to both sides of it.
    """

    kind: Literal["pedal.from_lengths"] = "pedal.from_lengths"
    spec = Spec(
        "pedal",
        "Lengths into pedal",
        says="Notes as short as fingers hold them, and the pedal where it is needed. It is heard as before.",
        asks=(entry("finger_ms", "Fingers hold (ms)", 50, "to the next chord"),),
        gestures=(
            Gesture(
                "shorter",
                "From lengths",
                "Long notes become short ones that the pedal holds",
                "note lengths to pedal shorten fingers",
                "Pedal",
                where="span or chosen",
            ),
        ),
        lane="cc:64",
    )
    finger_ms: Annotated[float | None, Field(gt=0, le=60_000)] = Field(
        None, description="How long fingers hold; absent: to the next chord of the same hand."
    )

    @override
    def held(self, take: Take) -> list[Held]:
        return _from_lengths(self, take)

    @override
    def span(self, take: Take, held: Held) -> tuple[int, int]:
        # What begins within the span may need the pedal beyond it.
        start, end = super().span(take, held)
        return start, max(end, int(held.sounds.end[held.chosen].max()))

    @override
    def apply(self, take: Take) -> Take:
        made = take
        for held in self.held(take):
            presses = pressed(take, held.channel, SUSTAIN)
            made = _pedalled(_ended(made, held), held, self.span(take, held), presses)
        return made

    @override
    def also(self, take: Take) -> str:
        short = sum(int((held.key_up < held.sounds.key_up).sum()) for held in self.held(take))
        return "1 note becomes shorter." if short == 1 else f"{short:,} notes become shorter."

    @override
    def label(self) -> str:
        return "Lengths into pedal"


@worked_out(8)
def _to_lengths(stroke: PedalToLengths, take: Take) -> list[Held]:
    found = []
    for channel, sounds, chosen in chosen_in(stroke.where, take, stroke.threshold):
        if not any(len(pressed(take, channel, key, stroke.threshold).down) for key in (SUSTAIN, SOSTENUTO)):
            continue
        until = sounds.end.copy()
        if len({part.track for part in take.parts_on(channel)}) > 1:
            # Of two tracks, either may be told first at a tick: what ends there has to end before.
            until = np.where(sounds.again, until - 1, until)
        if stroke.gap_ms:
            # Whether that ends it, or the pedal has come up just before.
            since = np.maximum(sounds.key_up, sounds.start + 1)
            row = next_struck(sounds.pitch, sounds.start, sounds.pitch, since)
            strikes = sounds.start[row]
            before = whole(take.tempo.tick(np.maximum(take.tempo.seconds(strikes) - stroke.gap_ms / 1000, 0)))
            until = np.where(row >= 0, np.minimum(until, before), until)
        if stroke.longest is not None:
            until = np.minimum(until, sounds.start + max(round(stroke.longest * take.resolution), 1))
        # What fingers hold longer stays.
        key_up = np.where(chosen, np.maximum(until, sounds.key_up), sounds.key_up)
        # What a message lets go of all keys at before that cannot be held by its key: the pedal goes on holding it.
        offs = np.append(notes_off(take, channel), np.iinfo(np.int64).max)
        key_up = np.where(offs[np.searchsorted(offs, sounds.key_up)] < key_up, sounds.key_up, key_up)
        held = Held(channel, sounds, chosen, key_up, np.zeros(len(chosen), dtype=bool))
        # A key that sostenuto would catch now, where that stays, is let go as before; and what held it stays too.
        while True:
            downs, ups, stays = _catching(take, held._replace(key_up=key_up), stroke.span(take, held), stroke.threshold)
            stays |= stroke.keep_pedal
            grown = key_up.copy()
            for down, up in zip(downs[stays].tolist(), ups[stays].tolist(), strict=True):
                caught = (sounds.start <= down) & (sounds.key_up <= down) & (key_up >= down) & (key_up <= up)
                key_up = np.where(caught, sounds.key_up, key_up)
            if (grown == key_up).all():
                break
        presses = pressed(take, channel, SUSTAIN, stroke.threshold)
        bare = _without(take, channel, SOSTENUTO, stroke.threshold)
        by_sustain = _by_sustain(presses, bare, sounds) | (sounds.again & (_down(presses, sounds.end) < sounds.end))
        needs = (key_up == sounds.key_up) & (key_up < sounds.end) & by_sustain
        found.append(held._replace(key_up=key_up, needs=needs))
    if not found:
        raise NothingMatched("No pedal is pressed here that could become lengths.")
    return found


@worked_out(8)
def _from_lengths(stroke: PedalFromLengths, take: Take) -> list[Held]:
    found = []
    for channel, sounds, named in chosen_in(stroke.where, take, THRESHOLD):
        bare = _without(take, channel, SOSTENUTO)
        # What only sostenuto holds is left as it is.
        chosen = named & (bare.end == sounds.end)
        if stroke.finger_ms is None:
            wanted = _next_chord(take, sounds)
        else:
            wanted = whole(take.tempo.tick(take.tempo.seconds(sounds.start) + stroke.finger_ms / 1000))
        # The pedal may only go down once all has ended that it would make longer.
        # A reset lifts it, even where it is pressed again at once.
        resets = take.rows.tick[channel.resets]
        ends = union(sounds.end[~sounds.again], resets)
        before = np.searchsorted(ends, sounds.end) - 1
        least = np.maximum(np.where(before >= 0, ends[np.maximum(before, 0)], -1), sounds.start) + 1 + EARLY
        key_up = np.where(chosen, np.minimum(sounds.key_up, np.maximum(wanted, least)), sounds.key_up)
        # Where the pedal goes down as it did, nothing ends by it at that tick.
        presses = pressed(take, channel, SUSTAIN)
        down = _down(presses, sounds.end)
        last = stroke.span(take, Held(channel, sounds, named, key_up, named))[1]
        while True:
            needs = _by_sustain(presses, bare, sounds) & (key_up < sounds.end)
            as_before = key_up == sounds.key_up
            stays = np.concatenate((down[needs & as_before], presses.down[presses.down >= last]))
            stuck = ~as_before & ~sounds.again & contained(sounds.end, np.sort(stays))
            if not stuck.any():
                break
            key_up = np.where(stuck, sounds.key_up, key_up)
        found.append(Held(channel, sounds, named, key_up, needs))
    if not any((held.key_up != held.sounds.key_up).any() for held in found):
        raise NothingMatched("No note here is longer than fingers would hold it, or could be shorter unheard.")
    return found


def _without(take: Take, channel: Channel, key: str, threshold: float = THRESHOLD) -> Sounding:
    """How long notes would sound without a pedal."""
    if key not in channel.lanes:
        return sounding(take, channel, threshold)
    bare = take.with_lane(channel.id, lane_of(take, channel, key).reshaped(NO_NODES))
    return sounding(bare, bare.channels[channel.id], threshold)


def _next_chord(take: Take, sounds: Sounding) -> Ints:
    """When the next chord of the same hand of the same part begins; never: where the note is let go."""
    wanted = sounds.key_up.copy()
    for part in union(sounds.part):
        own = sounds.part == part
        both = bool((sounds.pitch[own] < SPLIT).any() and (sounds.pitch[own] >= SPLIT).any())
        for hand in (sounds.pitch < SPLIT, sounds.pitch >= SPLIT) if both else (own,):
            rows = np.flatnonzero(own & hand)
            onsets = chord_onsets(sounds.start[rows], take.resolution)
            chords = union(onsets)
            following = np.searchsorted(chords, onsets, side="right")
            has = following < len(chords)
            wanted[rows[has]] = chords[following[has]]
    return wanted


def _ended(take: Take, held: Held) -> Take:
    """The take with notes whose keys are let go at other times. The written page follows: the foot's work is seen."""
    changed: dict[int, Notes] = {}
    differ = held.key_up != held.sounds.key_up
    for part in union(held.sounds.part[differ]).tolist():
        notes = take.parts[part].notes
        mine = differ & (held.sounds.part == part)
        rows, _ = looked_up(held.sounds.id[mine], notes.id)
        end, touched = notes.end.copy(), np.zeros(len(notes), dtype=bool)
        end[rows], touched[rows] = held.key_up[mine], True
        changed[part] = notes.put(**on_page(notes, touched, notes.start[touched], end[touched], True))
    return take.with_notes(changed) if changed else take


def _pedalled(
    take: Take, held: Held, span: tuple[int, int], presses: Pressed, as_deep_from: float | None = None
) -> Take:
    """The take with its sustain down where it is needed alone, within a span; `presses` is where it was down before.

    With a threshold that is as deep as it was, and sostenuto goes with it where no note needs that.
    """
    channel = take.channels[held.channel.id]
    # Where fingers are let go as before, the pedal goes down as it did.
    as_before = held.key_up == held.sounds.key_up
    down = np.where(as_before, _down(presses, held.sounds.end), held.key_up - EARLY)
    needed = Spans.of(*merged(down[held.needs], held.sounds.end[held.needs]), ON).within(*span)
    if as_deep_from is None:
        told = {SUSTAIN: needed.filled(*span)}
    else:
        # What stays is as deep as it was: only what lies between is lifted.
        downs, ups, stays = _catching(take, held, span, as_deep_from)
        told = {SUSTAIN: needed.up_between(*span), SOSTENUTO: Spans.of(downs[~stays], ups[~stays], OFF)}
    for key, spans in told.items():
        if key not in channel.lanes and as_deep_from is not None:
            continue
        spot = Spot(channel, [], lane_of(take, channel, key))
        lane = footed(spot, spans, resumes=span[1] <= take.end)
        if span == throughout(take) and not (lane.curve.values >= 1).any():
            # Of a pedal that is never pressed nothing has to be said.
            lane = spot.laid(Piece(0, max(take.end, span[1]) + 1, NO_NODES), resumes=False)
        take = take.with_lane(channel.id, lane)
    return take


def _down(presses: Pressed, ends: Ints) -> Ints:
    """When the sustain went down that was down last before each of some ticks."""
    if not len(presses.up):
        return ends
    return np.asarray(presses.down[np.minimum(np.searchsorted(presses.up, ends), len(presses.up) - 1)])


def _by_sustain(presses: Pressed, bare: Sounding, sounds: Sounding) -> Flags:
    """Which notes sustain can hold to their ends: sostenuto does not, or only until sustain takes over."""
    return np.asarray((bare.end == sounds.end) | contained(sounds.end, presses.up))


def _catching(take: Take, held: Held, span: tuple[int, int], threshold: float) -> tuple[Ints, Ints, Flags]:
    """Where sostenuto is pressed, until when, and whether it stays so: it reaches beyond the span, or holds others."""
    channel, sounds = held.channel, held.sounds
    presses = pressed(take, channel, SOSTENUTO, threshold)
    stays = (presses.down < span[0]) | (presses.up > span[1])
    if not len(stays):
        return presses.down, presses.up, stays
    bare = _without(take, channel, SOSTENUTO, threshold)
    others = (held.key_up == sounds.key_up) & (bare.end != sounds.end)
    for row, (down, up) in enumerate(zip(presses.down.tolist(), presses.up.tolist(), strict=True)):
        stays[row] |= bool((others & (sounds.start <= down) & (sounds.key_up >= down) & (sounds.key_up <= up)).any())
    return presses.down, presses.up, stays

"""Strokes on a take: try them, keep them, change them, undo and redo."""

from collections.abc import Callable, Sequence
from typing import NamedTuple, TypeVar
from uuid import UUID

from django.contrib.auth.models import AbstractBaseUser
from django.db import transaction

from expression import views
from expression.errors import NothingMatched
from expression.history import History, Shaped
from expression.lanes import BEND
from expression.midi.files import FileKind
from expression.midi.write import Way
from expression.moving import moved
from expression.selection import AnyRule, select_by
from expression.strokes import AnyStroke, Where
from expression.take import Part
from expression.take import Take as Recording
from expression.time import Sight
from expression.views.checkup import SpotView
from expression.views.compare import Comparison
from expression.views.delta import Delta
from expression.views.events import EventPage, Order
from expression.views.facts import Facts
from expression.views.fault import Fault
from expression.views.own_lanes import OwnFacts
from expression.views.reasons import Reason
from expression.views.wire import Wire
from studio.models import Take
from studio.services import arrangement, steps, takes
from studio.services.answers import Chosen, DeskView, HistoryView, Lanes, Preview, ProofView, Written
from studio.services.folding import cache, folded, went_on

Told = TypeVar("Told")


class Seen(NamedTuple):
    """What who changes a take is looking at: the part whose lanes are open, the notes that are chosen, and those whose
    curves of one kind are.
    """

    part: int | None = None
    where: Where | None = None
    own: tuple[Where, str] | None = None


NOTHING_SEEN = Seen()


class Stale(Exception):
    """The take has moved on since the revision that the caller knows. Carries the newer history."""

    def __init__(self, newer: HistoryView) -> None:
        super().__init__("stale")
        self.newer = newer


def history(take: Take) -> HistoryView:
    """The strokes of a take as the desk lists them."""
    return {"revision": take.revision, **views.strokes.history(folded(take.pk, take.revision))}


def desk(take: Take) -> DeskView:
    """All that the desk draws."""
    known = folded(take.pk, take.revision)
    return {
        **views.page.page(known.now.take),
        "id": take.pk,
        "name": take.name,
        "history": history(take),
        "arrangement": arrangement.of(take),
    }


def facts(owner: AbstractBaseUser, take_id: UUID, revision: int, where: Where) -> Facts:
    """The facts of a selection."""
    return views.facts.facts(_at(owner, take_id, revision).now.take, where)


def seen(take: Take, before: int | None = None) -> Recording:
    """The take as it is, or as it was before a stroke (0: the newest)."""
    known = folded(take.pk, take.revision)
    if before is None:
        return known.now.take
    return known.before_stroke(before) if before else known.before


def before(take: Take, number: int | None, part: int | None) -> Delta:
    """What differs from the take as it is in the take as it was before a stroke (the newest where none is named)."""
    known = folded(take.pk, take.revision)
    return views.delta.compared(known.now.take, known.before_stroke(number) if number else known.before, part)


def preview(
    owner: AbstractBaseUser,
    take_id: UUID,
    revision: int,
    stroke: AnyStroke,
    number: int | None,
    pull: tuple[int, float] | None,
    part: int | None,
    sight: Sight | None,
    whole: bool = False,
) -> Preview:
    """What a stroke would change, without keeping it. With `number`, as that stroke's new numbers.

    With `pull` (tick, value), the stroke is first formed to pass there, as a grip on the line asks. Of the lanes, those
    of one `part` are told node by node; of notes those between two ticks, which are in `sight`. Where that is little
    of very much, no more is worked out, unless the `whole` is asked for.
    """
    known = _at(owner, take_id, revision)
    if pull is not None:
        stroke = stroke.fitted(known.met_by(number), *pull)
    part_of, tried = _seen(take_id, known, stroke, number, None if whole else sight)
    told = views.delta.tried(known.now.take, tried.now.take, part, sight)
    if whole:
        # The hand rests: what keeping it will tell is worked out now. Whoever keeps it does not wait for that then.
        cache.foretell(take_id, tried, part, views.delta.delta(known.now.take, tried.now.take, part))
    known_part = part is not None and part < len(tried.now.take.parts)
    shows = stroke.spec.evidence
    bends = part is not None and any(one["key"] == BEND for one in told["lanes"])
    return {
        "delta": told,
        "stroke": stroke,
        "mark": views.strokes.mark(known.met_by(number), stroke),
        "saving": views.lanes.saving(known.now.take, tried.now.take) if "saving" in shows else None,
        "facts": views.facts.facts(tried.now.take, stroke.target) if "facts" in shows else None,
        "beyond": views.bend_faults.beyond(known.met_by(number), tried.now.take, part)
        if bends and part is not None
        else None,
        "also": _also(tried, part_of, number, known.met_by(number), part_of is stroke),
        "proof": views.proof.proof(tried.now.take, tried.now.take.parts[part])
        if known_part and "sent" in shows and part is not None
        else None,
        # (Where only some of it was worked out that does something.)
        "idle": part_of is stroke and known.now.take.is_like(tried.now.take),
        "whole": part_of is stroke,
    }


def commit(
    owner: AbstractBaseUser, take_id: UUID, revision: int, stroke: AnyStroke, seen_: Seen = NOTHING_SEEN
) -> Written:
    """Keep a new stroke."""
    return _write(owner, take_id, revision, lambda known: known.add(stroke), None, seen_)


def change(
    owner: AbstractBaseUser,
    take_id: UUID,
    revision: int,
    number: int,
    stroke: AnyStroke | None,
    on: bool | None,
    begins: int | None = None,
    seen_: Seen = NOTHING_SEEN,
) -> Written:
    """Other numbers for a stroke, other bars that it `begins` in (ticks), or switch it off or on."""
    if begins is not None:
        known = _at(owner, take_id, revision)
        stroke = moved(stroke or known.history.entry(number).stroke, known.met_by(number), begins)
    asked = number if stroke else 0
    return _write(owner, take_id, revision, lambda history: history.change(number, stroke, on), asked, seen_)


def delete(owner: AbstractBaseUser, take_id: UUID, revision: int, number: int, seen_: Seen = NOTHING_SEEN) -> Written:
    """Take a stroke out of the history."""
    return _write(owner, take_id, revision, lambda known: known.delete(number), 0, seen_)


def undo(owner: AbstractBaseUser, take_id: UUID, revision: int, seen_: Seen = NOTHING_SEEN) -> Written:
    """One step back."""
    return _write(owner, take_id, revision, History.undo, 0, seen_)


def redo(owner: AbstractBaseUser, take_id: UUID, revision: int, seen_: Seen = NOTHING_SEEN) -> Written:
    """One step forward."""
    return _write(owner, take_id, revision, History.redo, 0, seen_)


def jump(owner: AbstractBaseUser, take_id: UUID, revision: int, step: int, seen_: Seen = NOTHING_SEEN) -> Written:
    """To any point of the history."""
    return _write(owner, take_id, revision, lambda known: known.jump(step), 0, seen_)


def choose(owner: AbstractBaseUser, take_id: UUID, revision: int, where: Where, rule: AnyRule) -> Chosen:
    """The notes that a rule picks, and how many they are."""
    notes = select_by(_at(owner, take_id, revision).now.take, where, rule)
    return {"notes": notes, "count": sum(last - first + 1 for first, last in notes)}


def part_of(recording: Recording, part: int) -> Part:
    """A part by its id. Raises NothingMatched."""
    if part >= len(recording.parts):
        raise NothingMatched(f"This take has no part {part}.", "part")
    return recording.parts[part]


def checkup(take: Take) -> list[SpotView]:
    """What is broken, and what reads as programmed, of the take as it is."""
    return views.checkup.checkup(seen(take))


def faults(take: Take) -> list[Fault]:
    """What nobody played, each with the stroke that takes it away."""
    return views.faults.faults(seen(take))


def unsent(take: Take, kind: FileKind | None, cues: bool, one_track: bool) -> list[Fault]:
    """What will not sound as it is drawn in a file of some form."""
    now = seen(take)
    return views.unsent.unsent(now if cues else now.without_cues(), kind, one_track)


def compared(take: Take, before: int | None, other: Take | None, until: int | None) -> Comparison:
    """What differs from the take as it was before a stroke (0: the newest), or from another, to it as it is, or as it
    was before another stroke (`until`).
    """
    now = seen(take, until)
    if other is not None:
        return views.compare.comparison(seen(other), now, by_ids=False)
    return views.compare.comparison(seen(take, before or 0), now, by_ids=True)


def wire(take: Take, kind: Way | None) -> Wire:
    """What the busiest cable has to carry."""
    return views.wire.wire(seen(take), kind)


def sheet(take: Take) -> bytes:
    """What was done to a take, as a PDF."""
    return views.sheet.sheet(folded(take.pk, take.revision), take.name)


def lanes(take: Take, part: int) -> Lanes:
    """The nodes of every lane of a part."""
    parts = seen(take).parts
    if part >= len(parts):
        return {"revision": take.revision, "lanes": [], "own": []}
    return {
        "revision": take.revision,
        "lanes": views.lanes.lanes(parts[part]),
        "own": views.own_lanes.own_lanes(parts[part]),
    }


def own_facts(owner: AbstractBaseUser, take_id: UUID, revision: int, where: Where, lane: str) -> OwnFacts:
    """How the values of chosen notes' curves are spread."""
    return views.own_lanes.own_facts(_at(owner, take_id, revision).now.take, where, lane)


def proof(take: Take, part: int) -> ProofView:
    """What a receiver makes of the bytes of a part (of none, where it is not there)."""
    now = seen(take)
    if part >= len(now.parts):
        return {"revision": take.revision, "lanes": [], "cable": 0, "most": views.proof.CABLE}
    return {"revision": take.revision, **views.proof.proof(now, now.parts[part])}


def events(
    take: Take,
    first: int,
    count: int,
    kinds: list[str] | None,
    parts: list[int] | None,
    note: int | None,
    order: Order = "time",
    falling: bool = False,
) -> EventPage:
    """A page of the event list."""
    return views.events.page(seen(take), first, count, kinds, parts, note, order, falling)


def rehearsed(
    owner: AbstractBaseUser, take_id: UUID, revision: int, stroke: AnyStroke, number: int | None
) -> Recording:
    """The take as a stroke would leave it, to be heard."""
    return _tried(take_id, _at(owner, take_id, revision), stroke, number).now.take


def reasons(
    owner: AbstractBaseUser, take_id: UUID, revision: int, note: int, stroke: AnyStroke | None, number: int | None
) -> list[Reason]:
    """What each rule did to a note, with the stroke that is tried."""
    known = _at(owner, take_id, revision)
    return views.reasons.reasons(_tried(take_id, known, stroke, number) if stroke else known, note)


def _tried(take_id: UUID, known: Shaped, stroke: AnyStroke, number: int | None) -> Shaped:
    """The take through a stroke that is not kept yet. Raises NothingMatched."""
    tried = _nearest(take_id, known).with_history(_with(known.history, stroke, number))
    _refuse_idle(tried, number)
    cache.try_out(take_id, known, tried)
    return tried


def _seen(
    take_id: UUID, known: Shaped, stroke: AnyStroke, number: int | None, sight: Sight | None
) -> tuple[AnyStroke, Shaped]:
    """As much of a stroke as is to be seen, and the take through that. Raises NothingMatched."""
    part_of = stroke.seen(known.met_by(number), *sight) if sight else stroke
    if part_of is not stroke:
        try:
            tried = _tried(take_id, known, part_of, number)
            if not known.now.take.is_like(tried.now.take):
                return part_of, tried
        except NothingMatched:
            # Nothing of it lies there: what all of it does is told.
            pass
    return stroke, _tried(take_id, known, stroke, number)


def _nearest(take_id: UUID, known: Shaped) -> Shaped:
    """What was tried last on a take, where it was tried on this: of what both have in common nothing is made again."""
    return cache.tried(take_id, known) or known


def _also(tried: Shaped, stroke: AnyStroke, number: int | None, met: Recording, is_whole: bool) -> str:
    """What a stroke does besides, in a sentence that says how much of it was looked at."""
    said = _as_kept(tried, stroke, number).also(met)
    return said if is_whole or not said else f"In sight: {said}"


def _as_kept(tried: Shaped, stroke: AnyStroke, number: int | None) -> AnyStroke:
    """A stroke as the history has it: what was worked out when it was tried is known of that one."""
    entry = next((one for one in reversed(tried.entries) if number in (None, one.number)), None)
    return entry.stroke if entry is not None and entry.stroke.kind == stroke.kind else stroke


def _with(history: History, stroke: AnyStroke, number: int | None) -> History:
    return history.add(stroke) if number is None else history.change(number, stroke)


def _refuse_idle(tried: Shaped, number: int | None) -> None:
    """A stroke that is being made must match something. `number` None is the newest, 0 is none."""
    asked = tried.entries[-1].number if number is None else number
    if asked in tried.now.idle:
        raise NothingMatched(*tried.now.idle[asked])


def _at(owner: AbstractBaseUser, take_id: UUID, revision: int) -> Shaped:
    """The take at the revision that is asked for. What was asked for just before needs no question to the database.

    Should another process have written since, that is told when a stroke is kept. Raises NoSuchTake, Stale.
    """
    known = cache.lent(take_id, revision, owner.pk)
    if known is None:
        if takes.revision(owner, take_id) != revision:
            raise Stale(history(takes.get(owner, take_id)))
        known = folded(take_id, revision)
        cache.lend(take_id, owner.pk)
    return known


def _write(
    owner: AbstractBaseUser,
    take_id: UUID,
    revision: int,
    act: Callable[[History], History],
    asked: int | None,
    seen_: Seen,
) -> Written:
    """Change the history, and tell what that changes in the take."""
    known = _at(owner, take_id, revision)
    made = _nearest(take_id, known).with_history(act(known.history))
    _refuse_idle(made, asked)
    newer = revision + 1
    # The take goes on only from the revision that all this was made of: who writes at once finds another then.
    if not steps.go_on(owner, take_id, revision, known.history, made.history):
        raise Stale(history(takes.get(owner, take_id)))
    told = cache.foretold(take_id, made.now.take, seen_.part)
    cache.put(take_id, newer, made)
    went_on(take_id, newer)
    chosen, own = ((seen_.where,) if seen_.where else ()), seen_.own or ()
    return {
        "delta": told or views.delta.delta(known.now.take, made.now.take, seen_.part),
        "history": {"revision": newer, **views.strokes.history_change(known, made)},
        "facts": _or_none(views.facts.facts, made.now.take, *chosen),
        "own_facts": _or_none(views.own_lanes.own_facts, made.now.take, *own),
    }


def _or_none(facts: Callable[..., Told], take: Recording, *of: object) -> Told | None:
    """Facts of some notes; nothing, where none are asked for, or there are no such notes."""
    try:
        return facts(take, *of) if of else None
    except NothingMatched:
        return None


def append(take: Take, strokes: Sequence[tuple[AnyStroke, bool]]) -> list[int]:
    """Strokes after all others of a take that is `locked`, each on or off; also such as change nothing now.

    Gives their numbers. What was played while others shaped on is added to what they have made.
    """
    known = folded(take.pk, take.revision)
    history_ = known.history
    for stroke, on in strokes:
        history_ = history_.add(stroke, on)
    steps.add(take.pk, known.history, history_)
    take.done = history_.done
    take.revision += 1
    take.save(update_fields=["done", "revision", "changed_at"])
    made, revision = known.with_history(history_), take.revision
    transaction.on_commit(lambda: cache.put(take.pk, revision, made))
    return [step.number for step in history_.steps[history_.done - len(strokes) :]]


def locked(owner: AbstractBaseUser, take_id: UUID) -> Take:
    """A take that nobody else changes until the transaction is over. Raises NoSuchTake."""
    take = takes.owned(owner).select_for_update().filter(pk=take_id).first()
    if take is None:
        raise takes.NoSuchTake
    return take

"""A sound beside a take: kept with it, moved, traced, followed, taken away."""

import base64

from expression import sound, tune
from expression.documents import Document
from expression.errors import NothingMatched
from expression.lanes import BEND, NOTE_LANES
from expression.limits import MOST_POINTS
from expression.strokes import AnyStroke, Where, parse_stroke
from studio.models import Take, TakeSound
from studio.services import bulk, quota
from studio.services.answers import SoundView
from studio.services.progress import NOBODY, Progress
from studio.services.shaping import part_of, seen
from studio.services.takes import NoSuchTake, clean_name


def add(take: Take, file_name: str, data: bytes, progress: Progress = NOBODY) -> SoundView:
    """Keep a WAV file beside a take, in place of any other. Raises BadFile, and then nothing has changed."""
    quota.check(take.owner, len(data), 0)
    heard = sound.decode(data)
    packed = sound.pack(heard, progress.part(0, 0.7).tell)
    return _view(keep(take, file_name, heard, packed, progress.part(0.7, 1)))


def keep(
    take: Take, name: str, heard: sound.Sound, packed: bytes, progress: Progress = NOBODY, offset: float = 0.0
) -> TakeSound:
    """Keep what was packed beside a take."""
    kept, _ = TakeSound.objects.update_or_create(
        take=take,
        defaults={
            "name": clean_name(name) or "Sound",
            "file": bulk.keep(packed, bulk.SOUNDS, "flac"),
            "size": len(packed),
            "peaks": sound.peaks(heard, progress.tell).tobytes(),
            "seconds": heard.seconds,
            "offset": offset,
            "tune": None,
        },
    )
    return kept


def of(take: Take) -> SoundView | None:
    """What is known of a take's sound; None where it has none."""
    kept = TakeSound.objects.filter(take=take).first()
    return _view(kept) if kept else None


def move(take: Take, offset: float) -> SoundView:
    """Let it begin at another time of the take (seconds; before 0 its beginning is not heard)."""
    kept = _kept(take)
    kept.offset = offset
    kept.save(update_fields=["offset"])
    return _view(kept)


def remove(take: Take) -> None:
    """Take it away."""
    TakeSound.objects.filter(take=take).delete()


def data(take: Take) -> bytes:
    """The sound itself, as FLAC."""
    return bulk.read(_kept(take).file)


def follow(take: Take, progress: Progress) -> None:
    """Measure what the sound sings, and keep that with it. Raises BadFile where it is too long."""
    kept = _kept(take)
    kept.tune = tune.packed(tune.followed(sound.unpack(bulk.read(kept.file)), progress.tell))
    kept.save(update_fields=["tune"])


def _tune(kept: TakeSound) -> tune.Tune:
    if kept.tune is None:
        raise NothingMatched("The pitch of this sound has not been followed yet.")
    return tune.unpacked(bytes(kept.tune))


def sing(take: Take, part: int, correction: float, lane: str = BEND) -> AnyStroke:
    """The stroke that bends a part as the sound sings: the wheel, or each note by itself."""
    kept = _kept(take)
    recording = seen(take)
    points = tune.sung(recording, part_of(recording, part), _tune(kept), kept.offset, correction)
    return _drawn(part, lane, points, tune.TOLERANCE)


def shine(take: Take, part: int, lane: str, low: float, high: float, tolerance: float) -> AnyStroke:
    """The stroke that draws a lane after the sound's brightness."""
    kept = _kept(take)
    return _drawn(part, lane, tune.shining(seen(take), _tune(kept), kept.offset, low, high), tolerance)


def attacks(take: Take, where: Where) -> AnyStroke:
    """The stroke that brings notes to where the sound is struck."""
    kept = _kept(take)
    ticks = tune.struck(seen(take), _tune(kept), kept.offset)
    return parse_stroke({"kind": "notes.follow", "where": where.model_dump(), "attacks": ticks[:MOST_POINTS].tolist()})


def _drawn(part: int, lane: str, points: list[tuple[int, float]], tolerance: float) -> AnyStroke:
    """Of very many points every second, third ... is drawn."""
    points = points[:: -(-len(points) // MOST_POINTS)]
    told = {"lane": lane, "points": points, "tolerance": tolerance, "in_take": lane in NOTE_LANES}
    return parse_stroke({"kind": "lane.draw", "where": {"parts": [part]}, **told})


def trace(take: Take, part: int, lane: str, numbers: Document, tolerance: float) -> AnyStroke:
    """The stroke that draws a lane after the sound's loudness."""
    kept = _kept(take)
    points = sound.traced(seen(take), sound.unpack(bulk.read(kept.file)), kept.offset, **numbers)
    return _drawn(part, lane, points, tolerance)


def _kept(take: Take) -> TakeSound:
    kept = TakeSound.objects.filter(take=take).first()
    if kept is None:
        raise NoSuchTake
    return kept


def _view(kept: TakeSound) -> SoundView:
    return {
        "name": kept.name,
        "seconds": round(kept.seconds, 3),
        "offset": kept.offset,
        "peaks_a_second": sound.PEAKS_A_SECOND,
        "peaks": base64.b64encode(bytes(kept.peaks)).decode(),
        "followed": kept.tune is not None,
    }

"""What any input may be at most: the one place in which it is said, and from which docs/limits.md is made.

A limit holds before anything is built, as far as an input tells its size; what is beyond is refused in a sentence.
"""

from typing import NamedTuple

KIB = 2**10
MIB = 2**20
GIB = 2**30

MOST_FILE_BYTES = 32 * MIB
MOST_TRACKS = 128
MOST_EVENTS = 1_000_000
MOST_HOURS = 24
MOST_BARS = 50_000
LAST_TICK = 2**40
"""No take lasts longer than this."""
LONGEST_NAME = 200
FARTHEST = 2**24
"""So many ticks a stroke may go on after the take has ended: about two hours."""
MOST_STEPS = 20_000
MOST_THINNING = 64
"""Steps that drawn ways may be off where a file is taken with fewer messages."""
MOST_LETTERS = 1_000
MOST_POINTS = 20_000
MOST_NODES = 100_000
MOST_LANES = 130
MOST_COPIES = 100_000
MOST_PAGE_BARS = 64
MOST_CYCLES = 20_000
MOST_SEMITONES = 96
LONGEST_SOUND_SECONDS = 65 * 60
MOST_SOUND_BYTES = 128 * MIB
SOUND_RATES = (100, 400_000)
MOST_SOUND_CHANNELS = 64
MOST_BANK_BYTES = 64 * MIB
MOST_BANKS_EACH = 16
MOST_HANDS_EACH = 100
MOST_HAND_BYTES = MIB
MOST_CALL_BYTES = 4 * MIB
MOST_PIECE_EVENTS = 20_000
"""Of a pass that is being played in, in about a second."""
MOST_PASS_EVENTS = 4_000_000
MOST_PASSES_WAITING = 20
"""Of a take: passes that were begun and neither kept nor dropped."""
MOST_PASS_BYTES = 32 * MIB
"""Of a pass that is being played in, deflated."""
MOST_READ_AT_ONCE = 128 * KIB
"""A file of more is read by a worker, so that nobody waits for another's."""
MOST_PIECE_BYTES = 16 * MIB
"""Of an archive that comes in pieces."""
MOST_JOBS_EACH = 12
MOST_INVITATIONS_EACH = 10
MOST_BYTES_UNDER_WAY = 256 * MIB
MOST_SHAPED_BYTES = 512 * MIB
MOST_TAKES_EACH = 2_000
MOST_BYTES_EACH = 4 * GIB


class Limit(NamedTuple):
    """A row of the table."""

    of: str
    what: str
    most: str


TABLE: tuple[Limit, ...] = (
    Limit("A SoundFont", "size", f"{MOST_BANK_BYTES // MIB} MiB"),
    Limit("An account", "SoundFonts", f"{MOST_BANKS_EACH}"),
    Limit("An account", "hands", f"{MOST_HANDS_EACH}"),
    Limit("A pass that is played in", "events in one piece of it", f"{MOST_PIECE_EVENTS:,}"),
    Limit("A pass that is played in", "size, deflated", f"{MOST_PASS_BYTES // MIB} MiB"),
    Limit("A pass that is played in", "events", f"{MOST_PASS_EVENTS:,}"),
    Limit("A take", "passes that are neither kept nor dropped", f"{MOST_PASSES_WAITING}"),
    Limit("A MIDI file", "size", f"{MOST_FILE_BYTES // MIB} MiB"),
    Limit("A MIDI file", "tracks", f"{MOST_TRACKS}"),
    Limit("A MIDI file", "events", f"{MOST_EVENTS:,}"),
    Limit("A MIDI file", "length", f"{MOST_HOURS} hours, and {MOST_BARS:,} bars"),
    Limit("A MIDI file", "name of a track", f"{LONGEST_NAME} letters are shown; the file keeps all of it"),
    Limit("A take", "name", f"{LONGEST_NAME} letters"),
    Limit("A take", "steps of its history", f"{MOST_STEPS:,}"),
    Limit("A stroke", "points of a line that is drawn", f"{MOST_POINTS:,}"),
    Limit("A stroke", "nodes that it sets, or that a copy comes to", f"{MOST_NODES:,}"),
    Limit("A stroke", "lanes", f"{MOST_LANES}"),
    Limit("A stroke", "notes that a copy comes to", f"{MOST_COPIES:,}"),
    Limit("A stroke", "cycles, swings or shapes", f"{MOST_CYCLES:,}"),
    Limit("A stroke", "after the end of the take", f"{FARTHEST:,} ticks"),
    Limit("A stroke", "bend range", f"{MOST_SEMITONES} semitones"),
    Limit("The page", "bars drawn at once", f"{MOST_PAGE_BARS}; as MusicXML the whole take"),
    Limit("A sound beside a take", "size", f"{MOST_SOUND_BYTES // MIB} MiB"),
    Limit("A sound beside a take", "length", f"{LONGEST_SOUND_SECONDS // 60} minutes"),
    Limit("A sound beside a take", "samples a second", f"{SOUND_RATES[0]:,} to {SOUND_RATES[1]:,}"),
    Limit("A text", "letters", f"{MOST_LETTERS:,}"),
    Limit("A sound beside a take", "channels", f"{MOST_SOUND_CHANNELS}"),
    Limit("A call of the API", "size, but for files", f"{MOST_CALL_BYTES // MIB} MiB"),
    Limit("An account", "takes", f"{MOST_TAKES_EACH:,}"),
    Limit("An account", "bytes of recordings and sounds", f"{MOST_BYTES_EACH // GIB} GiB"),
    Limit("An account", "files that wait to be read", f"{MOST_JOBS_EACH}"),
    Limit("An account", "invitations that are open", f"{MOST_INVITATIONS_EACH}"),
    Limit("An archive", "size", f"{MOST_BYTES_EACH // GIB} GiB, packed and unpacked"),
    Limit("The server", "file that is read at once", f"{MOST_READ_AT_ONCE // KIB} KiB; larger ones by a worker"),
    Limit("The server", "bytes of files that are sent to a process at a time", f"{MOST_BYTES_UNDER_WAY // MIB} MiB"),
    Limit("The server", "memory of shaped takes, of all processes", f"{MOST_SHAPED_BYTES // MIB} MiB"),
)

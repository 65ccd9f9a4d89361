"""Meta events and system exclusive messages in words.

Standard MIDI Files 1.0, Meta-Event Definitions; MIDI 1.0, table 4 (Universal System Exclusive), with its addenda.
"""

from expression.midi import smf

TEXTS = {
    0x01: "text", 0x02: "copyright", 0x03: "track name", 0x04: "instrument", 0x05: "lyric", 0x06: "marker",
    0x07: "cue point", 0x08: "program name", 0x09: "device",
}  # fmt: skip
"""Meta events that hold text, and what it is; up to 0x0F they are text too."""
LAST_TEXT = 0x0F
SEQUENCE_NUMBER, CHANNEL_PREFIX, SMPTE_OFFSET, KEY_SIGNATURE, OWN = 0x00, 0x20, 0x54, 0x59, 0x7F
RESERVED = b"\x7dLull part"
"""How a track says, in a sequencer-specific event (7D: no maker's number), that a part is to be on a channel."""
MOST_TEXT = 200
MOST_BYTES = 24
_MAJOR = ("C♭", "G♭", "D♭", "A♭", "E♭", "B♭", "F", "C", "G", "D", "A", "E", "B", "F♯", "C♯")
_MINOR = ("A♭", "E♭", "B♭", "F", "C", "G", "D", "A", "E", "B", "F♯", "C♯", "G♯", "D♯", "A♯")
"""Keys by their sharps, from seven flats on."""

_UNIVERSAL = {
    (0x7E, 0x06, 0x01): "identity asked for",
    (0x7E, 0x06, 0x02): "identity told",
    (0x7E, 0x09, 0x01): "General MIDI on",
    (0x7E, 0x09, 0x02): "General MIDI off",
    (0x7E, 0x09, 0x03): "General MIDI 2 on",
    (0x7F, 0x01, 0x01): "time code, full",
    (0x7F, 0x04, 0x01): "master volume",
    (0x7F, 0x04, 0x02): "master balance",
    (0x7F, 0x04, 0x03): "master fine tuning",
    (0x7F, 0x04, 0x04): "master coarse tuning",
    (0x7F, 0x04, 0x05): "global parameter",
}
_UNIVERSAL_FAMILIES = {
    (0x7E, 0x05): "sample dump", (0x7E, 0x07): "file dump", (0x7E, 0x08): "tuning", (0x7E, 0x0A): "downloadable sounds",
    (0x7F, 0x01): "time code", (0x7F, 0x02): "show control", (0x7F, 0x03): "notation", (0x7F, 0x05): "cueing",
    (0x7F, 0x06): "machine control", (0x7F, 0x08): "tuning", (0x7F, 0x09): "controller destination",
    (0x7F, 0x0A): "key-based control", (0x7F, 0x0B): "scalable polyphony", (0x7F, 0x0C): "mobile phone control",
}  # fmt: skip


def text_of(payload: bytes) -> str:
    """Printable text of a meta event: UTF-8 where it is, otherwise Latin-1 as the standard's examples are."""
    try:
        text = payload.decode()
    except UnicodeDecodeError:
        text = payload.decode("latin-1")
    return "".join(sign if sign.isprintable() else " " for sign in text).strip()


def meta(number: int, payload: bytes) -> tuple[str, str]:
    """What a meta event is, and what it says; its bytes where it is of no known form."""
    if number <= LAST_TEXT and number != SEQUENCE_NUMBER:
        return TEXTS.get(number, "text"), text_of(payload)[:MOST_TEXT]
    size = len(payload)
    if number == smf.TEMPO and size == 3 and any(payload):
        return "", f"{60e6 / int.from_bytes(payload):.2f} a minute"
    if number == smf.TIME_SIGNATURE and size >= 2 and payload[1] < 16:
        return "", f"{payload[0]}/{2 ** payload[1]}"
    if number == KEY_SIGNATURE and size == 2:
        sharps = int.from_bytes(payload[:1], signed=True)
        if -7 <= sharps <= 7 and payload[1] in (0, 1):
            return "", f"{_MINOR[sharps + 7]} minor" if payload[1] else f"{_MAJOR[sharps + 7]} major"
    if number == smf.PORT and size == 1:
        return "port", str(payload[0] + 1)
    if number == CHANNEL_PREFIX and size == 1:
        return "channel of what follows", str(payload[0] + 1)
    if number == SMPTE_OFFSET and size == 5:
        hours, minutes, seconds, frames, _ = payload
        return "starts at", f"{hours & 0x1F:02}:{minutes:02}:{seconds:02}, frame {frames}"
    if number == SEQUENCE_NUMBER and size == 2:
        return "sequence number", str(int.from_bytes(payload))
    if number == OWN:
        return "a program's own", shown(payload)
    return f"meta event {number}", shown(payload)


def exclusive(payload: bytes) -> tuple[str, str]:
    """What a system exclusive message (without its status byte) is, and what it says."""
    body = payload.removesuffix(b"\xf7")
    if len(body) >= 4 and body[0] in (0x7E, 0x7F):
        name = _UNIVERSAL.get((body[0], body[2], body[3]))
        if name == "master volume" and len(body) == 6:
            return name, f"{(body[4] | body[5] << 7) / 0x3FFF * 100:.0f} %"
        if name == "master balance" and len(body) == 6:
            return name, f"{(body[4] | body[5] << 7) - 0x2000:+d}".replace("-", "−")
        if name == "master fine tuning" and len(body) == 6:
            return name, f"{((body[4] | body[5] << 7) - 0x2000) / 0x2000 * 100:+.1f} cents".replace("-", "−")
        if name == "master coarse tuning" and len(body) == 6:
            return name, f"{body[5] - 64:+d} semitones".replace("-", "−")
        family = _UNIVERSAL_FAMILIES.get((body[0], body[2]), "universal")
        return (name, "") if name and len(body) == 4 else (name or family, shown(payload))
    if body[:1] == b"\x00" and len(body) >= 3:
        return f"maker 0 {body[1]} {body[2]}", shown(payload)
    return f"maker {body[0]}" if body else "empty", shown(payload)


def shown(payload: bytes) -> str:
    """The first bytes, in hexadecimal."""
    return payload[:MOST_BYTES].hex(" ") + (" …" if len(payload) > MOST_BYTES else "")

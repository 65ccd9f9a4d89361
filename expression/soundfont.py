"""SoundFonts (SF2, and SF3 with packed samples): what presets one holds, and what lanes it takes; a small one by code.

SoundFont Technical Specification 2.04: RIFF form `sfbk`, with preset headers in the list `pdta`, chunk `phdr` (7.2),
and modulators in `pmod` and `imod` (7.4, 7.8): ten bytes each, with two sources (8.2) in the first and the fourth word.
"""

import struct
from typing import NamedTuple

import numpy as np

from expression.arrays import Floats
from expression.errors import BadFile
from expression.lanes import BEND, BESIDE, CHANNEL_LANES, PRESSURE, controller
from expression.limits import MIB, MOST_BANK_BYTES

HEADER = 38
"""Bytes of a preset header."""
MOST_PRESETS = 4096
RATE = 22_050


MODULATOR = 10
"""Bytes of a modulator."""
IS_CONTROLLER = 0x80
BY_NUMBER = {13: PRESSURE, 14: BEND}
"""Sources of a modulator that are no controllers, but lanes."""
ANSWERED = (
    BEND, PRESSURE,
    *(controller(number) for number in (0, 1, 5, 7, 10, 11, 32, 64, 65, 67, 71, 72, 73, 74, 75, 76, 84, 91, 93)),
)  # fmt: skip
"""What every SoundFont takes: the standard's own modulators (8.4), and what the player of this house adds to them."""


class Preset(NamedTuple):
    """What a program of a bank calls up."""

    name: str
    bank: int
    program: int


def presets(data: bytes) -> list[Preset]:
    """The presets of a SoundFont, by bank and program. Raises BadFile."""
    headers = _hydra(data).get(b"phdr", b"")
    if len(headers) < 2 * HEADER:
        raise BadFile("The SoundFont holds no sounds that can be played.")
    found = []
    # The last header only tells where the one before it ends.
    for at in range(0, min(len(headers), (MOST_PRESETS + 1) * HEADER) - HEADER - HEADER + 1, HEADER):
        name, program, bank = struct.unpack("<20sHH", headers[at : at + 24])
        shown = name.split(b"\0")[0].decode("latin-1").strip()
        found.append(Preset(shown or f"Preset {program}", bank, program & 0x7F))
    return sorted(found, key=lambda one: (one.bank, one.program))


def answers(data: bytes) -> list[str]:
    """Keys of the lanes, of channels and of notes, that anything in a SoundFont takes notice of. Raises BadFile."""
    hydra, taken = _hydra(data), set(ANSWERED)
    for chunk in (hydra.get(b"pmod", b""), hydra.get(b"imod", b"")):
        whole = len(chunk) - len(chunk) % MODULATOR
        words = np.frombuffer(chunk[:whole], "<u2").reshape(-1, MODULATOR // 2)
        for source in np.unique(words[:, (0, 3)]).tolist():
            number = source & 0x7F
            key = controller(number) if source & IS_CONTROLLER else BY_NUMBER.get(number)
            if key in CHANNEL_LANES:
                taken.add(key)
    return sorted(taken | {own for own, key in BESIDE.items() if key in taken})


def _hydra(data: bytes) -> dict[bytes, bytes]:
    """The chunks that say what is where. Raises BadFile."""
    if len(data) > MOST_BANK_BYTES:
        raise BadFile(
            f"This SoundFont has {len(data) // MIB} MiB; Lull keeps up to {MOST_BANK_BYTES // MIB} MiB of one."
        )
    if data[:4] != b"RIFF" or data[8:12] != b"sfbk":
        raise BadFile("This is not a SoundFont: it does not begin with its header. Choose a .sf2 or .sf3 file.")
    if int.from_bytes(data[4:8], "little") + 8 > len(data):
        raise BadFile("The SoundFont is cut short. Get it again from where it came.")
    lists = dict(_chunks(data, 12, len(data), True))
    if b"sdta" not in lists:
        raise BadFile("The SoundFont holds no sounds that can be played.")
    return dict(_chunks(lists.get(b"pdta", b""), 0, len(lists.get(b"pdta", b"")), False))


def _chunks(data: bytes, at: int, end: int, lists: bool) -> list[tuple[bytes, bytes]]:
    found = []
    while at + 8 <= end:
        name, size = data[at : at + 4], int.from_bytes(data[at + 4 : at + 8], "little")
        body = data[at + 8 : at + 8 + size]
        if lists and name == b"LIST":
            name, body = body[:4], body[4:]
        found.append((name, body))
        at += 8 + size + size % 2
    return found


# ---- a small one


def made_small() -> bytes:
    """A bank of two presets by code: a bell that falls, and a reed that is held."""
    seconds = np.arange(RATE) / RATE
    bell = sum(np.sin(2 * np.pi * 440 * ratio * seconds) / (row + 1) for row, ratio in enumerate((1, 2.76, 5.4)))
    reed = sum(np.sin(2 * np.pi * 440 * (row + 1) * seconds) / (row + 1) for row in range(6))
    waves = [np.asarray(bell * np.exp(-4 * seconds)), np.asarray(reed)]
    return _bank([("Harbour bell", waves[0], False), ("Pier reed", waves[1], True)])


def _bank(sounds: list[tuple[str, Floats, bool]]) -> bytes:
    samples, headers = b"", b""
    phdr, pbag, pgen, inst, ibag, igen = b"", b"", b"", b"", b"", b""
    for row, (name, wave, is_held) in enumerate(sounds):
        start = len(samples) // 2
        scaled = np.round(wave / np.abs(wave).max() * 20_000).astype("<i2").tobytes()
        samples += scaled + bytes(46 * 2)
        end = start + len(wave)
        # A loop of whole periods of 440 Hz, near the end.
        period = RATE / 440
        loop = (end - round(period * 220), end - round(period * 20))
        headers += struct.pack("<20sIIIIIBbHH", _named(name), start, end, loop[0], loop[1], RATE, 69, 0, 0, 1)
        phdr += struct.pack("<20sHHHIII", _named(name), row, 0, row, 0, 0, 0)
        pbag += struct.pack("<HH", row, 0)
        pgen += struct.pack("<HH", 41, row)
        inst += struct.pack("<20sH", _named(name), row)
        ibag += struct.pack("<HH", 2 * row, 0)
        igen += struct.pack("<HH", 54, int(is_held)) + struct.pack("<HH", 53, row)
    count = len(sounds)
    headers += struct.pack("<20sIIIIIBbHH", _named("EOS"), 0, 0, 0, 0, 0, 0, 0, 0, 0)
    phdr += struct.pack("<20sHHHIII", _named("EOP"), 0, 0, count, 0, 0, 0)
    pbag, ibag = pbag + struct.pack("<HH", count, 0), ibag + struct.pack("<HH", 2 * count, 0)
    pgen, igen = pgen + bytes(4), igen + bytes(4)
    inst += struct.pack("<20sH", _named("EOI"), count)
    info = _chunk(b"ifil", struct.pack("<HH", 2, 1)) + _chunk(b"isng", b"EMU8000\0") + _chunk(b"INAM", b"Small\0")
    hydra = [
        (b"phdr", phdr), (b"pbag", pbag), (b"pmod", bytes(10)), (b"pgen", pgen), (b"inst", inst), (b"ibag", ibag),
        (b"imod", bytes(10)), (b"igen", igen), (b"shdr", headers),
    ]  # fmt: skip
    body = b"sfbk" + _list(b"INFO", info) + _list(b"sdta", _chunk(b"smpl", samples))
    body += _list(b"pdta", b"".join(_chunk(*one) for one in hydra))
    return b"RIFF" + struct.pack("<I", len(body)) + body


def _named(name: str) -> bytes:
    return name.encode()[:19].ljust(20, b"\0")


def _chunk(name: bytes, body: bytes) -> bytes:
    return name + struct.pack("<I", len(body)) + body + bytes(len(body) % 2)


def _list(kind: bytes, body: bytes) -> bytes:
    return _chunk(b"LIST", kind + body)

"""What is written, as MusicXML 4.0 (score-partwise)."""

from collections.abc import Iterator
from typing import NamedTuple
from xml.sax.saxutils import escape, quoteattr

from expression.staff.notation import Staff, Written, WrittenPart
from expression.staff.placing import QUARTER
from expression.staff.signs import Sign
from expression.staff.spelling import altered, spelled
from expression.staff.values import Head, Value
from expression.staff.voices import MOST_VOICES

CLEFS = {"treble": ("G", 2), "bass": ("F", 4), "drum": ("percussion", 0)}
SHARPS = {0: "natural", 1: "sharp", -1: "flat", 2: "double-sharp", -2: "flat-flat"}
FLAGS = {"eighth": 1, "16th": 2, "32nd": 3}
LINES = {36: ("F", 4), 38: ("C", 5), 37: ("C", 5), 39: ("E", 5), 54: ("A", 5), 42: ("G", 5), 46: ("G", 5), 49: ("A", 5)}
"""Where the voices of a drum part stand, as if in the treble clef; others by their keys."""
STEPS_DRUM = "CDEFGAB"
NAME = "Lull"
SWING = (
    '<direction placement="above"><direction-type><words font-style="italic">Swing</words></direction-type>'
    "<sound><swing><first>2</first><second>1</second><swing-type>eighth</swing-type></swing></sound></direction>"
)
NORMAL = {3: 2, 5: 4}
"""Of so many in a tuplet, in the time of how many."""


def musicxml(page: Written, title: str = "") -> str:
    """The document. Heads have ids: `n` and the number of the note; what is tied to them has `-` and a number more."""
    writer = _Writer(page)
    listed = "".join(
        f'<score-part id="P{row}"><part-name>{_text(one.name)}</part-name></score-part>'
        for row, one in enumerate(page.parts, 1)
    )
    parts = "".join(f'<part id="P{row}">{"".join(writer.bars(one))}</part>' for row, one in enumerate(page.parts, 1))
    named = f"<work><work-title>{_text(title)}</work-title></work>" if title else ""
    encoding = f"<identification><encoding><software>{NAME}</software></encoding></identification>"
    return (
        '<?xml version="1.0" encoding="UTF-8"?>\n'
        f'<score-partwise version="4.0">{named}{encoding}<part-list>{listed}</part-list>{parts}</score-partwise>\n'
    )


def _text(words: str) -> str:
    """Letters as XML allows them: control characters are none."""
    return escape("".join(sign for sign in words if sign.isprintable()))


class _Beam(NamedTuple):
    number: int
    kind: str


class _Writer:
    def __init__(self, page: Written) -> None:
        self.page = page
        self.tied: dict[int, int] = {}

    def bars(self, one: WrittenPart) -> Iterator[str]:
        """The bars of a part."""
        measures = self.page.measures
        self.tied = {}
        time: tuple[int, int] | None = None
        for row, number in enumerate(measures.number.tolist()):
            now = (int(measures.beats[row]), int(measures.beat_type[row]))
            parts = [f'<measure number="{number}">', self._attributes(one, row == 0, now if now != time else None)]
            time = now
            if self.page.swings and row == 0 and one is self.page.parts[0]:
                parts.append(SWING)
            parts += self._signs(one.signs[row])
            length = int(measures.length[row])
            beat = measures.beat(row)
            first = True
            for place, staff in enumerate(one.staves, 1):
                state: dict[tuple[str, int], int] = {}
                for voice, values in enumerate(staff.bars[row], 1):
                    if not first:
                        parts.append(f"<backup><duration>{length}</duration></backup>")
                    first = False
                    number_of = voice + MOST_VOICES * (place - 1)
                    among = len(staff.bars[row])
                    # Where there are several, the upper half has its stems up and the lower down.
                    stem = "" if among == 1 else "up" if voice <= (among + 1) // 2 else "down"
                    parts.append(self._voice(one, staff, place, number_of, values, length, beat, state, stem))
            parts.append("</measure>")
            yield "".join(parts)

    def _attributes(self, one: WrittenPart, is_first: bool, time: tuple[int, int] | None) -> str:
        if not is_first and time is None:
            return ""
        key = f"<key><fifths>{0 if one.is_drum else self.page.fifths}</fifths></key>" if is_first else ""
        parts = [f"<attributes>{f'<divisions>{QUARTER}</divisions>' if is_first else ''}{key}"]
        if time:
            parts.append(f"<time><beats>{time[0]}</beats><beat-type>{time[1]}</beat-type></time>")
        if is_first:
            if len(one.staves) > 1:
                parts.append(f"<staves>{len(one.staves)}</staves>")
            for number, staff in enumerate(one.staves, 1):
                sign, line = CLEFS[staff.clef]
                on = f"<line>{line}</line>" if line else ""
                named = f' number="{number}"' if len(one.staves) > 1 else ""
                parts.append(f"<clef{named}><sign>{sign}</sign>{on}</clef>")
        return "".join([*parts, "</attributes>"])

    def _signs(self, signs: list[Sign]) -> Iterator[str]:
        for at, kind, word in signs:
            what = {
                "dynamic": f"<dynamics><{word}/></dynamics>",
                "pedal": '<pedal type="start" line="no" sign="yes"/>',
                "release": '<pedal type="stop" line="no" sign="yes"/>',
                "stop": '<wedge type="stop"/>',
            }.get(kind, f'<wedge type="{kind}"/>')
            # Above the music it would be taken for something else: all of these stand below.
            yield (
                f'<direction placement="below"><direction-type>{what}</direction-type>'
                f"{f'<offset>{at}</offset>' if at else ''}<staff>1</staff></direction>"
            )

    def _voice(
        self,
        one: WrittenPart,
        staff: Staff,
        place: int,
        voice: int,
        values: list[Value],
        length: int,
        beat: int,
        state: dict[tuple[str, int], int],
        stem: str,
    ) -> str:
        beams = _beams(values, beat)
        three = _brackets(values, beat)
        parts: list[str] = []
        at = 0
        for row, value in enumerate(values):
            if value.at > at:
                parts.append(f"<forward><duration>{value.at - at}</duration><voice>{voice}</voice></forward>")
            tail = self._tail(one, place, voice, value, beams.get(row, ()), three.get(row, ""), stem)
            parts += [self._grace(one, grace, place, voice, state) for grace in value.graces]
            if not value.heads:
                whole = ' measure="yes"' if value.kind == "bar" else ""
                parts.append(f"<note><rest{whole}/><duration>{value.length}</duration>{tail[0]}{tail[1]}</note>")
            for order, head in enumerate(value.heads):
                parts.append(self._head(one, head, value, tail, order, state))
            at = value.at + value.length
        if at < length:
            parts.append(f"<forward><duration>{length - at}</duration><voice>{voice}</voice></forward>")
        return "".join(parts)

    @staticmethod
    def _tail(
        one: WrittenPart, place: int, voice: int, value: Value, beams: tuple[_Beam, ...], bracket: str, stem: str
    ) -> tuple[str, str]:
        """What follows the duration of each head; and what comes behind the accidental, with the brackets apart."""
        voiced = f"<voice>{voice}</voice>"
        kind = "" if value.kind == "bar" else f"<type>{value.kind}</type>{'<dot/>' * value.dots}"
        many = value.tuplet
        three = (
            f"<time-modification><actual-notes>{many}</actual-notes><normal-notes>{NORMAL[many]}</normal-notes>"
            "</time-modification>"
            if many
            else ""
        )
        stemmed = f"<stem>{stem}</stem>" if stem and value.heads and value.kind != "whole" else ""
        on = f"<staff>{place}</staff>" if len(one.staves) > 1 else ""
        beamed = "".join(f'<beam number="{number}">{what}</beam>' for number, what in beams)
        held = f"<notations>{bracket}</notations>" if bracket and not value.heads else bracket
        return f"{voiced}{kind}", f"{three}{stemmed}{on}{beamed}{held}"

    def _head(
        self,
        one: WrittenPart,
        head: Head,
        value: Value,
        tail: tuple[str, str],
        order: int,
        state: dict[tuple[str, int], int],
    ) -> str:
        named = self._named(head)
        chord = "<chord/>" if order else ""
        what, accidental = self._pitch(one, head, value.tied, state)
        sound = ('<tie type="stop"/>' if value.tied else "") + ('<tie type="start"/>' if value.ties else "")
        drawn = ('<tied type="stop"/>' if value.tied else "") + ('<tied type="start"/>' if value.ties else "")
        behind, brackets = tail[1], ""
        if "<tuplet" in behind:
            cut = behind.index("<tuplet")
            behind, brackets = behind[:cut], behind[cut:]
        if order:
            # Beams and brackets are the first head's.
            brackets = ""
            behind = behind.split("<beam", 1)[0]
        notations = f"<notations>{drawn}{brackets}</notations>" if drawn or brackets else ""
        return (
            f"<note id={named}>{chord}{what}<duration>{value.length}</duration>{sound}{tail[0]}{accidental}"
            f"{behind}{notations}</note>"
        )

    def _named(self, head: Head) -> str:
        turn = self.tied.get(head.id, -1) + 1
        self.tied[head.id] = turn
        return quoteattr(f"n{head.id}" + (f"-{turn}" if turn else ""))

    def _pitch(self, one: WrittenPart, head: Head, tied: bool, state: dict[tuple[str, int], int]) -> tuple[str, str]:
        """A head's pitch, and its accidental where it needs one."""
        if one.is_drum:
            step, octave = LINES.get(head.pitch, (STEPS_DRUM[head.pitch % 7], 4 + (head.pitch % 14) // 7))
            where = f"<display-step>{step}</display-step><display-octave>{octave}</display-octave>"
            return f"<unpitched>{where}</unpitched>", ""
        step, alter, octave = spelled(head.pitch, self.page.fifths)
        alters = f"<alter>{alter}</alter>" if alter else ""
        known = state.get((step, octave), altered(step, self.page.fifths))
        state[step, octave] = alter
        accidental = f"<accidental>{SHARPS[alter]}</accidental>" if alter != known and not tied else ""
        return f"<pitch><step>{step}</step>{alters}<octave>{octave}</octave></pitch>", accidental

    def _grace(self, one: WrittenPart, head: Head, place: int, voice: int, state: dict[tuple[str, int], int]) -> str:
        what, accidental = self._pitch(one, head, False, state)
        on = f"<staff>{place}</staff>" if len(one.staves) > 1 else ""
        return (
            f'<note id={self._named(head)}><grace slash="yes"/>{what}<voice>{voice}</voice><type>eighth</type>'
            f"{accidental}<stem>up</stem>{on}</note>"
        )


def _beams(values: list[Value], beat: int) -> dict[int, tuple[_Beam, ...]]:
    """Beams of values (by their rows): over what lies within a beat without a rest between."""
    groups: list[list[int]] = [[]]
    for row, value in enumerate(values):
        joined = bool(groups[-1]) and values[groups[-1][-1]].at // beat == value.at // beat
        follows = bool(groups[-1]) and values[groups[-1][-1]].at + values[groups[-1][-1]].length == value.at
        if not value.heads or value.kind not in FLAGS:
            groups.append([])
        elif joined and follows:
            groups[-1].append(row)
        else:
            groups.append([row])
    found: dict[int, list[_Beam]] = {}
    for group in groups:
        if len(group) < 2:
            continue
        flags = [FLAGS[values[row].kind] for row in group]
        for level in range(1, max(flags) + 1):
            for place, row in enumerate(group):
                if flags[place] < level:
                    continue
                before = place > 0 and flags[place - 1] >= level
                after = place + 1 < len(group) and flags[place + 1] >= level
                hook = "backward hook" if place else "forward hook"
                kind = "continue" if before and after else "end" if before else "begin" if after else hook
                found.setdefault(row, []).append(_Beam(level, kind))
    return {row: tuple(beams) for row, beams in found.items()}


def _brackets(values: list[Value], beat: int) -> dict[int, str]:
    """Where brackets of tuplets begin and end, by rows."""
    found: dict[int, str] = {}
    by_beat: dict[int, list[int]] = {}
    for row, value in enumerate(values):
        if value.tuplet:
            by_beat.setdefault(value.at // beat, []).append(row)
    for rows in by_beat.values():
        if len(rows) == 1:
            found[rows[0]] = '<tuplet type="start"/><tuplet type="stop"/>'
            continue
        found[rows[0]] = '<tuplet type="start"/>'
        found[rows[-1]] = '<tuplet type="stop"/>'
    return found

"""`./lull shape`, `./lull play`, `./lull inspect`, `./lull receive` and `./lull strokes-doc`.

Bad input gives one line on stderr and exit 2; an output file is either whole or not there.
"""

import argparse
import json
import os
import sys
import tempfile
from pathlib import Path

from expression.arrays import Floats
from expression.clip_receiver import receive_clip
from expression.documents import Document
from expression.errors import BadStroke, NothingMatched, Refused
from expression.hands import HANDS, MOST_AMOUNT
from expression.limits import MOST_THINNING
from expression.midi.excerpt import Asked
from expression.midi.files import FileKind, opened, saved
from expression.midi.ump import HEADER as CLIP
from expression.pitch import NOTE_NAMES
from expression.receiver import receive
from expression.receiver_document import as_document
from expression.take import Part, Take


class Fault(Exception):
    """Something to be told to the user in one line."""


def main(arguments: list[str] | None = None) -> int:
    """Run one command; the exit code is 0, 2 where the input was at fault, 1 where a check found something broken."""
    options = _parser().parse_args(arguments)
    try:
        return int(options.run(options) or 0)
    except (Refused, Fault) as fault:
        print(f"lull: {fault}", file=sys.stderr)
        return 2
    except KeyboardInterrupt:
        return 130


def _parser() -> argparse.ArgumentParser:
    parser = argparse.ArgumentParser(prog="lull", description="Shape recorded MIDI performances.")
    commands = parser.add_subparsers(required=True, metavar="command")
    shaping = commands.add_parser("shape", help="apply strokes to a MIDI file")
    shaping.add_argument("file", metavar="IN.mid")
    shaping.add_argument("--strokes", required=True, metavar="FILE.json", help="a JSON list of strokes")
    shaping.add_argument("-o", "--output", required=True, metavar="OUT.mid")
    shaping.add_argument(
        "--thin",
        type=_steps,
        default=0.0,
        metavar="STEPS",
        help="send drawn ways in fewer events, off by so much at most",
    )
    shaping.add_argument(
        "--as",
        dest="kind",
        choices=("plain", "mpe", "clip"),
        default="plain",
        help="curves of notes by messages of the part's channel, or in a zone of MPE; or all as a MIDI 2.0 clip file",
    )
    shaping.add_argument("--parts", type=_numbers, metavar="1,3", help="only these parts, counted from 1")
    shaping.add_argument("--bars", type=_bars, metavar="5-8", help="only these bars")
    shaping.add_argument("--format", type=int, choices=(0, 1), help="0: all in one track")
    shaping.add_argument(
        "--widen", action="store_true", help="give the bend a range that holds what is drawn, where it has none"
    )
    shaping.add_argument("--without-cues", action="store_true", help="leave out notes that are cues")
    shaping.set_defaults(run=_shape)
    playing = commands.add_parser("play", help="give stiff MIDI files a first shape")
    playing.add_argument("files", metavar="IN.mid", nargs="+")
    playing.add_argument("-o", "--output", required=True, metavar="OUT.mid", help="of several files a folder")
    playing.add_argument(
        "--as", dest="hand", choices=tuple(HANDS), default="struck", help="how the instrument is played"
    )
    playing.add_argument("--amount", type=_amount, default=1.0, help="0 changes nothing, 1 is the rules as published")
    playing.add_argument(
        "--strokes-out", metavar="FILE.json", help="write what it comes to, for ./lull shape --strokes"
    )
    playing.set_defaults(run=_play)
    checking = commands.add_parser("check", help="tell what is broken in a MIDI file, and what sounds programmed")
    checking.add_argument("file", metavar="IN.mid")
    checking.add_argument("--json", action="store_true", help="as JSON")
    checking.set_defaults(run=_check)
    inspecting = commands.add_parser("inspect", help="tell what a MIDI file holds")
    inspecting.add_argument("file", metavar="IN.mid")
    inspecting.add_argument("--json", action="store_true", help="as JSON")
    inspecting.set_defaults(run=_inspect)
    receiving = commands.add_parser("receive", help="tell what a standard receiver hears of a MIDI file")
    receiving.add_argument("file", metavar="IN.mid")
    receiving.add_argument("--json", action="store_true", help="as JSON")
    receiving.set_defaults(run=_receive)
    document = commands.add_parser("strokes-doc", help="print docs/strokes.md, made from the stroke models")
    document.set_defaults(run=_document)
    bounds = commands.add_parser("limits-doc", help="print docs/limits.md, made from the table of limits")
    bounds.set_defaults(run=_limits)
    table = commands.add_parser("strokes-table", help="print what the desk has to know of the strokes, as JSON")
    table.set_defaults(run=_stroke_table)
    return parser


def _read_bytes(path: str) -> bytes:
    try:
        return Path(path).read_bytes()
    except OSError as error:
        raise Fault(f"{path} cannot be read: {(error.strerror or str(error)).lower()}.") from None


def _take(path: str) -> Take:
    data = _read_bytes(path)
    try:
        take = opened(data)
    except Refused as refused:
        raise Fault(f"{path}: {refused}") from None
    for remark in take.remarks:
        print(f"lull: {path}: {remark}", file=sys.stderr)
    return take


def _steps(words: str) -> float:
    steps = float(words)
    if not 0 <= steps <= MOST_THINNING:
        raise argparse.ArgumentTypeError(f"a tolerance is from 0 to {MOST_THINNING} steps, not {words}")
    return steps


def _numbers(words: str) -> tuple[int, ...]:
    """Parts, counted from 0."""
    try:
        found = tuple(sorted({int(one) - 1 for one in words.split(",")}))
    except ValueError:
        raise argparse.ArgumentTypeError(f"parts are numbers with commas, such as 1,3, not {words}") from None
    if found[0] < 0:
        raise argparse.ArgumentTypeError("parts are counted from 1")
    return found


def _bars(words: str) -> tuple[int, int]:
    """The first and the last, counted from 1."""
    first, _, last = words.partition("-")
    if not (first.isdecimal() and (last or first).isdecimal()) or not 1 <= int(first) <= int(last or first):
        raise argparse.ArgumentTypeError(f"bars are the first and the last, such as 5-8, not {words}")
    return int(first), int(last or first)


def _amount(words: str) -> float:
    amount = float(words)
    if not -MOST_AMOUNT <= amount <= MOST_AMOUNT:
        raise argparse.ArgumentTypeError(f"an amount is from -{MOST_AMOUNT} to {MOST_AMOUNT}, not {words}")
    return amount


def _check(options: argparse.Namespace) -> int:
    """Print what is broken and what is stiff; 1 where anything is broken."""
    from expression.views.checkup import checkup

    take = _take(options.file)
    found = checkup(take)
    if options.json:
        told = [
            {**one, "mends": [{**mend, "stroke": mend["stroke"].model_dump(mode="json", exclude_none=True)}
                              for mend in one["mends"]]}
            for one in found
        ]  # fmt: skip
        print(json.dumps(told, indent=1))
    else:
        for one in found:
            mends = ", ".join(mend["words"] for mend in one["mends"])
            print(f"{take.parts[one['part']].name}: {one['kind']}: {one['says']}" + (f" [{mends}]" if mends else ""))
        if not found:
            print("Nothing is broken, and nothing sounds programmed.")
    return int(any(one["kind"] == "broken" for one in found))


def _play(options: argparse.Namespace) -> None:
    files, output = [Path(one) for one in options.files], Path(options.output)
    if len(files) > 1 and options.strokes_out:
        raise Fault("The strokes of one file can be written, not of several; leave --strokes-out away.")
    if len({one.name for one in files}) < len(files):
        raise Fault("Two of the files have one name: they would lie on each other. Do them one after another.")
    if len(files) > 1:
        try:
            output.mkdir(exist_ok=True)
        except OSError as error:
            raise Fault(f"{output} is no folder for several files: {(error.strerror or str(error)).lower()}.") from None
    for file in files:
        strokes = _played(file, output / file.name if len(files) > 1 else output, options.hand, options.amount)
    if options.strokes_out:
        _write_whole(Path(options.strokes_out), (json.dumps(strokes, indent=1) + "\n").encode())


def _played(file: Path, output: Path, hand: str, amount: float) -> list[Document]:
    """Write a file with its first shape, and give the strokes that it comes to."""
    from expression.history import applied
    from expression.strokes.play_as import PlayAs

    take, shape = _take(str(file)), PlayAs.model_validate({"as": hand, "amount": amount})
    try:
        strokes, made = shape.strokes(take), applied(shape, take)
    except NothingMatched:
        raise Fault(f"{file} has no notes to play.") from None
    _write_whole(output, saved(made, "plain", 0.0))
    return [one.model_dump(mode="json", exclude_none=True) for one in strokes]


def _shape(options: argparse.Namespace) -> None:
    take = _take(options.file)
    strokes = _strokes(options.strokes)
    if strokes:
        take = _stroked(take, strokes, options.strokes)
    take = take.without_cues() if options.without_cues else take
    take = _widened(take, options.kind) if options.widen else take
    _tell_unsent(take, options.kind, options.format == 0)
    asked = Asked(options.parts, _span(take, options.bars) if options.bars else None, options.format)
    _write_whole(Path(options.output), saved(take, options.kind, options.thin, asked))


def _span(take: Take, bars: tuple[int, int]) -> tuple[int, int]:
    """From the first of some bars to behind the last, in ticks."""
    starts = take.meter.bars(take.end).start.tolist()
    if bars[0] > len(starts):
        raise Fault(f"--bars: the take ends in bar {len(starts)}.")
    return starts[bars[0] - 1], starts[bars[1]] if bars[1] < len(starts) else take.end + 1


def _widened(take: Take, kind: FileKind) -> Take:
    """The take with ranges of the wheel that hold what is drawn, as far as there are any."""
    from expression.history import applied
    from expression.views.unsent import unsent

    for one in unsent(take, kind):
        if one["reason"] == "beyond" and one["stroke"] is not None:
            take = applied(one["stroke"], take)
            range_ = getattr(one["stroke"], "semitones", 0)
            print(f"lull: {take.parts[one['part']].name}: the bend range is {range_:g} now.", file=sys.stderr)
    return take


def _tell_unsent(take: Take, kind: FileKind, one_track: bool = False) -> None:
    """What will not sound as it is drawn, on stderr."""
    from expression.views.unsent import unsent

    for one in unsent(take, kind, one_track):
        helps = ""
        if one["reason"] == "beyond" and one["stroke"] is not None:
            helps = f" A range of {getattr(one['stroke'], 'semitones', 0):g} holds it: --widen."
        elif one["reason"] == "shared channel":
            helps = " Use --as mpe."
        print(f"lull: {take.parts[one['part']].name}: {one['says']}{helps}", file=sys.stderr)


def _stroked(take: Take, strokes: list[object], path: str) -> Take:
    """The take through all strokes. (Reading the models in takes longer than a small file does: only where needed.)"""
    from expression.history import applied
    from expression.strokes import parse_stroke

    for number, data in enumerate(strokes, 1):
        _progress(number, len(strokes))
        try:
            stroke = parse_stroke(data)
            made = applied(stroke, take)
            # Notes that give way, are cut or left out are nothing that anybody asked for.
            if "counts" in stroke.spec.evidence and (told := stroke.also(take)):
                print(f"lull: {path}: stroke {number}: {told}", file=sys.stderr)
            if take.is_like(made):
                print(f"lull: {path}: stroke {number} changes nothing.", file=sys.stderr)
            take = made
        except (BadStroke, NothingMatched) as refused:
            raise Fault(f"{path}: stroke {number}: {refused}") from None
    return take


def _strokes(path: str) -> list[object]:
    try:
        strokes = json.loads(_read_bytes(path))
    except (ValueError, RecursionError) as error:
        raise Fault(f"{path} is not JSON: {error}.") from None
    if not isinstance(strokes, list):
        raise Fault(f"{path} must hold a list of strokes, [] for none.")
    return strokes


def _progress(number: int, count: int) -> None:
    if sys.stderr.isatty():
        print(f"\rstroke {number} of {count}", end="\n" if number == count else "", file=sys.stderr, flush=True)


def _write_whole(path: Path, data: bytes) -> None:
    """Write beside the target and move into place, so that no half of a file is ever seen."""
    try:
        handle, name = tempfile.mkstemp(dir=path.parent, prefix=f".{path.name}.")
    except OSError as error:
        raise Fault(f"{path} cannot be written: {(error.strerror or str(error)).lower()}.") from None
    try:
        with os.fdopen(handle, "wb") as file:
            file.write(data)
        umask = os.umask(0)
        os.umask(umask)
        Path(name).chmod(0o666 & ~umask)
        Path(name).replace(path)
    except OSError as error:
        Path(name).unlink(missing_ok=True)
        raise Fault(f"{path} cannot be written: {(error.strerror or str(error)).lower()}.") from None


def _inspect(options: argparse.Namespace) -> None:
    take = _take(options.file)
    found = {
        "resolution": take.resolution,
        "seconds": round(take.seconds, 6),
        "parts": [_part(part) for part in take.parts],
    }
    if options.json:
        print(json.dumps(found))
        return
    print(f"{take.seconds:.1f} seconds, {take.resolution} ticks a quarter note")
    for part in found["parts"]:  # type: ignore[attr-defined]
        lanes = ", ".join(f"{key} ({lane['nodes']})" for key, lane in part["lanes"].items())
        print(f"{part['id']:>3}  {part['name']}  channel {part['channel']}, {part['notes']} notes  {lanes}")


def _part(part: Part) -> Document:
    return {
        "id": part.id,
        "name": part.name,
        "track": part.track,
        "channel": part.channel.number + 1,
        "notes": len(part.notes),
        "lanes": {key: _lane(lane.curve.values[~part.channel.implied(lane)]) for key, lane in part.lanes.items()},
        "bend_range": [
            [tick, semitones]
            for tick, semitones in zip(part.bend_range.ticks.tolist(), part.bend_range.semitones.tolist(), strict=True)
        ],
    }


def _receive(options: argparse.Namespace) -> None:
    data = _read_bytes(options.file)
    try:
        # Read once as a take as well: what cannot be shaped is refused with the same sentence.
        opened(data)
        heard = receive_clip(data) if data[: len(CLIP)] == CLIP else as_document(receive(data))
    except Refused as refused:
        raise Fault(f"{options.file}: {refused}") from None
    if options.json:
        print(json.dumps(heard))
        return
    for note in heard["notes"]:
        times = "  ".join(f"{note[name]:9.3f}" for name in ("start", "key_up", "end"))
        print(f"part {note['part']:>3}  {NOTE_NAMES[note['pitch']]:<4} {note['velocity']:>3}  {times}")


def _document(_: argparse.Namespace) -> None:
    from command.document import stroke_document

    print(stroke_document(), end="")


def _limits(_: argparse.Namespace) -> None:
    from command.document import limits_document

    print(limits_document(), end="")


def _stroke_table(_: argparse.Namespace) -> None:
    from command.document import stroke_table

    print(stroke_table(), end="")


def _lane(values: Floats) -> Document:
    """A lane's own nodes: what resets make of it is not counted."""
    return {"nodes": len(values), "min": round(float(values.min()), 6), "max": round(float(values.max()), 6)}


if __name__ == "__main__":
    sys.exit(main())

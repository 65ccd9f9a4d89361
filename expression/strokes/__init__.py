"""The strokes: one model a kind. Adding a kind means adding it to `Stroke`, nothing more."""

from collections.abc import Mapping, Sequence
from typing import Annotated, Any, get_args

from pydantic import ConfigDict, Field, GetCoreSchemaHandler, GetJsonSchemaHandler, TypeAdapter, ValidationError
from pydantic.json_schema import JsonSchemaValue
from pydantic_core import CoreSchema
from pydantic_core.core_schema import no_info_plain_validator_function
from typing_extensions import TypeAliasType

from expression.documents import Document
from expression.errors import BadStroke
from expression.strokes.back import TakeBack
from expression.strokes.base import BaseStroke, Where, select
from expression.strokes.bend_range import BendRangeStroke
from expression.strokes.bends import BendDip, BendFall, BendGlide, BendScoop, BendShake
from expression.strokes.between import LaneToNotes, LaneTrim, NoteToLane
from expression.strokes.chords import NoteGlide
from expression.strokes.cleaning import LaneDistil, LaneSmooth, LaneUnplayed
from expression.strokes.copying import LaneCopy, LaneMove
from expression.strokes.fade import LaneFade
from expression.strokes.feel import VelocityAccent, VelocityVary
from expression.strokes.frame import LaneReshape
from expression.strokes.ground import TakeMetre, TakeTempo
from expression.strokes.hairpin import VelocityDraw, VelocityHairpin
from expression.strokes.long_rules import RuleLoose, RuleSlides, RuleSwell, RuleVibrato
from expression.strokes.note_attacks import NotesFollow
from expression.strokes.note_edits import (
    NotesAdd,
    NotesCue,
    NotesDelete,
    NotesMove,
    NotesMute,
    NotesTranspose,
)
from expression.strokes.note_pieces import NotesFill, NotesJoin, NotesSplit
from expression.strokes.note_sending import NoteAnswers, NoteSend, NoteStream
from expression.strokes.note_times import NotesLength, NotesLoosen, NotesPlace, NotesSpread
from expression.strokes.notes import NotesCopy
from expression.strokes.own_curves import NoteCopy, NoteCurve, NoteScatter, NoteStart
from expression.strokes.passes import RecordPass
from expression.strokes.pedal_legato import PedalLegato
from expression.strokes.pedal_lengths import PedalFromLengths, PedalToLengths
from expression.strokes.pedals import PedalDepth, PedalLift, PedalPress, PedalSwitch
from expression.strokes.phrasing import PhraseMarks
from expression.strokes.play_as import PlayAs
from expression.strokes.play_like import PlayLike
from expression.strokes.resting import BendCentre, BendHome
from expression.strokes.ritard import RuleRitard
from expression.strokes.rules import (
    RuleArch,
    RuleContrast,
    RuleGaps,
    RuleHigh,
    RuleLead,
    RuleLeaps,
    RuleMetre,
    RuleSwing,
    RuleVoice,
)
from expression.strokes.sending import BendInstrument, BendStream
from expression.strokes.shapes import LaneShape, LaneWave
from expression.strokes.shifting import LaneShift
from expression.strokes.texts import TakeText
from expression.strokes.velocity import VelocityKnee, VelocityNudge, VelocityScale, VelocitySet, VelocityTrim
from expression.strokes.writing import LaneClear, LaneDraw, LaneLeadIn, LaneNodes, LaneRamp

AnyStroke = (
    VelocityHairpin
    | VelocitySet
    | VelocityNudge
    | VelocityScale
    | VelocityKnee
    | VelocityDraw
    | VelocityVary
    | VelocityAccent
    | VelocityTrim
    | LaneNodes
    | LaneDraw
    | LaneRamp
    | LaneShape
    | LaneWave
    | LaneFade
    | LaneReshape
    | LaneSmooth
    | LaneDistil
    | LaneUnplayed
    | LaneCopy
    | LaneMove
    | LaneShift
    | LaneClear
    | LaneLeadIn
    | NotesMove
    | NotesPlace
    | NotesFollow
    | NotesLoosen
    | NotesLength
    | NotesSpread
    | NotesAdd
    | NotesTranspose
    | NotesCopy
    | NotesSplit
    | NotesJoin
    | NotesMute
    | NotesDelete
    | NotesCue
    | NotesFill
    | BendScoop
    | BendFall
    | BendDip
    | BendGlide
    | BendShake
    | BendRangeStroke
    | BendHome
    | BendCentre
    | BendInstrument
    | BendStream
    | NoteCurve
    | NoteGlide
    | NoteCopy
    | NoteScatter
    | NoteStart
    | NoteToLane
    | LaneToNotes
    | LaneTrim
    | NoteSend
    | NoteStream
    | NoteAnswers
    | PedalPress
    | PedalLift
    | PedalSwitch
    | PedalDepth
    | PedalToLengths
    | PedalFromLengths
    | PedalLegato
    | TakeTempo
    | TakeMetre
    | TakeText
    | PhraseMarks
    | PlayAs
    | PlayLike
    | TakeBack
    | RuleArch
    | RuleHigh
    | RuleMetre
    | RuleContrast
    | RuleVoice
    | RuleLead
    | RuleGaps
    | RuleLeaps
    | RuleSwing
    | RuleLoose
    | RuleSwell
    | RuleVibrato
    | RuleSlides
    | RuleRitard
    | RecordPass
)
KINDS: dict[str, type[BaseStroke]] = {model.model_fields["kind"].default: model for model in get_args(AnyStroke)}

_one: TypeAdapter[AnyStroke] = TypeAdapter(
    Annotated[AnyStroke, Field(discriminator="kind")], config=ConfigDict(defer_build=True)
)


class _AsOne:
    """What is known of all kinds is worked out once, when it is first asked for, not for each place that names them.

    (A model of 64 kinds takes a while to be made, and a dozen models of the API hold a stroke.)
    """

    @staticmethod
    def __get_pydantic_core_schema__(source: object, handler: GetCoreSchemaHandler) -> CoreSchema:
        return no_info_plain_validator_function(_one.validate_python)

    @staticmethod
    def __get_pydantic_json_schema__(schema: CoreSchema, handler: GetJsonSchemaHandler) -> JsonSchemaValue:
        _one.rebuild()
        return handler(_one.core_schema)


Stroke = TypeAliasType("Stroke", Annotated[AnyStroke, _AsOne])


def parse_stroke(data: object) -> AnyStroke:
    """A stroke from its text form (decoded JSON). Raises BadStroke with a sentence and the field's name."""
    try:
        return _one.validate_python(data)
    except ValidationError as error:
        raise explain(error.errors()) from None


def explain(faults: Sequence[Mapping[str, Any]]) -> BadStroke:
    """The first of pydantic's faults, as a sentence that names the field and its range."""
    first = faults[0]
    kind = first["type"]
    if kind.startswith("union_tag"):
        return BadStroke(f"kind must be one of {', '.join(KINDS)}.", "kind")
    of = next((step for step in first["loc"] if step in KINDS), "")
    # What stands before the stroke's kind is where the stroke itself stood.
    path = first["loc"][first["loc"].index(of) + 1 :] if of else first["loc"]
    # What follows the field are places within it, or the names that pydantic gives to a choice of types.
    types = ("int", "float", "str")
    places = [step for step in path[1:] if isinstance(step, int) or (step.isidentifier() and step not in types)]
    field = ".".join(str(step) for step in (*path[:1], *places)) or None
    name = field or "stroke"
    if kind == "value_error":
        return BadStroke(f"{first['msg'].removeprefix('Value error, ')}.", field)
    if kind == "missing":
        return BadStroke(f"{name} is missing.", field)
    if kind == "extra_forbidden":
        return BadStroke(f"{name} is not a field of this stroke.", field)
    if kind in ("too_short", "too_long"):
        fewest, most = (first["ctx"].get(name) for name in ("min_length", "max_length"))
        told = f"at least {fewest} {'entry' if fewest == 1 else 'entries'}" if fewest else f"at most {most:,} entries"
        return BadStroke(f"{name} must have {told}.", field)
    shown = f", not {first['input']!r:.40}" if "input" in first else ""
    if limits := _range(of, str(path[0]) if path else ""):
        return BadStroke(f"{name} must be {limits}{shown}.", field)
    if kind == "literal_error":
        return BadStroke(f"{name} must be {first['ctx']['expected'].replace(chr(39), '')}{shown}.", field)
    wanted = next((words for types, words in _WANTED.items() if kind in types), "something else")
    if wanted == OBJECT:
        wanted += {"where": ' such as {"parts": [0]}', "stroke": ' such as {"kind": "velocity.nudge", "by": 5}'}.get(
            name, ""
        )
    return BadStroke(f"{name} must be {wanted}{shown}.", field)


OBJECT = "an object in braces"
_WANTED = {
    ("dict_type", "model_type", "model_attributes_type", "mapping_type", "dataclass_type"): OBJECT,
    ("list_type", "tuple_type", "iterable_type", "set_type"): "a list",
    ("string_type", "string_sub_type", "string_unicode"): "text",
    ("bool_type", "bool_parsing"): "true or false",
    ("int_type", "int_parsing", "int_from_float", "int_parsing_size"): "a whole number",
    ("float_type", "float_parsing", "finite_number"): "a number",
    ("none_required",): "absent",
    ("string_too_long",): "a shorter text",
}
"""What pydantic's kinds of faults mean, where no range of the field says it better."""


def _range(kind: str, field: str) -> str | None:
    """What a field of a stroke may be, read from its model."""
    model = KINDS.get(kind)
    if not model or field not in model.model_fields:
        return None
    schema = model.model_json_schema()["properties"][field]
    return _allowed(schema)


def _allowed(schema: Document) -> str | None:
    if "anyOf" in schema:
        choices = [found for choice in schema["anyOf"] if (found := _allowed(choice))]
        return ", or ".join(choices) or None
    if "enum" in schema:
        return "one of " + ", ".join(str(value) for value in schema["enum"])
    noun = "a whole number" if schema.get("type") == "integer" else "a number"
    if "exclusiveMinimum" in schema:
        return f"{noun} above {schema['exclusiveMinimum']:g}, at most {schema['maximum']:g}"
    if "minimum" not in schema:
        return None
    return f"{noun} from {schema['minimum']:.15g} to {schema['maximum']:.15g}"


__all__ = ["KINDS", "AnyStroke", "BaseStroke", "Stroke", "Where", "explain", "parse_stroke", "select"]

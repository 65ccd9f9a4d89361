/** How each field of the table is asked for: by what it holds, whatever kind of stroke it is of. */
import type { ComponentType } from "react";
import { PassField } from "../PassForm";
import type { FieldProps } from "./form";
import { HandField } from "./hands";
import { NodeField, NoteField, PitchesField, ScaleField, ThroughField } from "./notes";
import { EachField, LaneField, LeftOutField, PlaceField } from "./places";
import {
  ChoiceField,
  FlagField,
  KindsField,
  LinesField,
  MeasureField,
  NumberField,
  OneOfField,
  RollField,
  TapField,
  TextField,
  TurnsField,
} from "./plain";
import { PatternField, WritingField } from "./shapes";

export const FIELDS: Record<string, ComponentType<FieldProps>> = {
  number: NumberField,
  choice: ChoiceField,
  flag: FlagField,
  measure: MeasureField,
  roll: RollField,
  turns: TurnsField,
  "one of": OneOfField,
  lane: LaneField,
  place: PlaceField,
  scale: ScaleField,
  lines: LinesField,
  through: ThroughField,
  pattern: PatternField,
  kinds: KindsField,
  pitches: PitchesField,
  tap: TapField,
  text: TextField,
  node: NodeField,
  note: NoteField,
  pass: PassField,
  writing: WritingField,
  each: EachField,
  hand: HandField,
  "left out": LeftOutField,
};

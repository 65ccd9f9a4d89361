/** What every field of the form of a stroke is given. */
import type { Stroke } from "../../../api/client";
import type { Ask } from "../../../api/strokes";

export interface FormProps {
  stroke: Stroke;
  /** Try other numbers; or try and keep them, where the stroke is kept already. */
  change: (fields: object) => void;
  keep: (fields: object) => void;
  problem: string | null;
}

export interface FieldProps extends FormProps {
  ask: Ask;
}

/** What a stroke says in a field. */
export const told = (stroke: Stroke, field: string): unknown =>
  (stroke as unknown as Record<string, unknown>)[field];

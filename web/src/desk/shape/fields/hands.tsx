/** Which hand a part is played by: those of the account, and one that is brought. */
import { useQuery } from "@tanstack/react-query";
import { useRef } from "react";
import { List } from "../../../ui/Entries";
import { FileChooser } from "../../../ui/FileChooser";
import { count } from "../../../ui/words";
import { bringHand, dropHand, type Hand, handOf, type Measured, readHands } from "../../strokes/hands";
import { complain } from "../../take/state";
import { type FieldProps, told } from "./form";

export function HandField({ ask, stroke, keep }: FieldProps) {
  const { data: hands = [] } = useQuery({ queryKey: ["hands"], queryFn: readHands });
  const held = told(stroke, ask.name) as Measured;
  const now = hands.find(({ name, notes }) => name === held.name && notes === held.notes);
  const take = async (found: Hand) => keep({ [ask.name]: await handOf(found.id) });
  const chooser = useRef<HTMLInputElement>(null);
  const bring = async (file: File) => {
    try {
      await take(await bringHand(file));
    } catch (thrown) {
      complain(thrown);
    }
  };
  return (
    <div className="col-span-2 space-y-1">
      <List
        label={ask.label}
        value={now?.id ?? ""}
        onChange={(id) => {
          const found = hands.find((one) => one.id === id);
          if (found) void take(found);
        }}
      >
        {!now && <option value="">{held.name}</option>}
        {hands.map(({ id, name }) => (
          <option key={id} value={id}>
            {name}
          </option>
        ))}
      </List>
      <p className="text-[13px] text-faded">
        From {count(held.notes, "note")}. {(held.lacks ?? []).join(" ")}
      </p>
      <div className="flex flex-wrap gap-1">
        {now && (
          <a className="key h-6 px-2 text-[13px]" href={`/api/hands/${now.id}`} download>
            Give on
          </a>
        )}
        <button type="button" className="key h-6 px-2 text-[13px]" onClick={() => chooser.current?.click()}>
          Bring one …
        </button>
        <FileChooser
          chooser={chooser}
          accept=".json,application/json"
          testId="hand"
          onFiles={([file]) => void bring(file!)}
        />
        {now && (
          <button type="button" className="key h-6 px-2 text-[13px]" onClick={() => void dropHand(now.id)}>
            Let go of it
          </button>
        )}
      </div>
    </div>
  );
}

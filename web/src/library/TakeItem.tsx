import { useState } from "react";
import { Link } from "react-router";
import type { TakeCard } from "../api/client";
import { Dots, Menu, MenuItem } from "../ui/Menu";
import { NameEntry } from "../ui/NameEntry";
import { Seal } from "../ui/Seal";
import { clock, count } from "../ui/words";
import { Sketch } from "./Sketch";

const SHOWN_PARTS = 6;

interface Props {
  take: TakeCard;
  onRename: (name: string) => void;
  onDelete: () => void;
}

export function TakeItem({ take, onRename, onDelete }: Props) {
  const [renaming, setRenaming] = useState(false);
  const { summary } = take;
  return (
    <li className="relative flex flex-col rounded-xl border border-rule bg-sheet p-4 hover:border-rule-strong">
      <div className="flex items-start gap-2">
        {renaming ? (
          <NameEntry
            label="Name of the take"
            name={take.name}
            maxLength={200}
            className="relative z-10 flex-1"
            asked
            onDone={(name) => {
              setRenaming(false);
              if (name && name !== take.name) onRename(name);
            }}
          />
        ) : (
          <Link
            to={`/takes/${take.id}`}
            className="min-w-0 flex-1 text-[17px] leading-snug font-medium [overflow-wrap:anywhere] before:absolute before:inset-0 before:rounded-xl"
          >
            {take.name}
          </Link>
        )}
        <TakeMenu name={take.name} onRename={() => setRenaming(true)} onDelete={onDelete} />
      </div>
      <p className="mb-3 text-faded">
        {clock(summary.seconds)} · {count(summary.bars, "bar")} · {count(summary.notes, "note")}
      </p>
      <Sketch summary={summary} />
      <ul className="mt-3 flex flex-wrap gap-x-3 gap-y-1 text-[13px] text-faded">
        {summary.parts.slice(0, SHOWN_PARTS).map((part) => (
          <li key={part.seal} className="flex max-w-full min-w-0 items-center gap-1.5">
            <Seal dye={part.dye} seal={part.seal} />
            <span className="truncate">{part.name}</span>
          </li>
        ))}
        {summary.parts.length > SHOWN_PARTS && <li>and {summary.parts.length - SHOWN_PARTS} more</li>}
        {!summary.parts.length && <li>No parts</li>}
      </ul>
    </li>
  );
}

function TakeMenu({
  name,
  onRename,
  onDelete,
}: {
  name: string;
  onRename: () => void;
  onDelete: () => void;
}) {
  return (
    <Menu
      label={`More for ${name}`}
      sign={<Dots />}
      className="relative z-10 -mt-1 -mr-1 h-8 w-8 rounded-md hover:bg-paper"
    >
      <MenuItem onSelect={onRename}>Rename</MenuItem>
      <MenuItem onSelect={onDelete}>Delete</MenuItem>
    </Menu>
  );
}

import { DropdownMenu } from "radix-ui";
import { useEffect, useRef, useState } from "react";
import { Link } from "react-router";
import type { PartScore } from "../../score/score";
import { player, usePlayer } from "../../sound/player";
import { MENU_ITEM, Menu, MenuItem } from "../../ui/Menu";
import { NameEntry } from "../../ui/NameEntry";
import { Seal } from "../../ui/Seal";
import { Wordmark } from "../../ui/Wordmark";
import { DYES, partDye, partName, renamePart, showBehind, toFront } from "../take/arranging";
import { set, useDesk } from "../take/state";
import { FileLink } from "./FileLink";

/** The take's name, its parts, and the way out with the file. */
export function Header({ onFind }: { onFind: () => void }) {
  const name = useDesk((state) => state.name);
  const score = useDesk((state) => state.score);
  return (
    <header className="flex items-center gap-3 border-b border-rule-strong bg-sheet px-4 py-2 folded:flex-wrap folded:gap-2 folded:px-2">
      <Link to="/" className="text-2xl leading-none" aria-label="Lull: back to the library">
        <Wordmark />
      </Link>
      <h1 className="min-w-16 max-w-[30ch] truncate text-[15px] font-semibold folded:flex-1" title={name}>
        {name}
      </h1>
      <Saving />
      <Parts />
      <button
        type="button"
        className="key key-plain shrink-0 px-2"
        onClick={onFind}
        title="Find any action (/)"
      >
        Find
      </button>
      {PANES.map((pane) => (
        <PaneKey key={pane.words} {...pane} />
      ))}
      {score && <Download takeId={score.id} />}
    </header>
  );
}

type Pane = "rigOpen" | "pageOpen" | "listOpen" | "panelOpen";

const PANES: { pane: Pane; words: string; title?: string }[] = [
  {
    pane: "rigOpen",
    words: "Play in",
    title: "Record, from an instrument or from the practice rig (y)",
  },
  { pane: "pageOpen", words: "Page", title: "The parts in front as staff notation (q)" },
  { pane: "listOpen", words: "Events" },
  { pane: "panelOpen", words: "Panel" },
];

function PaneKey({ pane, words, title }: (typeof PANES)[number]) {
  const open = useDesk((state) => state[pane]);
  return (
    <button
      type="button"
      className="key shrink-0 px-2.5 aria-pressed:border-ink aria-pressed:bg-ink aria-pressed:text-sheet"
      aria-pressed={open}
      title={title}
      onClick={() => set({ [pane]: !open })}
    >
      {words}
    </button>
  );
}

function Download({ takeId }: { takeId: string }) {
  const open = useDesk((state) => state.outOpen);
  return (
    <span className="flex shrink-0">
      <FileLink
        className="key rounded-r-none border-r-0"
        href={`/api/takes/${takeId}/file`}
        onClick={() => void import("../take/unsent").then(({ tellUnsent }) => tellUnsent(""))}
      >
        Download .mid
      </FileLink>
      <button
        type="button"
        className="key rounded-l-none px-2 aria-pressed:border-ink aria-pressed:bg-ink aria-pressed:text-sheet"
        aria-label="Take it home in another form"
        aria-pressed={open}
        title="Every form: MPE, clip, some bars, the page, as it sounds"
        onClick={() => set({ outOpen: !open })}
      >
        ▾
      </button>
    </span>
  );
}

/** That something is being saved still; what is done in no time is not told. */
function Saving() {
  const saving = useDesk((state) => state.saving > 0);
  return (
    <span aria-live="polite" className="w-14 shrink-0 text-[13px] text-faded">
      {saving && <span className="appear-late">Saving …</span>}
    </span>
  );
}

/** All parts in a row; what does not fit is seen to be there, and reached by wheel, keys or the arrows at the ends. */
function Parts() {
  const parts = useDesk((state) => state.score?.parts);
  const lead = useDesk((state) => state.fronts[0]);
  const row = useRef<HTMLElement>(null);
  const [beyond, setBeyond] = useState({ left: false, right: false });
  const measure = () => {
    const { scrollLeft, clientWidth, scrollWidth } = row.current as HTMLElement;
    setBeyond({ left: scrollLeft > 1, right: scrollLeft + clientWidth < scrollWidth - 1 });
  };
  // biome-ignore lint/correctness/useExhaustiveDependencies: other parts are another width
  useEffect(() => {
    const sizes = new ResizeObserver(measure);
    sizes.observe(row.current as HTMLElement);
    measure();
    return () => sizes.disconnect();
  }, [parts]);
  useEffect(() => {
    row.current
      ?.querySelectorAll("[data-part]")
      [lead ?? 0]?.scrollIntoView({ block: "nearest", inline: "nearest" });
  }, [lead]);
  const turn = (way: number) => row.current?.scrollBy({ left: way * 0.8 * (row.current?.clientWidth ?? 0) });
  return (
    <>
      {beyond.left && <More label="Parts before these" path="M7 1L3 5l4 4" onClick={() => turn(-1)} />}
      <nav
        ref={row}
        aria-label="Parts"
        className="flex min-w-0 flex-1 gap-0.5 overflow-x-auto p-1 [scrollbar-width:none] folded:order-last folded:basis-[80%]"
        onScroll={measure}
        onWheel={(event) => event.currentTarget.scrollBy({ left: event.deltaX || event.deltaY })}
      >
        {parts?.map((part) => (
          <PartChip key={part.id} part={part} />
        ))}
      </nav>
      {beyond.right && <More label="More parts" path="M3 1l4 4-4 4" onClick={() => turn(1)} />}
    </>
  );
}

function More({ label, path, onClick }: { label: string; path: string; onClick: () => void }) {
  return (
    <button
      type="button"
      aria-label={label}
      title={label}
      onClick={onClick}
      className="grid h-8 w-6 shrink-0 place-items-center rounded hover:bg-paper"
    >
      <svg viewBox="0 0 10 10" className="h-3 w-3" aria-hidden>
        <path d={path} fill="none" stroke="currentColor" strokeWidth="1.6" />
      </svg>
    </button>
  );
}

/** A part: a click brings it to the front, with Shift beside the others; its menu does the rest. */
function PartChip({ part }: { part: PartScore }) {
  const inFront = useDesk((state) => state.fronts.includes(part.id));
  const isLead = useDesk((state) => state.fronts[0] === part.id);
  const isHidden = useDesk((state) => state.hidden.includes(part.id));
  const arrangement = useDesk((state) => state.arrangement);
  const isMuted = usePlayer((state) => state.muted.includes(part.id));
  const isSoloed = usePlayer((state) => state.soloed.includes(part.id));
  const renaming = useDesk((state) => state.renaming === part.id);
  const name = partName(part, arrangement);
  const sharing = part.shares.length ? `; shares the lanes of channel ${part.channel}` : "";
  if (renaming) {
    const done = (typed: string) => {
      set({ renaming: null });
      if (typed !== name) renamePart(part.id, { name: typed });
    };
    return (
      <NameEntry
        label="Name of the part"
        name={name}
        maxLength={120}
        className="h-8 w-40"
        asked
        onDone={done}
      />
    );
  }
  return (
    <div
      data-part={part.id}
      className={`flex h-8 shrink-0 items-center rounded-full border ${
        inFront ? "border-rule-strong bg-paper" : "border-transparent"
      }`}
    >
      <button
        type="button"
        aria-pressed={inFront}
        title={`${name}: click to bring it to the front, Shift-click to have it there beside the others${sharing}`}
        onClick={(event) => toFront(part.id, event.shiftKey)}
        className={`flex h-full items-center gap-1.5 rounded-l-full pl-2 ${
          inFront ? "text-ink" : "text-faded hover:text-ink"
        } ${isHidden ? "opacity-50" : ""}`}
      >
        <Seal dye={partDye(part, arrangement)} seal={part.seal} />
        <span className={`max-w-36 truncate ${isLead ? "font-semibold" : ""}`}>{name}</span>
        {isMuted && <span className="text-[11px] text-accent-deep">muted</span>}
        {isSoloed && <span className="text-[11px] text-accent-deep">solo</span>}
      </button>
      <PartMenu
        part={part}
        name={name}
        isHidden={isHidden}
        isMuted={isMuted}
        isSoloed={isSoloed}
        inFront={inFront}
        onRename={() => set({ renaming: part.id })}
      />
    </div>
  );
}

interface MenuProps {
  part: PartScore;
  name: string;
  inFront: boolean;
  isHidden: boolean;
  isMuted: boolean;
  isSoloed: boolean;
  onRename: () => void;
}

function PartMenu({ part, name, inFront, isHidden, isMuted, isSoloed, onRename }: MenuProps) {
  return (
    <Menu
      label={`More for part ${name}`}
      align="start"
      className="h-full w-6 rounded-r-full pr-1"
      sign={
        <svg viewBox="0 0 10 10" className="h-2.5 w-2.5" aria-hidden>
          <path d="M1.5 3.5L5 7l3.5-3.5" fill="none" stroke="currentColor" strokeWidth="1.4" />
        </svg>
      }
    >
      <MenuItem onSelect={() => toFront(part.id, true)}>
        {inFront ? "Away from the front" : "To the front beside the others"}
      </MenuItem>
      <DropdownMenu.CheckboxItem
        className={MENU_ITEM}
        checked={!isHidden}
        disabled={inFront}
        onCheckedChange={(shown) => showBehind(part.id, shown)}
      >
        <Tick on={!isHidden} /> Show behind
      </DropdownMenu.CheckboxItem>
      <DropdownMenu.CheckboxItem
        className={MENU_ITEM}
        checked={isMuted}
        onCheckedChange={() => player.hush(part.id, "muted")}
      >
        <Tick on={isMuted} /> Mute
      </DropdownMenu.CheckboxItem>
      <DropdownMenu.CheckboxItem
        className={MENU_ITEM}
        checked={isSoloed}
        onCheckedChange={() => player.hush(part.id, "soloed")}
      >
        <Tick on={isSoloed} /> Solo
      </DropdownMenu.CheckboxItem>
      <MenuItem onSelect={onRename}>Rename</MenuItem>
      <MenuItem onSelect={() => void import("../strokes/hands").then(({ measureHand }) => measureHand(part))}>
        Measure how it is played
      </MenuItem>
      <DropdownMenu.Separator className="my-1 h-px bg-rule" />
      <DropdownMenu.Label className="px-3 pt-1 text-[12px] text-faded">Colour</DropdownMenu.Label>
      <DropdownMenu.RadioGroup
        value={partDye(part)}
        onValueChange={(dye) => renamePart(part.id, { dye })}
        className="grid grid-cols-4 gap-1 p-2"
      >
        {DYES.map((dye) => (
          <DropdownMenu.RadioItem
            key={dye}
            value={dye}
            aria-label={dye}
            title={dye}
            className="h-7 cursor-pointer rounded border-2 border-transparent outline-none data-[highlighted]:border-ink data-[state=checked]:border-ink"
            style={{ background: `var(--color-${dye})` }}
          />
        ))}
      </DropdownMenu.RadioGroup>
    </Menu>
  );
}

function Tick({ on }: { on: boolean }) {
  return (
    <svg viewBox="0 0 12 12" className="h-3 w-3" aria-hidden>
      {on && <path d="M2 6.5l3 3 5-7" fill="none" stroke="currentColor" strokeWidth="1.8" />}
    </svg>
  );
}

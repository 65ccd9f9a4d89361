import { useState } from "react";
import { late } from "../../ui/late";

const LaneSearch = late(async () => (await import("./LaneSearch")).LaneSearch);

/** Search all lanes by number, name or another word for them. */
export function AddLane({ shown }: { shown: string[] }) {
  const [searching, setSearching] = useState(false);
  if (searching) return <LaneSearch shown={shown} onDone={() => setSearching(false)} />;
  return (
    <button
      type="button"
      className="h-7 px-3 text-[13px] text-faded hover:text-ink"
      onClick={() => setSearching(true)}
    >
      Add a lane …
    </button>
  );
}

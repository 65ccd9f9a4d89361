import { VELOCITY } from "../../score/lanes";
import { List } from "../../ui/Entries";
import { bringToSight } from "../stage/laneSight";
import { changeLane } from "../take/arranging";
import { set, useDesk } from "../take/state";

/** The lane that Shape acts on: velocity, or one of the lanes on the desk. */
export function ActiveLane() {
  const activeLane = useDesk((state) => state.activeLane);
  const kinds = useDesk((state) => state.kinds);
  return (
    <List
      label="Lane"
      called="Lane that Shape acts on"
      className="mb-2"
      value={activeLane}
      onChange={(key) => {
        set({ activeLane: key });
        if (key === VELOCITY) return;
        changeLane(key, { open: true });
        bringToSight(key);
      }}
    >
      {[...kinds.values()].map(({ key, title }) => (
        <option key={key} value={key}>
          {title}
        </option>
      ))}
    </List>
  );
}

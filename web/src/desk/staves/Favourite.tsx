import { DYES, wish } from "../take/arranging";
import { useDesk, type Wishes } from "../take/state";

type Favourite = NonNullable<Wishes["favourites"]>[number];

/** A favourite's own label and dye, in every take of the account. */
export function FavouriteLook({ favourite, title }: { favourite: Favourite; title: string }) {
  const change = (fields: Partial<Favourite>) => {
    const all = useDesk.getState().wishes.favourites ?? [];
    wish({ favourites: all.map((one) => (one.key === favourite.key ? { ...one, ...fields } : one)) });
  };
  return (
    <>
      <input
        aria-label={`Label of ${title}`}
        placeholder={title}
        defaultValue={favourite.label}
        maxLength={40}
        onBlur={(event) => change({ label: event.currentTarget.value.trim() })}
        onKeyDown={(event) => event.key === "Enter" && event.currentTarget.blur()}
        className="h-[18px] w-32 rounded border border-rule bg-sheet px-1"
      />
      <select
        aria-label={`Colour of ${title}`}
        value={favourite.dye}
        onChange={(event) => change({ dye: event.target.value })}
        className="h-[18px] rounded border border-rule bg-sheet"
      >
        {DYES.map((dye) => (
          <option key={dye}>{dye}</option>
        ))}
      </select>
    </>
  );
}

export function toggleFavourite(key: string): void {
  const favourites = useDesk.getState().wishes.favourites ?? [];
  const isOne = favourites.some((one) => one.key === key);
  wish({
    favourites: isOne
      ? favourites.filter((one) => one.key !== key)
      : [...favourites, { key, label: "", dye: "madder" }],
  });
}

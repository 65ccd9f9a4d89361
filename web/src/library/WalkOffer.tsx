import { useQuery } from "@tanstack/react-query";
import { Link } from "react-router";
import { answered, api, type Schemas } from "../api/client";
import { queries } from "../api/queries";

type Wishes = Schemas["Wishes"];
const KEY = ["preferences"];

/** Offered until it has been taken or turned down, and then not seen again. */
export function WalkOffer() {
  const { data: wishes } = useQuery({
    queryKey: KEY,
    queryFn: () => answered<Wishes>(api.GET("/api/preferences")),
    staleTime: 0,
  });
  if (!wishes || wishes.walked) return null;
  const turnDown = () => {
    const next = { ...wishes, walked: true };
    queries.setQueryData<Wishes>(KEY, next);
    void api.PUT("/api/preferences", { body: next });
  };
  return (
    <section
      aria-label="A first walk"
      className="mb-5 flex flex-wrap items-center gap-x-4 gap-y-2 rounded-xl border border-rule-strong bg-sheet px-5 py-3"
    >
      <p className="min-w-60 flex-1">
        <span className="font-mark text-lg italic">New here?</span> A walk of three minutes: hear a take, let
        four bars build, and take it home.
      </p>
      <Link to="/show/the-keepers-log?walk=1" className="key">
        Take the walk
      </Link>
      <button type="button" className="key key-plain text-faded" onClick={turnDown}>
        Not now
      </button>
    </section>
  );
}

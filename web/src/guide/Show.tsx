import { useEffect, useState } from "react";
import { Link, useLocation, useNavigate, useParams } from "react-router";
import { answered, api, sentence } from "../api/client";

/** Opens a take of the fog signal at a place: it is added to the library where it is not there yet. */
export function Show() {
  const { example = "" } = useParams();
  const { search } = useLocation();
  const go = useNavigate();
  const [problem, setProblem] = useState("");
  useEffect(() => {
    let left = false;
    const params = { path: { name: example } };
    answered<{ id: string }>(api.POST("/api/examples/{name}", { params }))
      .then(({ id }) => !left && go(`/takes/${id}${search}`, { replace: true }))
      .catch((thrown) => setProblem(sentence(thrown)));
    return () => {
      left = true;
    };
  }, [example, search, go]);
  return (
    <main className="grid h-full place-items-center p-6 text-center">
      {problem ? (
        <div>
          <p role="alert" className="mb-4 font-mark text-2xl italic">
            {problem}
          </p>
          <Link to="/guide" className="key">
            Back to the guide
          </Link>
        </div>
      ) : (
        <p className="appear-late text-faded">Opening the take …</p>
      )}
    </main>
  );
}

import { type ComponentType, type ReactNode, useEffect, useState } from "react";

/**
 * A component whose code comes when it is first shown, and is there at once from then on.
 *
 * React's own `lazy` has what it suspended wait until 300 ms after the last thing that was shown in its place: a page
 * asked for its data, and a panel was seen, that much later than they could.
 */
export function late<Props extends object>(
  load: () => Promise<ComponentType<Props>>,
  meanwhile: ReactNode = null,
) {
  const coming: Coming<Props> = { load };
  return (props: Props) => <Late coming={coming} props={props} meanwhile={meanwhile} />;
}

interface Coming<Props> {
  load: () => Promise<ComponentType<Props>>;
  /** Once it is there. */
  found?: ComponentType<Props>;
}

interface LateProps<Props> {
  coming: Coming<Props>;
  props: Props;
  meanwhile: ReactNode;
}

function Late<Props extends object>({ coming, props, meanwhile }: LateProps<Props>) {
  const [Found, setFound] = useState(() => coming.found);
  const [problem, setProblem] = useState<{ of: unknown }>();
  useEffect(() => {
    if (Found) return;
    // Asked for by each that is shown without it: the browser brings it once.
    coming.load().then(
      (found) => {
        coming.found = found;
        setFound(() => found);
      },
      (thrown) => setProblem({ of: thrown }),
    );
  }, [coming, Found]);
  if (problem) throw problem.of;
  return Found ? <Found {...props} /> : meanwhile;
}

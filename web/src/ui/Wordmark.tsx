/** The product's name, set as a musical mark. */
export function Wordmark() {
  return <span className="font-mark font-semibold text-accent italic">Lull</span>;
}

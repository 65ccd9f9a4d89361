/** Shown where a page could not go on, in place of it. */
export function Broken() {
  return (
    <main className="grid h-full place-items-center p-6">
      <div className="max-w-md text-center">
        <p role="alert" className="mb-4 font-mark text-2xl italic">
          Something on this page went wrong. What was saved is safe.
        </p>
        <button type="button" className="key key-warm" onClick={() => window.location.reload()}>
          Load it again
        </button>{" "}
        <a href="/" className="key">
          Back to the library
        </a>
      </div>
    </main>
  );
}

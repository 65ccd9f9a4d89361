import { Component, type ReactNode } from "react";
import { Wordmark } from "./Wordmark";

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

/** Shown where there is no such page. */
export function Nothing() {
  return (
    <main className="grid h-full place-items-center p-6">
      <div className="max-w-md text-center">
        <h1 className="mb-3 text-3xl">
          <Wordmark />
        </h1>
        <p className="mb-4 font-mark text-2xl italic">There is nothing at this address.</p>
        <a href="/" className="key">
          To the library
        </a>
      </div>
    </main>
  );
}

/** A page, until something in it goes wrong. (React asks for a class here.) */
export class Unbroken extends Component<{ children: ReactNode }, { broken: boolean }> {
  state = { broken: false };

  static getDerivedStateFromError = () => ({ broken: true });

  render() {
    return this.state.broken ? <Broken /> : this.props.children;
  }
}

import type { ReactNode } from "react";
import { Wordmark } from "../ui/Wordmark";

/** What stands alone on a page, under the name of the house. */
export function Card({ children }: { children: ReactNode }) {
  return (
    <main className="grid h-full place-items-center p-6">
      <section className="w-80 rounded-xl border border-rule bg-sheet p-7">
        <h1 className="mb-1 text-4xl">
          <Wordmark />
        </h1>
        {children}
      </section>
    </main>
  );
}

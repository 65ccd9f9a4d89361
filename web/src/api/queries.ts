/** What is only read, kept while it may be shown again; each answer under a key that says all that it depends on. */
import { QueryClient } from "@tanstack/react-query";

const KEPT_MS = 60_000;

export const queries = new QueryClient({
  defaultOptions: {
    queries: {
      // An answer belongs to its key and does not age: what changes is in the key, or is made invalid by its change.
      staleTime: Number.POSITIVE_INFINITY,
      gcTime: KEPT_MS,
      retry: false,
      networkMode: "always",
      refetchOnWindowFocus: false,
    },
  },
});

/**
 * What was asked under a key is asked anew. A first answer that is still on its way is older than the change: without
 * being called off it would be taken for the new one.
 */
export async function askAnew(key: string): Promise<void> {
  await queries.cancelQueries({ queryKey: [key] });
  await queries.invalidateQueries({ queryKey: [key] });
}

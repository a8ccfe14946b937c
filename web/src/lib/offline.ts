import { type DehydratedState, dehydrate, hydrate, type QueryClient } from "@tanstack/react-query";
import { store } from "./store";

/** Answers that a person in the woods or beside the pans needs again without coverage. */
const KEPT = new Set([
  "session",
  "clock",
  "line",
  "woods",
  "map",
  "profile",
  "alarms",
  "hunts",
  "hunt",
  "walks",
  "bushes",
  "book",
  "round",
  "tapping",
  "boil",
  "membrane",
  "tonight",
  "lists",
  "runs",
]);
const KEY = "queries";
const EVERY_MS = 1500;

/** Bring back the last answers, then keep them up to date. */
export async function keepAnswers(client: QueryClient): Promise<void> {
  try {
    const kept = await store.answers.get(KEY);
    if (kept) hydrate(client, kept.value as DehydratedState);
    // shown at once, and asked for anew wherever it is shown
    client.invalidateQueries({ refetchType: "none" });
  } catch {
    return; // a browser that keeps nothing still works with coverage
  }
  let timer: ReturnType<typeof setTimeout> | undefined;
  client.getQueryCache().subscribe((event) => {
    if (event.type !== "updated" || event.action.type !== "success" || timer) return;
    timer = setTimeout(() => {
      timer = undefined;
      void keepNow(client);
    }, EVERY_MS);
  });
}

/** Keep what is shown at this moment; done when it is on this device. */
export async function keepNow(client: QueryClient): Promise<void> {
  await store.answers.put({ key: KEY, value: lastAnswers(client) }).catch(() => undefined);
}

/** The last answer to every question worth keeping. One that could not be asked again just now keeps its answer: that is when
 * it is needed. */
export function lastAnswers(client: QueryClient): DehydratedState {
  const state = dehydrate(client, {
    shouldDehydrateQuery: (query) => query.state.data !== undefined && KEPT.has(String(query.queryKey[0])),
    shouldDehydrateMutation: () => false,
  });
  const queries = state.queries.map((query) => ({
    ...query,
    state: { ...query.state, status: "success" as const, error: null, fetchStatus: "idle" as const },
  }));
  return { ...state, queries };
}

/** Whoever signs out leaves no answers behind. What waits to be sent stays: it belongs to that person and is sent only as theirs. */
export async function forgetAnswers(): Promise<void> {
  await store.answers.clear().catch(() => undefined);
}

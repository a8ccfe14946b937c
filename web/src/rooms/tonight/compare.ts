import { useQuery } from "@tanstack/react-query";
import { useEffect, useState } from "react";
import { crumb, type Fault, Refusal, type Shapes } from "../../lib/api";

type Assumed = Shapes["Assumptions"];
type Found = Shapes["CompareOut"];
type Step = { done: number; answer?: Found };

/** The comparison for what is assumed, a moment after the last change; the last answer stays until the first of the new one
 * comes, which is made better step by step. A change or `cancel` leaves off reading, which stops the work on the server. */
export function useCompare(slug: string, assumed: Assumed) {
  const [settled, setSettled] = useState(assumed);
  const [done, setDone] = useState(1);
  const [stopper, setStopper] = useState<AbortController | null>(null);
  const [early, setEarly] = useState<{ of: Assumed; found: Found } | null>(null);
  useEffect(() => {
    const timer = setTimeout(() => setSettled(assumed), 80);
    return () => clearTimeout(timer);
  }, [assumed]);
  const query = useQuery({
    queryKey: ["compare", slug, settled],
    queryFn: async ({ signal }) => {
      const own = new AbortController();
      setStopper(own);
      setDone(0);
      try {
        return await stepwise(slug, settled, AbortSignal.any([signal, own.signal]), (step) => {
          setDone(step.done);
          if (step.answer) setEarly({ of: settled, found: step.answer });
        });
      } finally {
        setDone(1);
        setStopper(null);
      }
    },
    placeholderData: (before) => before,
    staleTime: 60_000,
    retry: false,
  });
  const fresh = query.isPlaceholderData || !query.data ? (early?.of === settled ? early.found : undefined) : undefined;
  return {
    data: fresh ?? query.data,
    error: query.error,
    isFetching: query.isFetching,
    stale: query.isPlaceholderData && !fresh,
    /** a first look, whose minutes are still being counted */
    early: fresh !== undefined,
    done,
    cancel: () => stopper?.abort(),
  };
}

/** Read the answer step by step. Throws a Refusal as every other call does. */
async function stepwise(slug: string, body: Assumed, signal: AbortSignal, onStep: (step: Step) => void) {
  const response = await fetch(`/api/v1/operations/${slug}/tonight/compare-steps`, {
    method: "POST",
    headers: { "Content-Type": "application/json", "X-CSRFToken": crumb() },
    body: JSON.stringify(body),
    signal,
  });
  if (!response.ok || !response.body) {
    const faults = ((await response.json().catch(() => null)) as { errors?: Fault[] } | null)?.errors;
    throw new Refusal(
      response.status,
      faults ?? [{ field: "server", message: `the server answered ${response.status}` }],
    );
  }
  const reader = response.body.pipeThrough(new TextDecoderStream()).getReader();
  let rest = "";
  for (;;) {
    const { value, done } = await reader.read();
    rest += value ?? "";
    const lines = rest.split("\n");
    rest = lines.pop() ?? "";
    for (const line of lines) {
      const step = JSON.parse(line) as Step;
      if (step.answer && step.done >= 1) return step.answer;
      onStep(step);
    }
    if (done) throw new Error("the server stopped in the middle of its answer");
  }
}

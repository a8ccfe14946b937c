import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useHere } from "../../app/session";
import { api, type Refusal, type Shapes, take } from "../../lib/api";

export type Book = Shapes["BookOut"];
export type Change = { what: "point" | "line"; tag: string; set?: Shapes["Values"]; remove?: boolean };

export function useBook(bush: string) {
  const { operation } = useHere();
  return useQuery({
    queryKey: ["book", operation.slug, bush],
    queryFn: () =>
      take(
        api.GET("/api/v1/operations/{operation}/bushes/{bush}", {
          params: { path: { operation: operation.slug, bush } },
        }),
      ),
    enabled: bush !== "",
  });
}

/** Draws anew whatever shows the lines. */
export function useLinesChanged(bush: string) {
  const { operation } = useHere();
  const client = useQueryClient();
  return () => {
    for (const what of ["map", "woods", "bushes", "profile"])
      client.invalidateQueries({ queryKey: [what, operation.slug] });
    for (const what of ["book", "round", "changes", "due", "cuts", "gauges", "tapping"])
      client.invalidateQueries({ queryKey: [what, operation.slug, bush] });
  };
}

/** Changes features of the bush; the whole is checked before anything is kept. */
export function useChange(bush: string, done?: () => void) {
  const { operation } = useHere();
  const changed = useLinesChanged(bush);
  return useMutation<Book, Refusal, Change[]>({
    mutationFn: (changes) =>
      take(
        api.PATCH("/api/v1/operations/{operation}/bushes/{bush}/features", {
          params: { path: { operation: operation.slug, bush } },
          body: {
            changes: changes.map((one) => ({
              what: one.what,
              tag: one.tag,
              set: one.set ?? {},
              remove: one.remove ?? false,
            })),
          },
        }),
      ),
    onSuccess: () => {
      changed();
      done?.();
    },
  });
}

export const REMARK: Record<string, string> = {
  uphill: "runs uphill to the pump",
  flat: "flatter than 2 %",
  taps_a_lateral: "too many taps on a lateral",
  main_too_small: "too small for its taps in a strong run",
  vacuum_at_end: "loses too much vacuum to its end in a strong run",
};

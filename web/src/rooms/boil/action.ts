import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useHere } from "../../app/session";
import type { Shapes } from "../../lib/api";

export type BoilFacts = Shapes["BoilOut"];

/** Something written beside the pan: sent, then every picture that shows it is drawn anew. */
export function useBoilAction<T>(send: (value: T) => Promise<unknown>, done?: () => void) {
  const { operation } = useHere();
  const client = useQueryClient();
  return useMutation({
    mutationFn: send,
    onSuccess: () => {
      done?.();
      client.invalidateQueries({ queryKey: ["boil", operation.slug] });
      client.invalidateQueries({ queryKey: ["line", operation.slug] });
      client.invalidateQueries({ queryKey: ["runs", operation.slug] });
    },
  });
}

import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useHere } from "../../app/session";

/** Something written in the Barrels room, then every picture that shows it is drawn anew. */
export function useBarrelsAction<T>(send: (value: T) => Promise<unknown>, done?: () => void) {
  const { operation } = useHere();
  const client = useQueryClient();
  return useMutation({
    mutationFn: send,
    onSuccess: () => {
      for (const room of ["barrels", "pack", "season", "measures"])
        client.invalidateQueries({ queryKey: [room, operation.slug] });
      done?.();
    },
  });
}

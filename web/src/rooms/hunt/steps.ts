import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useHere } from "../../app/session";
import { api, type Refusal, type Shapes, take } from "../../lib/api";

export type Kind = Shapes["StepIn"]["kind"];
export type Write = (kind: Kind, place: string | null, facts: Shapes["StepFacts"], done?: (at: string) => void) => void;

/** Writes steps of one hunt. Each carries a token made here, so that sending it again is harmless. */
export function useSteps(number: number): { write: Write; undo: (step: number) => void; fault: Refusal | null } {
  const { operation } = useHere();
  const client = useQueryClient();
  const fresh = (hunt: Shapes["HuntOut"]) => {
    client.setQueryData(["hunt", operation.slug, number], hunt);
    client.invalidateQueries({ queryKey: ["hunts", operation.slug] });
  };
  const write = useMutation<Shapes["HuntOut"], Refusal, Shapes["StepIn"] & { token: string }>({
    mutationFn: (body) =>
      take(
        api.POST("/api/v1/operations/{operation}/hunts/{number}/steps", {
          params: { path: { operation: operation.slug, number } },
          body,
        }),
      ),
    onSuccess: fresh,
    retry: (count, error) => !("status" in error) && count < 3,
  });
  const undo = useMutation<Shapes["HuntOut"], Refusal, number>({
    mutationFn: (step) =>
      take(
        api.DELETE("/api/v1/operations/{operation}/hunts/{number}/steps/{step}", {
          params: { path: { operation: operation.slug, number, step } },
        }),
      ),
    onSuccess: fresh,
  });
  return {
    write: (kind, place, facts, done) =>
      write.mutate(
        { kind, place, facts, token: crypto.randomUUID() },
        { onSuccess: (hunt) => done?.(hunt.steps_log.at(-1)?.at ?? new Date().toISOString()) },
      ),
    undo: (step) => undo.mutate(step),
    fault: write.error ?? undo.error,
  };
}

import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useLetters } from "../../app/letters";
import { useHere } from "../../app/session";
import { api, type Refusal, type Shapes, take } from "../../lib/api";
import type { Waiting } from "../../lib/store";

export type Kind = Shapes["StepIn"]["kind"];
export type Write = (kind: Kind, place: string | null, facts: Shapes["StepFacts"], done?: (at: string) => void) => void;
export type Steps = {
  write: Write;
  photo: (picture: Blob, place: string, text: string) => void;
  undo: (step: number) => void;
  waiting: Waiting[];
  fault: string | null;
};

/** Writes steps of one hunt. Each is kept on this device first, with a token made here, and sent when there is coverage. */
export function useSteps(number: number): Steps {
  const { operation } = useHere();
  const client = useQueryClient();
  const letters = useLetters(`hunt ${number}`);
  const keep = async (
    what: "steps" | "photos",
    body: Record<string, unknown>,
    done?: (at: string) => void,
    photo?: Blob,
  ) => {
    let written = "";
    const kept = await letters.send(
      `hunts/${number}/${what}`,
      (token, at) => {
        written = at;
        return { ...body, at, token };
      },
      photo,
    );
    if (kept) done?.(written);
  };
  const undo = useMutation<Shapes["HuntOut"], Refusal, number>({
    mutationFn: (step) =>
      take(
        api.DELETE("/api/v1/operations/{operation}/hunts/{number}/steps/{step}", {
          params: { path: { operation: operation.slug, number, step } },
        }),
      ),
    onSuccess: (shown) => {
      client.setQueryData(["hunt", operation.slug, number], shown);
      client.invalidateQueries({ queryKey: ["hunts", operation.slug] });
    },
  });
  return {
    write: (kind, place, facts, done) => keep("steps", { kind, place, facts }, done),
    photo: (picture, place, text) => keep("photos", { place, text }, undefined, picture),
    undo: (step) => undo.mutate(step),
    waiting: letters.waiting,
    fault: letters.fault ?? undo.error?.message ?? null,
  };
}

const AFTER: Record<string, string> = {
  going: "narrowing",
  shut: "narrowing",
  look: "narrowing",
  found: "found",
  repaired: "repaired",
  not_found: "waiting",
  dropped: "dropped",
};

/** The state that a case will have when all that waits has been taken: what the person in the woods goes by. */
export function stateWith(state: string, waiting: Waiting[]): string {
  return waiting.filter((one) => !one.refused).reduce((now, one) => AFTER[String(one.body.kind)] ?? now, state);
}

import { type QueryClient, useMutation, useQueryClient } from "@tanstack/react-query";
import { type Letters, useLetters } from "../../app/letters";
import { useHere } from "../../app/session";
import type { Shapes } from "../../lib/api";
import { useWaiting } from "../../lib/outbox";
import type { Waiting } from "../../lib/store";

export type BoilFacts = Shapes["BoilOut"];

/** What shows something written beside the pan. */
const SHOWN_IN = ["boil", "line", "runs", "membrane"];

/** Something sent at once (it needs the server), then every picture that shows it is drawn anew. */
export function useBoilAction<T>(send: (value: T) => Promise<unknown>, done?: () => void) {
  const { operation } = useHere();
  const client = useQueryClient();
  return useMutation({
    mutationFn: send,
    onSuccess: () => {
      done?.();
      renew(client, operation.slug);
    },
  });
}

/** Writing beside the pans that is kept on this device first and sent when the server answers. */
export function useBoilLetters(run: number): Letters {
  return useLetters(`boil ${run}`);
}

/** The server's answer to a line, put among the facts before the letter goes; then every picture that shows it is drawn anew. */
export async function showInBoil(client: QueryClient, letter: Waiting, answer: unknown): Promise<void> {
  const key = ["boil", letter.operation];
  // facts asked for before the line was taken would wipe it out again
  await client.cancelQueries({ queryKey: key });
  client.setQueryData<BoilFacts>(key, (facts) => facts && withLine(facts, letter, answer));
  renew(client, letter.operation);
}

/** The facts with what the server made of a letter. */
function withLine(facts: BoilFacts, letter: Waiting, answer: unknown): BoilFacts {
  const run = facts.run && `/runs/${facts.run.number}/`;
  if (!run || !letter.path.includes(run)) return facts;
  if (letter.path.endsWith("/draws")) return { ...facts, draws: added(facts.draws, answer as Shapes["DrawOut"]) };
  if (letter.path.endsWith("/entries") || letter.path.endsWith("/cups"))
    return { ...facts, entries: added(facts.entries, answer as Shapes["EntryOut"]) };
  return facts;
}

function added<T extends { token: string; at: string }>(lines: T[], line: T): T[] {
  return [...lines.filter((one) => one.token !== line.token), line].sort((a, b) => a.at.localeCompare(b.at));
}

/** What was written here and is not yet among the server's facts: on its way, waiting or refused. */
export function useUnsettled(run: number, facts: BoilFacts): Waiting[] {
  const { operation } = useHere();
  const known = new Set([...facts.draws, ...facts.entries].map((line) => line.token));
  const waiting = useWaiting(`boil ${run}`, true);
  return waiting.filter((one) => one.operation === operation.slug && !known.has(one.token));
}

function renew(client: QueryClient, operation: string) {
  for (const room of SHOWN_IN) client.invalidateQueries({ queryKey: [room, operation] });
}

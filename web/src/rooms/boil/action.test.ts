import { QueryClient } from "@tanstack/react-query";
import { describe, expect, it } from "vitest";
import type { Waiting } from "../../lib/store";
import { type BoilFacts, showInBoil } from "./action";

const KEY = ["boil", "oak"];
const line = (token: string, at: string) => ({ id: 1, token, at, by: "", kind: "level", text: "", true_brix: null });
const letter = (path: string) => ({ operation: "oak", path: `/api/v1/operations/oak/runs/${path}` }) as Waiting;

function kept(entries = [line("first", "2026-03-17T22:00:00Z")]): QueryClient {
  const client = new QueryClient();
  client.setQueryData(KEY, { run: { number: 7 }, draws: [], entries } as unknown as BoilFacts);
  return client;
}
const tokens = (client: QueryClient) => client.getQueryData<BoilFacts>(KEY)?.entries.map((one) => one.token);

describe("a line the server took", () => {
  it("stands among the facts at once, by its time", async () => {
    const client = kept();
    await showInBoil(client, letter("7/entries"), line("late", "2026-03-17T22:10:00Z"));
    await showInBoil(client, letter("7/cups"), line("early", "2026-03-17T21:50:00Z"));
    expect(tokens(client)).toEqual(["early", "first", "late"]);
    await showInBoil(client, letter("7/draws"), line("drawn", "2026-03-17T22:20:00Z"));
    expect(client.getQueryData<BoilFacts>(KEY)?.draws).toHaveLength(1);
  });

  it("stands there once, however often it was sent", async () => {
    const client = kept();
    await showInBoil(client, letter("7/entries"), line("first", "2026-03-17T22:00:00Z"));
    expect(tokens(client)).toEqual(["first"]);
  });

  it("is no line of another run, nor of a log that was never shown", async () => {
    const client = kept();
    await showInBoil(client, letter("17/entries"), line("other", "2026-03-17T22:00:00Z"));
    await showInBoil(client, letter("7/membrane-lines"), line("readings", "2026-03-17T22:00:00Z"));
    expect(tokens(client)).toEqual(["first"]);
    const empty = new QueryClient();
    await showInBoil(empty, letter("7/entries"), line("first", "2026-03-17T22:00:00Z"));
    expect(empty.getQueryData(KEY)).toBeUndefined();
  });

  it("is not wiped out by an answer that was asked for before it", async () => {
    const client = kept();
    let answer: (facts: unknown) => void = () => undefined;
    const asked = client.fetchQuery({ queryKey: KEY, queryFn: () => new Promise((done) => (answer = done)) });
    const settled = asked.catch(() => "called off");
    await showInBoil(client, letter("7/entries"), line("new", "2026-03-17T22:10:00Z"));
    answer({ run: { number: 7 }, draws: [], entries: [] });
    await settled;
    expect(tokens(client)).toEqual(["first", "new"]);
  });
});

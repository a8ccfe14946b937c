import { hydrate, QueryClient } from "@tanstack/react-query";
import { expect, it } from "vitest";
import { lastAnswers } from "./offline";

const lost = () => Promise.reject(new Error("no coverage"));
const plainly = { retry: false };

it("keeps an answer although it could not be asked for again", async () => {
  const client = new QueryClient({ defaultOptions: { queries: plainly } });
  client.setQueryData(["hunt", "oak", 3], { number: 3 });
  await client.fetchQuery({ queryKey: ["hunt", "oak", 3], queryFn: lost, staleTime: 0 }).catch(() => undefined);
  expect(client.getQueryState(["hunt", "oak", 3])?.status).toBe("error");
  const again = new QueryClient();
  hydrate(again, lastAnswers(client));
  expect(again.getQueryState(["hunt", "oak", 3])).toMatchObject({
    data: { number: 3 },
    status: "success",
    error: null,
  });
});

it("keeps what people need again, and nothing that was never answered", async () => {
  const client = new QueryClient();
  client.setQueryData(["boil", "oak"], { run: null });
  client.setQueryData(["compare", "oak", {}], { choices: [] });
  await client.fetchQuery({ queryKey: ["woods", "oak"], queryFn: lost, ...plainly }).catch(() => undefined);
  expect(lastAnswers(client).queries.map((query) => query.queryKey[0])).toEqual(["boil"]);
});

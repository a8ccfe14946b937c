import { MutationObserver, QueryClient } from "@tanstack/react-query";
import { afterEach, expect, it, vi } from "vitest";
import { api } from "../lib/api";
import { likes } from "./likes";

afterEach(() => vi.restoreAllMocks());

/** A server that answers when it is told to. */
function slowServer() {
  const asked: { body: unknown; answer: (status?: number) => void }[] = [];
  vi.spyOn(api, "PATCH").mockImplementation(
    ((_: string, { body }: { body: object }) =>
      new Promise((done) =>
        asked.push({
          body,
          answer: (status = 200) =>
            done({ data: { username: "anna", ...body }, response: new Response(null, { status }) }),
        }),
      )) as unknown as typeof api.PATCH,
  );
  return asked;
}

function person() {
  const client = new QueryClient();
  client.setQueryData(["session"], { username: "anna", theme: "device" });
  const theme = () => client.getQueryData<{ theme: string }>(["session"])?.theme;
  return {
    client,
    theme,
    choose: (theme: "day" | "night") => new MutationObserver(client, likes(client)).mutate({ theme }),
  };
}

it("shows a choice at once, and keeps the last one though the answer to the first comes late", async () => {
  const asked = slowServer();
  const { theme, choose } = person();
  const first = choose("day");
  expect(theme()).toBe("day");
  const second = choose("night");
  expect(theme()).toBe("night");
  await vi.waitFor(() => expect(asked).toHaveLength(1)); // the second waits for its turn
  asked[0]?.answer();
  await first;
  expect(theme()).toBe("night");
  await vi.waitFor(() => expect(asked).toHaveLength(2));
  expect(asked.map((one) => one.body)).toEqual([{ theme: "day" }, { theme: "night" }]);
  asked[1]?.answer();
  await second;
  expect(theme()).toBe("night");
});

it("asks the server how things stand when it refuses", async () => {
  const asked = slowServer();
  const { client, choose } = person();
  const refused = choose("night").catch((error) => error.message);
  await vi.waitFor(() => expect(asked).toHaveLength(1));
  asked[0]?.answer(500);
  expect(await refused).toContain("500");
  expect(client.getQueryState(["session"])?.isInvalidated).toBe(true);
});

import { QueryClient, QueryClientProvider } from "@tanstack/react-query";
import { renderToStaticMarkup } from "react-dom/server";
import { MemoryRouter } from "react-router";
import { HereProvider } from "../app/session";
import type { Shapes } from "../lib/api";

/** What unit tests of drawings stand on: an operation, a session, and the markup that comes out. */
export const operation: Shapes["OperationOut"] = {
  slug: "oak",
  name: "Oak",
  place: "",
  role: "owner",
  zone: "America/New_York",
  currency: "USD",
  syrup_brix: 66.9,
  elevation_m: 300,
};

/** `known` : answers of the server that are there already, by the keys under which rooms ask for them. */
export function draw(
  element: React.ReactNode,
  units: "us" | "metric" = "us",
  known: [unknown[], unknown][] = [],
  role = "owner",
): string {
  const client = new QueryClient();
  for (const [key, answer] of known) client.setQueryData(key, answer);
  const session = { signed_in: true, username: "anna", units, theme: "day", operations: [operation], demo: false };
  return renderToStaticMarkup(
    <QueryClientProvider client={client}>
      <MemoryRouter>
        <HereProvider session={session} operation={{ ...operation, role }}>
          {element}
        </HereProvider>
      </MemoryRouter>
    </QueryClientProvider>,
  );
}

/** What no drawing may show. */
export const NUMBERS = /NaN|Infinity|undefined/;

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

export function draw(element: React.ReactNode, units: "us" | "metric" = "us"): string {
  const session = { signed_in: true, username: "anna", units, theme: "day", operations: [operation], demo: false };
  return renderToStaticMarkup(
    <QueryClientProvider client={new QueryClient()}>
      <MemoryRouter>
        <HereProvider session={session} operation={operation}>
          {element}
        </HereProvider>
      </MemoryRouter>
    </QueryClientProvider>,
  );
}

/** What no drawing may show. */
export const NUMBERS = /NaN|Infinity|undefined/;

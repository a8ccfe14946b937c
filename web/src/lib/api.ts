import createClient from "openapi-fetch";
import type { components, paths } from "./schema";

export type Shapes = components["schemas"];
export type Fault = Shapes["Fault"];

/** A request that the server answered with a refusal: what is wrong, field by field. */
export class Refusal extends Error {
  constructor(
    readonly status: number,
    readonly faults: Fault[],
  ) {
    super(faults[0]?.message ?? `refused (${status})`);
  }
  /** What is wrong with one field, if it is at fault. */
  about(field: string): Fault | undefined {
    return this.faults.find((fault) => fault.field === field || fault.field.endsWith(`.${field}`));
  }
}

function cookie(name: string): string {
  return document.cookie.match(new RegExp(`(?:^|; )${name}=([^;]*)`))?.[1] ?? "";
}

/** What Django wants to see on every change. */
export function crumb(): string {
  return cookie("csrftoken");
}

export const api = createClient<paths>({ baseUrl: "/" });
api.use({
  onRequest({ request }) {
    if (request.method !== "GET") request.headers.set("X-CSRFToken", crumb());
    return request;
  },
});

type Answer<T> = { data?: T; error?: unknown; response: Response };

/** The answer's data, or a thrown Refusal. */
export async function take<T>(answer: Promise<Answer<T>>): Promise<T> {
  const { data, error, response } = await answer;
  if (!response.ok) {
    const faults = (error as { errors?: Fault[] } | undefined)?.errors;
    throw new Refusal(
      response.status,
      faults ?? [{ field: "server", message: `the server answered ${response.status}` }],
    );
  }
  return data as T;
}

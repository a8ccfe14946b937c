import { describe, expect, it } from "vitest";
import { Refusal, take } from "./api";

const answer = (status: number, body: unknown) =>
  Promise.resolve({ data: undefined, error: body, response: new Response(null, { status }) });

describe("refusals", () => {
  it("carry the message of each field", async () => {
    const faults = [{ field: "assumptions.sap_brix", message: "too sweet" }];
    const refusal = await take(answer(422, { errors: faults })).catch((error) => error);
    expect(refusal).toBeInstanceOf(Refusal);
    expect(refusal.about("sap_brix")?.message).toBe("too sweet");
    expect(refusal.about("brix")).toBeUndefined();
    expect(refusal.message).toBe("too sweet");
  });
  it("tell a server without words by its status", async () => {
    const refusal = await take(answer(502, "bad gateway")).catch((error) => error);
    expect(refusal.message).toContain("502");
  });
  it("let answers through", async () => {
    const good = Promise.resolve({ data: 7, error: undefined, response: new Response(null, { status: 200 }) });
    expect(await take(good)).toBe(7);
  });
});

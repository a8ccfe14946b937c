import { describe, expect, it } from "vitest";
import type { Waiting } from "../../lib/store";
import { stateWith } from "./steps";

const letter = (kind: string, refused?: string): Waiting => ({
  id: 1,
  token: "t",
  person: "josef",
  operation: "oak",
  subject: "hunt 3",
  path: "/",
  body: { kind },
  at: "2026-03-17T18:00:00Z",
  refused,
});

describe("a hunt without coverage", () => {
  it("goes by what was written here", () => {
    expect(stateWith("suspected", [])).toBe("suspected");
    expect(stateWith("suspected", [letter("look"), letter("note")])).toBe("narrowing");
    expect(stateWith("narrowing", [letter("found"), letter("repaired")])).toBe("repaired");
    expect(stateWith("waiting", [letter("not_found")])).toBe("waiting");
  });

  it("does not go by what was refused", () => {
    expect(stateWith("narrowing", [letter("found", "the case is dropped")])).toBe("narrowing");
  });
});

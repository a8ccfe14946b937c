import { describe, expect, it } from "vitest";
import { figures } from "./voice";

describe("a gauge read by voice", () => {
  it("finds the number in what was said", () => {
    expect(figures("24 point 5")).toBe("24.5");
    expect(figures("24.5 inches")).toBe("24.5");
    expect(figures("it shows 83 comma 2")).toBe("83.2");
    expect(figures("twenty")).toBeNull();
  });
});

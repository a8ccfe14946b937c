import { describe, expect, it } from "vitest";
import { age, clock, day, span } from "./time";

describe("time", () => {
  it("is the wall clock of the operation's zone", () => {
    expect(clock("2026-03-17T18:00:00Z", "America/New_York")).toBe("14:00");
    expect(clock("2026-03-17T18:00:00Z", "Europe/Copenhagen")).toBe("19:00");
    expect(day("2026-03-18T02:00:00Z", "America/New_York")).toContain("17 Mar");
  });
  it("tells durations short", () => {
    expect(span(45.4)).toBe("45 min");
    expect(span(89.6)).toBe("1 h 30");
    expect(span(370)).toBe("6 h 10");
    expect(span(-3)).toBe("0 min");
  });
  it("tells ages", () => {
    expect(age(null)).toBe("never");
    expect(age(30)).toBe("now");
    expect(age(600)).toBe("10 min");
    expect(age(7200)).toBe("2 h");
    expect(age(400_000)).toBe("5 d");
  });
});

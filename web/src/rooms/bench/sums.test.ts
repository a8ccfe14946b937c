import { describe, expect, it } from "vitest";
import { listed, SUBJECTS, SUMS } from "./sums";

describe("the sums of the Bench", () => {
  it("have one address each, a title of their own within their subject, and no field twice", () => {
    expect(new Set(SUMS.map((sum) => sum.name)).size).toBe(SUMS.length);
    for (const subject of SUBJECTS)
      expect(new Set(subject.sums.map((sum) => sum.title)).size).toBe(subject.sums.length);
    for (const sum of SUMS) expect(new Set(sum.fields.map((field) => field.key)).size).toBe(sum.fields.length);
  });
  it("start with numbers that are numbers, and with a pick that is offered", () => {
    for (const { fields } of SUMS)
      for (const field of fields) {
        if (field.kind === "number") expect(Number.isFinite(field.start)).toBe(true);
        if (field.kind === "pick") expect(field.options.map(([value]) => value)).toContain(field.start);
      }
  });
  it("send numbered fields as lists, and all others as they are", () => {
    expect(listed({ "brix.1": 2, "brix.0": 1, units: "us", lying: false })).toEqual({
      brix: [1, 2],
      units: "us",
      lying: false,
    });
  });
});

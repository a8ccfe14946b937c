import { describe, expect, it } from "vitest";
import { type Box, kept, zoomed } from "./view";

const WHOLE: Box = [-100, -50, 200, 100];

describe("the map's view", () => {
  it("zooms about a point that stays where it is", () => {
    const [x, y, width, height] = zoomed(WHOLE, WHOLE, 2, [50, 25]);
    expect([width, height]).toEqual([100, 50]);
    expect((50 - x) / width).toBeCloseTo((50 - -100) / 200);
    expect((25 - y) / height).toBeCloseTo((25 - -50) / 100);
  });

  it("shows the whole at the widest and no less than a twenty-fourth", () => {
    expect(zoomed([0, 0, 50, 25], WHOLE, 0.001, [0, 0])).toEqual(WHOLE);
    expect(zoomed(WHOLE, WHOLE, 1000, [0, 0])[2]).toBeCloseTo(200 / 24);
  });

  it("keeps its middle inside", () => {
    const [x, y] = kept([900, -900, 20, 10], WHOLE);
    expect([x + 10, y + 5]).toEqual([100, -50]);
  });
});

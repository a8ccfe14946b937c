import { describe, expect, it } from "vitest";
import { type Dimension, figure, money, number, quantity, read, type System, shown, typed } from "./units";

const DIMENSIONS: Dimension[] = [
  "vacuum",
  "pressure",
  "temperature",
  "difference",
  "volume",
  "smallVolume",
  "flow",
  "length",
  "mass",
  "density",
  "power",
  "brix",
  "percent",
  "ratio",
  "plain",
];

describe("units", () => {
  it("go there and back in both systems", () => {
    for (const dimension of DIMENSIONS)
      for (const system of ["us", "metric"] as System[])
        for (const si of [0, 1, 85_000, -12.5])
          expect(typed(shown(si, dimension, system), dimension, system)).toBeCloseTo(si, 6);
  });
  it("show what people expect", () => {
    expect(quantity(25 * 3386.389, "vacuum", "us")).toBe("25.0 inHg");
    expect(quantity(100, "temperature", "us")).toBe("212.0 °F");
    expect(quantity(3.785411784, "volume", "us")).toBe("1,000 gal");
    expect(quantity(1, "volume", "metric")).toBe("1,000 L");
    expect(quantity(1327.92, "density", "us")).toBe("11.082 lb/gal");
    expect(number(711_000, "power", "us")).toBe("2,426");
  });
  it("never show minus zero", () => {
    expect(figure(-0.04, 1)).toBe("0.0");
    expect(figure(-0.06, 1)).toBe("−0.1");
  });
  it("tell money with its sign before the currency", () => {
    expect(money(-3.5, "USD")).toBe("−$3.50");
    expect(money(1234.5, "EUR", 0)).toBe("€1,235");
    expect(money(2, "SEK")).toBe("SEK 2.00");
  });
});

describe("reading what was typed", () => {
  it("takes points, commas and thousands", () => {
    expect(read("59.4", "brix", "us")).toBe(59.4);
    expect(read("59,4", "brix", "us")).toBe(59.4);
    expect(read("1,000", "plain", "us")).toBe(1000);
    expect(read("−3", "plain", "us")).toBe(-3);
    expect(read(" 212 ", "temperature", "us")).toBeCloseTo(100);
    expect(read(".5", "plain", "us")).toBe(0.5);
  });
  it("refuses what is no number", () => {
    for (const text of ["", "sweet", "1e5", "NaN", "Infinity", "1.2.3", "12 gal", "--1"])
      expect(read(text, "plain", "us")).toBeNull();
  });
});

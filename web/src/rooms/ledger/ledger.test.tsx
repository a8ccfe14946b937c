import { Route, Routes } from "react-router";
import { describe, expect, it } from "vitest";
import type { Shapes } from "../../lib/api";
import { draw, NUMBERS } from "../draw.test-help";
import { ClosedRun } from "./ClosedRun";
import { Closing } from "./Closing";
import { Taught } from "./Findings";
import Ledger from "./Ledger";
import type { Run } from "./run";

const closing = {
  sugar_in_kg: 500,
  sugar_out_kg: 490,
  unaccounted_kg: 10,
  sd_kg: 9,
  closure: 0.98,
  closure_low: 0.95,
  closure_high: 1.01,
  explained: true,
  largest: "sap come in",
  balances: 4,
  suspects: [],
  unchecked: [],
  agreed: [],
} as unknown as NonNullable<Run["closing"]>;

const run = (number: number, more: Partial<Run> = {}): Run =>
  ({
    id: number,
    number,
    started_at: "2026-03-14T19:00:00Z",
    closed_at: "2026-03-15T04:00:00Z",
    target_brix: 12,
    syrup_m3: 1.2,
    draws: 14,
    syrup_per_tap_m3: 2.4e-4,
    taps: 5000,
    fuel: 120,
    fuel_unit: "gal",
    fuel_per_syrup: 100,
    labour_h: 14.5,
    hours: 9,
    planned: { syrup_m3: 1.25, fuel: 115, hours: 8.7, labour_h: 13 },
    closing,
    sap_m3: 40,
    sap_brix: 2.1,
    ...more,
  }) as Run;

const lines: Shapes["BalanceLine"][] = [
  { name: "sap come in", side: "in", sugar_kg: 480, sugar_sd_kg: 8 },
  { name: "pans at start", side: "held before", sugar_kg: 20, sugar_sd_kg: 2 },
  { name: "syrup drawn", side: "out", sugar_kg: 470, sugar_sd_kg: 4 },
  { name: "sap let go", side: "out", sugar_kg: 0, sugar_sd_kg: 0 },
  { name: "pans at end", side: "held after", sugar_kg: 20, sugar_sd_kg: 2 },
] as Shapes["BalanceLine"][];

const closed = (of: Run, units: "us" | "metric" = "us") =>
  draw(<ClosedRun run={of} />, units, [[["balance", "oak", of.number], { ...closing, lines }]]);

describe("a closed run", () => {
  it("says what share of the sugar is missing, and whether that means anything", () => {
    const html = closed(run(8));
    expect(html).toContain("2.0 % of the sugar is not accounted for");
    expect(html).toContain("within what the measurements can explain (± 3.6 %)");
    expect(html).toContain("The least certain of them: sap come in.");
    expect(html).not.toMatch(NUMBERS);
  });
  it("says where to look when measurement does not explain it", () => {
    const html = closed(run(8, { closing: { ...closing, closure: 0.9, explained: false } as Run["closing"] }));
    expect(html).toContain("10.0 % of the sugar is not accounted for");
    expect(html).toContain("Look at sap come in first");
    expect(closed(run(8, { closing: { ...closing, closure: 1.03 } as Run["closing"] }))).toContain(
      "3.0 % more sugar out than in",
    );
  });
  it("draws what came and went, and leaves out what was nothing", () => {
    const html = closed(run(8));
    for (const name of ["sap come in", "pans at start", "syrup drawn", "pans at end"]) expect(html).toContain(name);
    expect(html).not.toContain("sap let go");
    expect(html).toContain("1,102 lb of sugar");
  });
  it("holds the plan beside what was", () => {
    const html = closed(run(8));
    for (const figure of ["330", "317", "115", "120", "8.7", "9.0", "13.0", "14.5"])
      expect(html).toContain(`>${figure}<`);
    expect(closed(run(8, { fuel: null, labour_h: null }))).toContain("not entered");
  });
  it("speaks metric", () => {
    const html = closed(run(8), "metric");
    expect(html).toContain("500 kg of sugar");
    expect(html).toContain("1,200");
  });
  it("only has sums where the run was taken over from a book", () => {
    const html = closed(run(3, { closing: null, draws: 0 }));
    expect(html).toContain("taken over from your own book");
    expect(html).toContain("From 10,567 gal of sap at 2.1 °Bx");
  });
});

describe("what runs taught", () => {
  const between = (value: number, low: number, high: number) => ({ value, low, high, sd: 0.1, from_prior: false });
  const taught = (more: object = {}) => ({
    runs: 6,
    membranes: [
      {
        name: "loop",
        maker_permeability: 100,
        permeability: between(88, 84, 92),
        sigma: between(1.31, 1.2, 1.4),
        told_apart: true,
        told: "",
        health: between(0.93, 0.9, 0.96),
        ...more,
      },
    ],
    evaporator: {
      name: "pans",
      heat_w: between(690_000, 670_000, 712_000),
      efficiency: { ...between(0.74, 0.71, 0.77), from_prior: false },
    },
  });
  const told = (more?: object) => draw(<Taught number={9} />, "metric", [[["taught", "oak", 9], taught(more)]]);
  it("is shown with its intervals", () => {
    const html = told();
    expect(html).toContain("What 6 runs taught");
    expect(html).toContain("88 % of the maker&#x27;s");
    expect(html).toContain("84 % to 92 %");
    expect(html).toContain("90 to 96 %");
    expect(html).toContain("71 to 77 %");
  });
  it("says what a log cannot tell", () => {
    const html = told({ told_apart: false, told: "permeability and σ cannot be told apart" });
    expect(html).toContain("cannot be told");
    expect(html).toContain("permeability and σ cannot be told apart.");
  });
  it("says so when there was nothing to learn from", () => {
    expect(draw(<Taught number={9} />, "us", [[["taught", "oak", 9], null]])).toContain("taught nothing yet");
  });
});

describe("closing a run", () => {
  const measure = (name: string, side: string, volume_m3: number, brix: number) => ({
    name,
    side,
    volume_m3,
    volume_sd_m3: 0.1,
    brix,
    brix_sd: 0.1,
    temp_c: 4,
    source: "",
    sink: "",
  });
  const measures = [
    measure("sap come in", "in", 40, 2.1),
    measure("sap by truck", "in", 0, 2.1),
    measure("syrup drawn", "out", 1.2, 66.4),
  ];
  const open = run(9, { closed_at: null, closing: null });
  it("fills in what is known, and asks for the rest", () => {
    const html = draw(<Closing run={open} />, "us", [
      [["measures", "oak", 9], measures],
      [["balance", "oak", 9, measures], { ...closing, lines }],
    ]);
    expect(html).toContain("Close run 9");
    expect(html).toContain("22 lb of sugar not accounted for");
    for (const words of ["came in", "went out", "sap by truck", "fuel burnt", "work"]) expect(html).toContain(words);
    expect(html).toContain('value="10567"');
    expect(html).toContain('value="115"'); // what the plan said of the fuel
  });
});

describe("the book of runs", () => {
  const book = (runs: Run[], path = "/oak/ledger") =>
    draw(
      <Routes location={path}>
        <Route path="/:slug/ledger/:number?" element={<Ledger />} />
      </Routes>,
      "us",
      [[["runs", "oak"], runs]],
    );
  it("teaches when it is empty", () => {
    const html = book([]);
    expect(html).toContain("No runs yet");
    expect(html).toContain("take over earlier years");
  });
  it("sums the year and marks what is not explained", () => {
    const odd = { ...closing, closure: 0.9, explained: false } as Run["closing"];
    const html = book([
      run(9, { closing: odd }),
      run(8),
      run(7, { started_at: "2025-03-10T19:00:00Z", closing: null }),
    ]);
    expect(html).toContain("2 runs, 634 gal of syrup");
    expect(html).toContain("10.0 %");
    expect(html).toMatch(/text-act[^>]*>10\.0 %/);
    expect(html).toContain("10 Mar 2025");
  });
});

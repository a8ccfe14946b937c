import { describe, expect, it } from "vitest";
import { Line } from "../app/Line";
import { NumberField, outOfRange, Quantity, StateMark } from "../kit";
import type { Shapes } from "../lib/api";
import { draw, NUMBERS } from "./draw.test-help";
import { SugarFlow } from "./ledger/SugarFlow";
import { Balance } from "./tonight/Balance";
import type { Choice } from "./tonight/choice";
import { Evening } from "./tonight/Evening";
import { Targets } from "./tonight/Targets";
import { Bushes } from "./woods/Bushes";
import { Losses } from "./woods/Losses";
import { WoodsMap } from "./woods/WoodsMap";

const START = Date.parse("2026-03-17T18:00:00Z");

function choice(target: number, more: Partial<Choice> = {}): Choice {
  return {
    target_brix: target,
    light_min: 60,
    limit: null,
    limit_min: 0,
    cost_per_m3: 700,
    taste_per_m3: 0,
    in_band: false,
    daring: false,
    beyond_log: false,
    ways: [],
    lights_min: [60],
    fire_spans: [[60, 300]],
    ro_min: 240,
    ro_end_min: 240,
    boil_min: 200,
    boil_end_min: 300,
    finish_min: 360,
    washes: 1,
    concentrate_m3: 4,
    permeate_m3: 20,
    permeate_left_m3: 15,
    syrup_m3: 0.6,
    fuel: 80,
    power_kwh: 40,
    labour_h: 8,
    cost: 420,
    fuel_cost: 250,
    power_cost: 10,
    labour_cost: 130,
    wash_cost: 30,
    trace_min: 10,
    sap_trace: [20, 10, 0],
    head_trace: [0, 2, 0],
    permeate_trace: [0, 9, 18],
    syrup_trace: [0, 0.3, 0.6],
    wash_spans: [[240, 330]],
    ro_spans: [[0, 240]],
    people_spans: [
      { from_min: 0, until_min: 60, people: 0.5 },
      { from_min: 60, until_min: 300, people: 1.5 },
    ],
    ...more,
  };
}

const refused = (target: number): Choice =>
  choice(target, { limit: "sap kept too long", limit_min: 500, cost_per_m3: null, finish_min: null, syrup_m3: null });

const known = { sap_capacity_m3: 30, head_capacity_m3: 5, permeate_capacity_m3: 30 } as Shapes["TonightOut"];
const assumed = { loads: [], frost_at_h: null, cut_from_h: null } as unknown as Shapes["Assumptions"];

describe("Tonight's balance", () => {
  const choices = [
    choice(0, { cost_per_m3: 2000 }),
    choice(8),
    choice(12, { cost_per_m3: 600, in_band: true }),
    refused(18),
  ];
  it("names the forbidden targets, the band and the chosen one", () => {
    const svg = draw(
      <Balance choices={choices} chosen={choices[2]} startedAt={START} stale={false} onPick={() => {}} />,
    );
    expect(svg).toContain("sap kept too long");
    expect(svg).toContain("within 2 % of the cheapest");
    expect(svg).toContain('aria-valuetext="12 °Brix, $2.27, done 20:00"');
    expect(svg).toContain(">none<");
    expect(svg).not.toMatch(NUMBERS);
  });
  it("stands with nothing, with one target, and with none that can be done", () => {
    for (const some of [[], [choice(0)], [refused(8), refused(12)]]) {
      const svg = draw(<Balance choices={some} chosen={some[0]} startedAt={null} stale onPick={() => {}} />);
      expect(svg).not.toMatch(NUMBERS);
    }
  });
  it("counts a litre in metric", () => {
    const svg = draw(
      <Balance choices={choices} chosen={choices[2]} startedAt={START} stale={false} onPick={() => {}} />,
      "metric",
    );
    expect(svg).toContain("cost of a litre of syrup");
    expect(svg).toContain("$0.60, done 20:00");
  });
});

describe("the evening", () => {
  it("draws what runs and how full the tanks stand", () => {
    const svg = draw(<Evening choice={choice(12)} known={known} assumed={assumed} startedAt={START} />);
    for (const word of ["membrane", "wash", "fire", "people", ">1.5<", "15:00", "syrup 159 gal", "permeate 4,755 gal"])
      expect(svg).toContain(word);
    expect(svg).not.toMatch(NUMBERS);
  });
  it("names what is on the way, as far as the evening goes", () => {
    const ahead = {
      ...assumed,
      loads: [
        { at_h: 1, volume_m3: 2, brix: 2 },
        { at_h: 9, volume_m3: 3, brix: 2 },
      ],
      frost_at_h: 4,
      cut_from_h: 2,
      cut_until_h: 2.5,
    };
    const svg = draw(<Evening choice={choice(12)} known={known} assumed={ahead} startedAt={START} />);
    for (const word of ["truck, 528 gal", "hard frost", "no power"]) expect(svg).toContain(word);
    expect(svg).not.toContain("truck, 793 gal");
    expect(svg).not.toMatch(NUMBERS);
  });
  it("says why there is none", () => {
    expect(draw(<Evening choice={refused(18)} known={known} assumed={assumed} startedAt={START} />)).toContain(
      "sap kept too long",
    );
  });
  it("keeps its labels apart", () => {
    const svg = draw(<Evening choice={choice(12)} known={known} assumed={assumed} startedAt={START} />);
    const heights = [...svg.matchAll(/y="([\d.]+)" font-size="12.5"/g)]
      .map((match) => Number(match[1]))
      .sort((a, b) => a - b);
    expect(heights).toHaveLength(4);
    for (let i = 1; i < heights.length; i++)
      expect((heights[i] ?? 0) - (heights[i - 1] ?? 0)).toBeGreaterThanOrEqual(15 - 1e-9);
  });
});

describe("every target in figures", () => {
  it("has a row each, and the reason of a refused one by the clock", () => {
    const choices = [choice(8), refused(18)];
    const html = draw(
      <Targets choices={choices} chosen={choices[0]} fuelUnit="gal" startedAt={START} onPick={() => {}} />,
    );
    expect(html.match(/<tr/g)).toHaveLength(3);
    expect(html).toContain("sap kept too long at 22:20");
    expect(html).toContain("4 h 00");
  });
});

function main(name: string, more: Partial<Shapes["MainOut"]> = {}): Shapes["MainOut"] {
  return {
    main: name,
    bush: "north",
    taps: 300,
    length_m: 400,
    sensor: `${name}E`,
    vacuum_pa: 81_000,
    usual_pa: 82_000,
    spread_pa: 400,
    shortfall_pa: 1000,
    age_s: 20,
    by_hand: false,
    state: "holding",
    sap_m3_s: 0,
    money_s: 0,
    alarm: null,
    ...more,
  };
}

describe("losses", () => {
  it("tell silence, states by word, and money only where there is some", () => {
    const html = draw(
      <Losses
        mains={[
          main("UN-01", { state: "losing", shortfall_pa: 9000, sap_m3_s: 3e-6, money_s: 0.001 }),
          main("UN-02"),
          main("UN-03", { state: "silent", vacuum_pa: null, age_s: null }),
        ]}
        chosen="UN-01"
        onChoose={() => {}}
      />,
    );
    for (const word of ["losing", "as usual", "silent", "$3.60", "none", "never"]) expect(html).toContain(word);
    expect(html.match(/\$/g)).toHaveLength(1);
    expect(html).not.toMatch(NUMBERS);
  });
});

describe("the bushes", () => {
  it("say how their sap comes, and lead to a round where there are dials", () => {
    const far = { slug: "far", name: "The far lot with a long name", hauled: true, taps: 900, sap_known: false };
    const near = { slug: "near", name: "Near", hauled: false, taps: 400, sap_m3_s: 1e-4, sap_known: false, pump: null };
    const html = draw(<Bushes bushes={[far, near]} dials={["near"]} />);
    expect(html).toContain("by truck");
    expect(html).toContain('href="/oak/round/near"');
    expect(html).toContain("last known");
    expect(html).not.toMatch(NUMBERS);
  });
});

describe("the map", () => {
  it("draws every line once and names it, north up", () => {
    const map: Shapes["MapOut"] = {
      lines: [
        {
          bush: "near",
          main: "",
          kind: "conductor",
          diameter_m: 0.05,
          points: [
            [0, 0],
            [0, 100],
          ],
        },
        {
          bush: "near",
          main: "A",
          kind: "mainline",
          diameter_m: 0.025,
          points: [
            [0, 100],
            [50, 140],
          ],
        },
        {
          bush: "near",
          main: "A",
          kind: "mainline",
          diameter_m: 0.019,
          points: [
            [50, 140],
            [90, 170],
          ],
        },
      ],
      laterals: [
        {
          bush: "near",
          main: "A",
          taps: 8,
          points: [
            [50, 140],
            [60, 180],
          ],
        },
      ],
      points: [{ tag: "P", kind: "pump", sensor: "P", bush: "north", x: 0, y: 0 }],
      contours: [
        {
          elevation_m: 430,
          points: [
            [-10, 0],
            [10, 5],
          ],
        },
      ],
    };
    const svg = draw(<WoodsMap map={map} mains={[main("A")]} bushes={[]} chosen="A" onChoose={() => {}} />);
    expect(svg).toContain("M0,-100L50,-140L90,-170");
    expect(svg.match(/>A</g)).toHaveLength(1);
    expect(svg).not.toMatch(NUMBERS);
    expect(
      draw(
        <WoodsMap map={{ ...map, lines: [], laterals: [] }} mains={[]} bushes={[]} chosen="A" onChoose={() => {}} />,
      ),
    ).toBe("");
  });
});

describe("the sugar's flow", () => {
  const lines = [
    { name: "sap come in", side: "in", sugar_kg: 1000, sugar_sd_kg: 30 },
    { name: "syrup drawn", side: "out", sugar_kg: 900, sugar_sd_kg: 12 },
    { name: "pans at end", side: "held after", sugar_kg: 40, sugar_sd_kg: 5 },
  ];
  it("names what is missing with its interval", () => {
    const svg = draw(<SugarFlow lines={lines} unaccounted={60} sd={33} explained height={400} />, "metric");
    expect(svg).toContain("not accounted for: 60 kg ± 66 kg");
    expect(svg).toContain("1,000 kg");
    expect(svg).not.toContain('class="text-act"');
  });
  it("raises its voice only when measurement cannot explain it", () => {
    expect(draw(<SugarFlow lines={lines} unaccounted={300} sd={33} explained={false} height={400} />)).toContain(
      "text-act",
    );
    expect(draw(<SugarFlow lines={lines} unaccounted={-20} sd={33} explained height={400} />)).toContain(
      "more out than in",
    );
  });
  it("stands with nothing at all", () => {
    expect(draw(<SugarFlow lines={[]} unaccounted={0} sd={0} explained height={400} />)).not.toMatch(NUMBERS);
  });
});

describe("the Line", () => {
  const facts: Shapes["LineOut"] = {
    woods: { sap_m3_s: 1e-3, money_lost_s: 0.002, losing: 2, silent: 0, mains: 20 },
    sap: { volume_m3: 10, capacity_m3: 40, brix: 2.1, stale: true },
    membrane: { permeate_m3_s: null, running: false, known: false, head_m3: null, head_brix: null },
    pans: { set_c: 103.2, pan_c: null, boiling: false, run: null },
    barrels: { syrup_m3: 3, syrup_brix: 66.9 },
  };
  it("has five doors, each with a figure and a word", () => {
    const html = draw(<Line facts={facts} room="boil" />);
    expect(html.match(/<a /g)).toHaveLength(5);
    for (const word of ["2 losing $7/h", "stale, 25 % full at 2.1 °Bx", "217.8", "draw-off today", "syrup this season"])
      expect(html).toContain(word);
    expect(html.match(/aria-current="page"/g)).toHaveLength(1);
  });
  it("stands before the first answer and without a tank", () => {
    expect(draw(<Line facts={undefined} room="woods" />).match(/<a /g)).toHaveLength(5);
    expect(draw(<Line facts={{ ...facts, sap: null }} room="woods" />)).toContain("no level");
  });
});

describe("the kit", () => {
  it("shows values with their unit, absence in words, staleness struck through", () => {
    expect(draw(<Quantity si={81_273} dimension="vacuum" />)).toContain("24.0");
    expect(draw(<Quantity si={null} dimension="vacuum" />)).toContain("no reading");
    expect(draw(<Quantity si={1} dimension="volume" stale />)).toContain("line-through");
  });
  it("tells a state by word as well as by shape", () => {
    for (const state of ["holding", "slipping", "losing", "silent", "odd"])
      expect(draw(<StateMark state={state} />)).toMatch(/<span class="[^"]*">\w/);
  });
  it("names a number, and the bound it breaks, in the units in which it was typed", () => {
    const gallons = (si: number) => `${(si / 3.785411784e-3).toFixed(0)} gal`;
    const fault = { field: "volume_m3", message: "in SI", value: 7.570823568, high: 5 };
    expect(outOfRange(fault, 7.570823568, gallons)).toBe("2000 gal is too much: 1321 gal or less");
    expect(outOfRange({ ...fault, high: null, low: 8 }, 7.570823568, gallons)).toContain("2113 gal or more");
    expect(outOfRange({ ...fault, low: 0 }, 7.570823568, gallons)).toContain("outside 0 gal to 1321 gal");
    // a bound that belongs to another quantity is not converted
    expect(outOfRange({ ...fault, value: 24 }, 7.570823568, gallons)).toBe("in SI");
    expect(outOfRange(fault, null, gallons)).toBe("in SI");
  });
  it("ties an error to its field", () => {
    const html = draw(<NumberField label="sugar" si={2} dimension="brix" onSi={() => {}} error="too sweet" />);
    const id = html.match(/aria-describedby="([^"]+)"/)?.[1];
    expect(html).toContain(`id="${id}" role="alert"`);
    expect(html).toContain('aria-invalid="true"');
    expect(html).toContain('value="2.0"');
  });
});

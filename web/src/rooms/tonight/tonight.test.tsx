import { describe, expect, it } from "vitest";
import type { Shapes } from "../../lib/api";
import { draw, NUMBERS } from "../draw.test-help";
import { Assumptions } from "./Assumptions";
import type { Choice } from "./choice";
import Tonight from "./Tonight";

const NOW = "2026-03-17T18:00:00Z";
const assumptions = {
  sap_volume_m3: 20,
  sap_brix: 2.1,
  sap_temp_c: 4,
  ice_m3: 0,
  loads: [],
  coming_m3: 8,
  coming_h: 6,
  coming_low_m3: 6,
  coming_high_m3: 11,
  head_volume_m3: 0.5,
  head_brix: 12,
  permeate_m3: 4,
  pressure_pa: 3.1e6,
  heat_w: 7e5,
  efficiency: 0.75,
  more_pressures_pa: [],
  more_heats_w: [],
  more_efficiencies: [],
  fuel_price: 3.85,
  power_price_kwh: 0.19,
  power_prices_kwh: [],
  labour_price_h: 24,
  wash_price: 40,
  membrane_people: 0.5,
  fire_people: 1,
  present_from_h: null,
  present_until_h: null,
  finish_by_h: null,
  objective: "cheapest",
  pans_left: "held",
  cut_from_h: null,
  cut_until_h: null,
  frost_at_h: null,
  taste_low: null,
  taste_high: null,
  taste_cost: 0,
} as Shapes["Assumptions"];
const known = {
  assumptions,
  sources: { sap_volume_m3: { text: "measured", age_s: 20 }, heat_w: { text: "learned from 9 runs", age_s: null } },
  forecast: {
    middle_m3: 8,
    low_m3: 6,
    high_m3: 11,
    index: 20,
    hours: 6,
    runs: 21,
    reason: "",
    frost_in_h: 9,
    low_c: -4,
    hard_frost: false,
    thaw_in_h: 20,
  },
  sap_capacity_m3: 30,
  head_capacity_m3: 5,
  head_reserve_m3: 0.2,
  permeate_capacity_m3: 25,
  machine: "loop",
  machines: ["loop"],
  machine_max_brix: 20,
  arrangement: "mixed loop",
  evaporator: "pans",
  evaporators: ["pans"],
  fuel: "oil",
  fuel_unit: "gal",
  chosen: null,
} as unknown as Shapes["TonightOut"];

const choice = (target: number, more: Partial<Choice> = {}): Choice =>
  ({
    target_brix: target,
    light_min: 240,
    limit: null,
    limit_min: 0,
    cost_per_m3: 800,
    taste_per_m3: 0,
    in_band: false,
    daring: false,
    beyond_log: false,
    ways: [],
    why: { cost_more: 0, fuel_cost_more: 0, labour_cost_more: 0, other_cost_more: 0, later_min: 0 },
    ro_start_min: 0,
    lights_min: [240],
    ro_min: 420,
    ro_end_min: 420,
    boil_min: 200,
    boil_end_min: 500,
    finish_min: 540,
    washes: 1,
    concentrate_m3: 4,
    permeate_m3: 20,
    permeate_left_m3: 18,
    syrup_m3: 0.9,
    fuel: 98,
    power_kwh: 40,
    labour_h: 12,
    cost: 700,
    fuel_cost: 380,
    power_cost: 8,
    labour_cost: 290,
    wash_cost: 40,
    trace_min: 10,
    sap_trace: [20, 10, 0],
    head_trace: [0, 2, 0],
    permeate_trace: [4, 9, 18],
    syrup_trace: [0, 0.5, 0.9],
    wash_spans: [[420, 500]],
    ro_spans: [[0, 420]],
    fire_spans: [[240, 520]],
    people_spans: [{ from_min: 0, until_min: 540, people: 1.5 }],
    with_less: null,
    with_more: null,
    ...more,
  }) as Choice;

const weather = { frost_at: "2026-03-18T03:00:00Z", low_c: -4, thaw_at: "2026-03-18T14:00:00Z" };
const shown = (
  choices: Choice[],
  more: { best?: number | null; known?: Partial<Shapes["TonightOut"]>; role?: string; weather?: object } = {},
  units: "us" | "metric" = "us",
) =>
  draw(
    <Tonight />,
    units,
    [
      [["clock"], { now: NOW, pace: 1 }],
      [["weather", "oak"], more.weather ?? weather],
      [["tonight", "oak"], { ...known, ...more.known }],
      [
        ["compare", "oak", assumptions],
        { choices, best: more.best === undefined ? 0 : more.best, frontier: [0], without_ice: null },
      ],
    ],
    more.role,
  );

describe("the plan of tonight", () => {
  it("has a field for every machine and says which is which", () => {
    const two = {
      machines: ["loop", "old stages"],
      evaporators: ["pans", "small pans"],
      assumptions: { ...assumptions, more_pressures_pa: [2e6], more_heats_w: [2e5], more_efficiencies: [0.6] },
    };
    const html = draw(
      <Assumptions
        known={{ ...known, ...two }}
        typed={{}}
        onTyped={() => undefined}
        refusal={null}
        withoutIce={null}
      />,
      "metric",
    );
    for (const label of ["pressure 1", "pressure 2", "fire 1", "fire 2", "efficiency 2"])
      expect(html).toContain(`>${label}<`);
    for (const value of ["20.0", "200", "60"]) expect(html).toContain(`value="${value}"`);
    expect(html).toContain("1 loop, 2 old stages");
    expect(html).toContain("1 pans, 2 small pans");
    expect(shown([choice(12)])).not.toContain("pressure 1");
  });

  it("says how far, for what, when to light and when to bed", () => {
    const html = shown([choice(12)]);
    expect(html).toContain("12 °Bx");
    expect(html).toContain("$3.03 a gallon"); // 800 a cubic metre
    expect(html).toContain("Membrane on now.");
    expect(html).toContain("Light at 18:00");
    expect(html).toContain("all done 23:00");
    expect(html).toContain("238 gal of syrup from 98 gal of oil, 12.0 h of work.");
    expect(html).not.toMatch(NUMBERS);
  });
  it("counts in litres where people do", () => {
    const html = shown([choice(12)], {}, "metric");
    expect(html).toContain("$0.80 a litre");
    expect(html).toContain("900 L of syrup");
    expect(html).not.toMatch(NUMBERS);
  });
  it("tells what is out of the ordinary about it", () => {
    const ways = ["membrane no faster than the pans", "washed only at the end"];
    expect(shown([choice(12, { ways })])).toContain("Membrane no faster than the pans, washed only at the end.");
    expect(shown([choice(12, { ro_start_min: 60 })])).toContain("Membrane on at 15:00");
    expect(shown([choice(12, { daring: true })])).toContain("It only holds if the machines are no worse than known.");
    expect(shown([choice(12, { beyond_log: true })])).toContain("the maker&#x27;s word");
    expect(shown([choice(0)])).toContain("No membrane");
  });
  it("carries the forecast's spread through", () => {
    const less = { coming_m3: 6, finish_min: 480, limit: null, limit_min: 0 };
    const more = { coming_m3: 11, finish_min: 600, limit: null, limit_min: 0 };
    const both = shown([choice(12, { with_less: less, with_more: more })]);
    expect(both).toContain("With the least all done 22:00");
    expect(both).toContain("with the most all done 00:00");
    const flood = { ...more, limit: "sap tank over its brim", limit_min: 300 };
    expect(shown([choice(12, { with_more: flood })])).toContain("with the most sap tank over its brim at 19:00");
    expect(shown([choice(12)])).not.toContain("With the least");
  });
  it("says why nobody can foretell the sap", () => {
    const none = { ...known.forecast, middle_m3: null, reason: "not enough history: 2 runs" };
    expect(shown([choice(12)], { known: { forecast: none } })).toContain("Sap to come: not enough history: 2 runs.");
    const over = { ...known.forecast, middle_m3: 0 };
    expect(shown([choice(12)], { known: { forecast: over } })).toContain("No more sap is to be expected");
  });
  it("offers to be done by the thaw, when there is one", () => {
    expect(shown([choice(12)])).toContain("be done by then");
    const cold = { ...known.forecast, thaw_in_h: null };
    expect(shown([choice(12)], { known: { forecast: cold } })).not.toContain("be done by then");
    expect(shown([choice(12)], { weather: { frost_at: null } })).not.toContain("Frost from");
  });
  it("says so where nothing can be done", () => {
    const refused = choice(12, { limit: "not finished in time", cost_per_m3: null, finish_min: null });
    expect(shown([refused], { best: null })).toContain("No target can be done so");
  });
  it("shows the plan that was made, and lets a viewer only look", () => {
    const chosen = { ...choice(15), id: 4, made_at: NOW, made_by: "anna" } as unknown as Shapes["ChosenPlan"];
    expect(shown([choice(12)], { known: { chosen } })).toMatch(/plan: 15 °Bx by.*anna.*14:00/);
    expect(shown([choice(12)], { role: "viewer" })).toMatch(/disabled=""[^>]*>\s*Make this tonight/);
    expect(shown([choice(12)], { role: "viewer" })).not.toContain("type the weather");
  });
});

describe("what it assumes", () => {
  it("shows every assumption with where it comes from", () => {
    const html = shown([choice(12)]);
    for (const label of [
      "sap tank",
      "sugar",
      "still to come",
      "permeate",
      "fire, net",
      "oil",
      "at membrane",
      "people from, in",
    ])
      expect(html).toContain(`>${label}<`);
    expect(html).toContain(">learned<");
    expect(html).toContain("$/gal");
  });
  it("leaves out what a house without a membrane has not", () => {
    const html = shown([choice(0)], { known: { machine: null, machine_max_brix: null, arrangement: null } });
    expect(html).not.toContain(">pressure<");
    expect(html).toContain("no membrane machine; pans");
  });
});

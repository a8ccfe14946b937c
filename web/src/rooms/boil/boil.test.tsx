import { describe, expect, it } from "vitest";
import type { Shapes } from "../../lib/api";
import { draw, NUMBERS } from "../draw.test-help";
import type { BoilFacts } from "./action";
import Boil from "./Boil";

const START = "2026-03-17T22:00:00Z";
const run = {
  id: 1,
  number: 12,
  started_at: START,
  water_boiling_c: 99.2,
  plan: {
    target_brix: 12,
    syrup_m3: 0.9,
    trace_min: 10,
    syrup_trace: [0, 0.1, 0.3, 0.6, 0.9],
    finish_min: 400,
  } as Shapes["PlanChoice"],
} as Shapes["OpenRun"];

const plain = {
  run,
  drawoff: {
    set_c: 103.4,
    uncertainty_k: null,
    first_c: 103.4,
    water_boiling_c: 99.2,
    moved_k: 0,
    source: "measured",
    pressure_pa: 98_000,
    barometer_age_s: 30,
    limited: false,
    target_brix: 66.9,
  },
  head: {
    volume_m3: 1.2,
    capacity_m3: 4,
    reserve_m3: 0.2,
    age_s: 20,
    stale: false,
    fall_m3_s: 3e-4,
    minutes_left: 55,
    minutes_low: 48,
    minutes_high: 66,
  },
  firing: null,
  fuel_gauge: { used: 31, planned: 98, unit: "gal", per_h: 20, lit: true },
  advice: {
    sap_in: false,
    minutes_to_brim: null,
    permeate_short_m3: 0,
    warn: false,
    breach: "",
    change: null,
    membrane_on: true,
  },
  sap: { volume_m3: 9, minutes_left: 180 },
  permeate: { volume_m3: 5, wash_m3: 1.8 },
  alarms: [],
  hot: true,
  pan_c: 102.1,
  pan_age_s: 12,
  draws: [],
  entries: [],
  syrup_m3: 0.41,
  syrup_planned_m3: 0.5,
  fuel: "oil",
  next: { key: "steady", minutes: 55, urgent: false },
} as BoilFacts;

const shown = (more: Partial<BoilFacts> = {}, units: "us" | "metric" = "us", role = "owner") =>
  draw(<Boil />, units, [[["boil", "oak"], { ...plain, ...more }]], role);
const next = (key: string, minutes: number | null, more: Partial<BoilFacts> = {}) =>
  shown({ next: { key, minutes, urgent: key === "concentrate-low" }, ...more });
const change = (kind: string, value: number, holds = true, minutes_left: number | null = 150) => ({
  advice: { ...plain.advice, change: { kind, value, holds, minutes_left } } as BoilFacts["advice"],
});

describe("beside the pans", () => {
  it("shows the four figures with what stands behind them", () => {
    const html = shown();
    expect(html).toContain("218.1"); // 103.4 °C
    expect(html).toContain("water boils at 210.6 °F by water boiled in the pan");
    expect(html).toMatch(/>55</);
    expect(html).toContain("(48 min to 66 min)");
    expect(html).toContain("132 gal planned by now, 238 gal in all");
    expect(html).toContain("oil burnt, by the fire&#x27;s rate");
    expect(html).toContain("of 98 gal planned");
    expect(html).not.toMatch(NUMBERS);
  });
  it("speaks in the person's units", () => {
    const html = shown({}, "metric");
    expect(html).toContain("103.4");
    expect(html).toContain("99.2 °C");
    expect(html).toContain("1,200 L");
    expect(html).not.toMatch(NUMBERS);
  });
  it("keeps permeate for the wash, and says what is short", () => {
    expect(shown()).toContain("the wash takes 476 gal");
    const short = shown({ advice: { ...plain.advice, permeate_short_m3: 0.8 } as BoilFacts["advice"] });
    expect(short).toContain("211 gal short");
    expect(shown({ permeate: null })).not.toContain("the wash takes");
  });
  it("tells a tank that fills", () => {
    expect(shown({ advice: { ...plain.advice, minutes_to_brim: 40 } as BoilFacts["advice"] })).toContain(
      "a tank is full in 40 min",
    );
    expect(shown({ advice: { ...plain.advice, minutes_to_brim: 140 } as BoilFacts["advice"] })).not.toContain(
      "is full in",
    );
  });
  it("strikes through a level that is stale and never guesses one that is not there", () => {
    expect(shown({ head: { ...plain.head, stale: true } as BoilFacts["head"] })).toContain("line-through");
    const none = shown({ head: null });
    expect(none).toContain("look at the tank");
    expect(none).not.toMatch(NUMBERS);
  });
  it("says how cup tests and the barometer moved the draw-off", () => {
    const cups = { ...plain.drawoff, set_c: 103.7, uncertainty_k: 0.1 };
    expect(shown({ drawoff: cups })).toMatch(/cup tests moved it 0\.5 ± 0\.2/);
    expect(shown({ drawoff: { ...plain.drawoff, moved_k: -0.2 } })).toContain("down 0.4 °F with the barometer since");
    expect(shown({ drawoff: { ...plain.drawoff, moved_k: 0.01 } })).not.toContain("with the barometer");
    expect(shown({ drawoff: { ...plain.drawoff, source: "elevation" } })).toContain("by elevation alone");
  });
  it("counts down to the next firing where wood burns", () => {
    const wood = { fuel: "wood", fuel_gauge: null };
    const html = shown({ ...wood, firing: { interval_s: 560, since_s: 140 } });
    expect(html).toContain("next firing in");
    expect(html).toMatch(/>7</);
    expect(html).toContain("Fired");
    expect(shown({ ...wood, firing: { interval_s: 560, since_s: 900 } })).toMatch(/>0</);
    expect(shown()).not.toContain(">Fired");
  });
  it("shows the pan where neither wood nor a gauge is known", () => {
    const html = shown({ fuel_gauge: null });
    expect(html).toContain("pan now");
    expect(html).toContain("215.8");
    expect(shown({ fuel_gauge: null, pan_c: null, pan_age_s: null })).toContain("no sensor in the pan");
  });
  it("invites a run where none is open, and lets a viewer only look", () => {
    const html = shown({ run: null, next: { key: "start", minutes: null, urgent: false } });
    expect(html).toContain("No run is open");
    expect(html).toContain("Start without a plan");
    expect(html).not.toContain("Defoamer");
    expect(shown({}, "us", "viewer")).toContain("You may look, not write");
  });
});

describe("what to do next", () => {
  it.each([
    ["steady", 55, "Nothing due. Concentrate for 55 min"],
    ["steady", null, "Nothing due"],
    ["boil-ends", 20, "The sap is all in. Concentrate for 20 min, then the fire out"],
    ["level-lost", 9, "The head tank has not been read for 9 min: look at it"],
    ["draw", null, "Draw off: the pan stands at 215.8"],
    ["fire", 0, "Fire now"],
    ["boiling-point", null, "Enter where water boils in the pan"],
    ["weather-moved", null, "The air has moved the boiling point: boil water again"],
    ["cup-test", 50, "Cup test: 50 min since the last draw"],
    ["wait-fire", 6, "Next firing in 6 min"],
  ])("%s at %s", (key, minutes, words) => {
    expect(next(key, minutes)).toContain(words);
  });
  it.each([
    ["target", 10.5, "concentrate to 10.5 °Bx instead"],
    ["target", 10, "concentrate to 10 °Bx instead"],
    ["pressure", 1, "membrane to 100 % of its pressure"],
    ["membrane", 1, "start the membrane"],
    ["fire", 0.8, "fire down to 80 %"],
    ["out", 0, "let the fire go out"],
  ])("%s to %s", (kind, value, words) => {
    expect(next("concentrate-low", 18, change(kind, value))).toContain(`Concentrate for 18 min: ${words}`);
  });
  it("is urgent where it cannot wait", () => {
    expect(next("concentrate-low", 18, change("fire", 0.8))).toMatch(/<h1[^>]*bg-act/);
    expect(next("steady", 55)).not.toMatch(/<h1[^>]*bg-act/);
  });
  it("says for how long, where a change only gains time", () => {
    expect(next("change", 90, change("fire", 0.5, false, 135))).toContain("fire down to 50 % (lasts 2 h 15)");
  });
});

describe("the log", () => {
  const entry = (kind: string, text = "", at = START) => ({ id: at.length + kind.length, at, by: "anna", kind, text });
  const drawn = (verdict: string, more: Partial<Shapes["DrawOut"]> = {}) =>
    ({
      id: 5,
      at: START,
      by: "anna",
      volume_m3: 0.025,
      instrument: "hydrometer",
      reading: 58.9,
      temp_c: 99,
      set_c: 103.4,
      true_brix: 66.4,
      brix_sd: 0.5,
      gap_brix: -0.5,
      verdict,
      boil_off_kg: 0.4,
      thin_m3: 6e-4,
      given_away: 0.012,
      ...more,
    }) as Shapes["DrawOut"];
  it("names every kind of line", () => {
    const html = shown({
      entries: [
        entry("lit"),
        entry("level", "", "2026-03-17T22:05:00Z"),
        entry("alarm", "The pans run dry", "2026-03-17T22:06:00Z"),
        entry("note", "foam at the float", "2026-03-17T22:07:00Z"),
        entry("membrane-on", "east loop", "2026-03-17T22:08:00Z"),
      ] as BoilFacts["entries"],
    });
    for (const words of ["fire lit", "level seen", "seen: the pans run dry", "foam at the float", "east loop on"])
      expect(html).toContain(words);
    expect(html).toContain("18:00"); // the operation's own clock
    expect(html.indexOf("east loop on")).toBeLessThan(html.indexOf("fire lit")); // the newest first
  });
  it("says what a light, a heavy and a right draw need", () => {
    expect(shown({ draws: [drawn("light")] })).toContain(
      "0.5 light: set the draw-off higher; boil 0.9 lb off this draw",
    );
    expect(shown({ draws: [drawn("heavy", { gap_brix: 1.1 })] })).toMatch(
      /1\.1 heavy: set it lower; 0\.16 gal of water/,
    );
    expect(shown({ draws: [drawn("heavy")] })).toContain("1.2 % is given away");
    expect(shown({ draws: [drawn("on")] })).toContain("on target (66.9)");
  });
});

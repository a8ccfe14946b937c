import { describe, expect, it } from "vitest";
import type { Shapes } from "../lib/api";
import type { Pack } from "./barrels/Barrels";
import { Rack } from "./barrels/Rack";
import { Alarms } from "./boil/Alarms";
import type { BoilFacts } from "./boil/action";
import { draw, NUMBERS } from "./draw.test-help";
import { Suspicion } from "./ledger/Findings";
import { Health } from "./season/Health";
import type { SeasonFacts } from "./season/Season";
import { Springs } from "./season/Springs";
import { Beside, type Kept } from "./tonight/Beside";
import type { Choice } from "./tonight/choice";
import { Why } from "./tonight/Why";

const choice = (target: number, more: Partial<Choice> = {}) =>
  ({
    target_brix: target,
    light_min: 60,
    finish_min: 360,
    cost_per_m3: 700,
    fuel: 80,
    labour_h: 8,
    syrup_m3: 0.6,
    permeate_left_m3: 15,
    ...more,
  }) as Choice;
const why = (more: Partial<NonNullable<Choice["why"]>> = {}) => ({
  cost_more: 0,
  fuel_cost_more: 0,
  labour_cost_more: 0,
  other_cost_more: 0,
  later_min: 0,
  ...more,
});
const START = Date.parse("2026-03-17T18:00:00Z");

describe("plans side by side", () => {
  const kept = (id: number, more: Partial<Kept> = {}): Kept => ({
    id,
    choice: choice(12),
    changed: [],
    startedAt: START,
    ...more,
  });
  it("invite the first one", () => {
    expect(draw(<Beside plans={[]} fuelUnit="gal" onDrop={() => {}} />)).toContain("keeps a plan here");
  });
  it("hold figures by the clock and what was assumed otherwise", () => {
    const html = draw(
      <Beside plans={[kept(1), kept(2, { choice: choice(0), changed: ["oil"] })]} fuelUnit="gal" onDrop={() => {}} />,
    );
    expect(html).toContain("12 °Bx");
    expect(html).toContain("no membrane");
    expect(html).toContain("15:00"); // lit an hour after two in the afternoon there
    expect(html).toContain("20:00");
    expect(html).toContain("as measured");
    expect(html).toContain(">oil<");
    expect(html).toContain("$2.65"); // 700 a cubic metre
    expect(html).not.toMatch(NUMBERS);
  });
  it("count a litre in metric", () => {
    expect(draw(<Beside plans={[kept(1)]} fuelUnit="L" onDrop={() => {}} />, "metric")).toContain("$0.70");
  });
});

describe("why not", () => {
  const best = choice(15);
  const told = (target: number, more: Parameters<typeof why>[0]) =>
    draw(<Why choice={choice(target, { why: why(more) })} best={best} />);
  it("is silent about the best itself, and where nothing is known", () => {
    expect(draw(<Why choice={best} best={best} />)).toBe("");
    expect(draw(<Why choice={choice(12)} best={best} />)).toBe("");
  });
  it("names the greatest part and the time", () => {
    const html = told(18, { cost_more: 100, fuel_cost_more: -20, labour_cost_more: 120, later_min: 45 });
    expect(html).toContain("18 °Bx costs $0.38 a gallon more than 15 °Bx");
    expect(html).toContain("by work $0.45 more");
    expect(html).toContain("45 min later");
  });
  it("turns its words round for less and earlier", () => {
    const html = told(0, { cost_more: -100, fuel_cost_more: -100, later_min: -90 });
    expect(html).toContain("No membrane costs $0.38 a gallon less");
    expect(html).toContain("1 h 30 earlier");
  });
  it("calls what differs by less than half a cent and five minutes the same", () => {
    const html = told(14, { cost_more: 0.5, later_min: 3 });
    expect(html).toContain("costs the same as 15 °Bx");
    expect(html).toContain("ends at the same time");
  });
});

describe("what the ledger suspects", () => {
  const closing = (more: object) =>
    ({ suspects: [], unchecked: [], balances: 4, agreed: [], ...more }) as unknown as Shapes["ClosingOut"];
  it("says that nothing stands out, and on how much that rests", () => {
    expect(draw(<Suspicion closing={closing({})} />)).toContain("4 balances of sugar and water: no reading stands out");
    expect(draw(<Suspicion closing={closing({ balances: 1 })} />)).toContain("One balance of sugar");
  });
  it("names one reading and what the others would have there", () => {
    const html = draw(
      <Suspicion
        closing={closing({
          suspects: [{ name: "sap in", quantity: "volume" }],
          agreed: [{ name: "sap in", volume_m3: 3.785411784, brix: 2 }],
        })}
      />,
    );
    expect(html).toContain("Look again at the volume of sap in.");
    expect(html).toContain("1,000 gal");
    expect(html).not.toContain("cannot tell these apart");
  });
  it("names a set that cannot be told apart, and what nothing checks", () => {
    const html = draw(
      <Suspicion
        closing={closing({
          suspects: [
            { name: "draws", quantity: "Brix" },
            { name: "draws", quantity: "volume" },
          ],
          agreed: [{ name: "draws", volume_m3: 1, brix: 65.2 }],
          unchecked: [{ name: "permeate", quantity: "volume" }],
        })}
      />,
    );
    expect(html).toContain("one of these: the Brix of draws, the volume of draws");
    expect(html).toContain("65.2 °Bx");
    expect(html).toContain("cannot tell these apart");
    expect(html).toContain("Nothing checks the volume of permeate");
  });
});

describe("springs", () => {
  const run = (year: number, day: number, syrup_m3: number) => ({ year, day, syrup_m3 });
  const facts = {
    years: [
      { year: 2026, syrup_m3: 3 },
      { year: 2025, syrup_m3: 3.01 },
    ],
    runs: [run(2025, 50, 1), run(2025, 74, 2.01), run(2026, 66, 1.5), run(2026, 80, 1.5)],
    membrane: [],
  } as unknown as SeasonFacts;
  it("draw a stair a year and label each with its sum", () => {
    const html = draw(<Springs facts={facts} chosen={2026} onPick={() => {}} />);
    expect(html.match(/<path/g)).toHaveLength(2);
    expect(html).toContain("March");
    expect(html).toContain("793"); // gallons of 3 m³
    expect(html).not.toMatch(NUMBERS);
  });
  it("keep labels apart that would cover each other", () => {
    const html = draw(<Springs facts={facts} chosen={2026} onPick={() => {}} />);
    const heights = [...html.matchAll(/<text x="[\d.]+" y="([\d.]+)" font-size="13" font-weight/g)].map((m) =>
      Number(m[1]),
    );
    expect(heights).toHaveLength(2);
    expect(Math.abs((heights[0] ?? 0) - (heights[1] ?? 0))).toBeGreaterThanOrEqual(15);
  });
  it("stand with a single run", () => {
    const one = { ...facts, years: [facts.years[0]], runs: [run(2026, 66, 3)] } as unknown as SeasonFacts;
    expect(draw(<Springs facts={one} chosen={2026} onPick={() => {}} />, "metric")).toContain("3,000");
  });
});

describe("machines against their best", () => {
  const row = (run: number, membrane: number | null, evaporator: number | null) => ({
    at: `2026-03-${10 + run}T00:00:00Z`,
    run,
    membrane,
    evaporator,
    clean_water: null,
  });
  it("say nothing where nothing was learned", () => {
    expect(draw(<Health facts={{ membrane: [row(1, null, null)] } as unknown as SeasonFacts} />)).toBe("");
  });
  it("tell the last of each in words, and lead to the run", () => {
    const facts = { membrane: [row(1, 1, 0.98), row(2, 0.93, null)] } as unknown as SeasonFacts;
    const html = draw(<Health facts={facts} />);
    expect(html).toContain('aria-label="membrane 93 %, evaporator 98 %"');
    expect(html).toContain("/oak/ledger/2");
    expect(html).not.toMatch(NUMBERS);
  });
});

describe("the rack", () => {
  const pack = (id: number, more: Partial<Pack> = {}) =>
    ({
      id,
      number: id,
      container: "barrel",
      barrel: true,
      grade: "amber",
      each_m3: 0.15,
      there: 1,
      count: 1,
      place: "cold room",
      hot: "fine",
      fill_c: 85,
      lot: "26-03A",
      brix: 66.9,
      ...more,
    }) as Pack;
  it("sorts barrels by grade and leads each to its trace", () => {
    const html = draw(<Rack packs={[pack(1), pack(2, { grade: "dark" }), pack(3)]} />);
    expect(html.indexOf("Barrels of amber")).toBeLessThan(html.indexOf("Barrels of dark"));
    expect(html).toContain("2 barrels and kegs, 79 gal");
    expect(html).toContain("/oak/barrels/pack/3");
  });
  it("leaves out what has gone, and warns of a fill that was too cool or too hot", () => {
    const jug = (id: number, more: Partial<Pack>) =>
      pack(id, { barrel: false, container: "gallon jug", each_m3: 3.785411784e-3, there: 5, count: 12, ...more });
    const html = draw(
      <Rack
        packs={[pack(1, { there: 0 }), jug(2, { hot: "cool", fill_c: 75 }), jug(3, { hot: "sand", fill_c: 93 })]}
      />,
    );
    expect(html).not.toContain("Barrels of");
    expect(html).toContain("167 °F cool");
    expect(html).toContain("199 °F sand");
    expect(html).toContain("26-03A");
  });
});

describe("alarms beside the pans", () => {
  const run = { number: 4 } as Shapes["OpenRun"];
  const facts = (alarms: Shapes["PanAlarm"][], hot = true) => ({ alarms, hot }) as BoilFacts;
  const alarm = (key: string, value: number, tank = "", seen = false) => ({ key, value, tank, seen });
  const told = (of: BoilFacts, silentMs = 0) => draw(<Alarms facts={of} run={run} silentMs={silentMs} />);
  it("say what to do first, with how long there is", () => {
    const html = told(facts([alarm("dry-pan", 4)]));
    expect(html).toContain("The pans run dry");
    expect(html).toContain("Concentrate for 4 min. Cut the fire first");
  });
  it("name the tank and how full it is", () => {
    expect(told(facts([alarm("high-level", 0.98, "sap tank")]))).toContain("98 % full");
    expect(told(facts([alarm("lost-readings", 9, "head tank level")]))).toContain("No head tank level for 9 min");
  });
  it("are silent once seen, and show the next one", () => {
    expect(told(facts([alarm("dry-pan", 4, "", true)]))).toBe("");
    expect(told(facts([alarm("dry-pan", 4, "", true), alarm("high-level", 1, "sap tank")]))).toContain(
      "sap tank at its brim",
    );
  });
  it("tell a server that has not answered, but only while the pans boil", () => {
    expect(told(facts([]), 200_000)).toContain("No answer for 3 min");
    expect(told(facts([]), 60_000)).toBe("");
    expect(told(facts([], false), 900_000)).toBe("");
  });
  it("put what is known before the silence", () => {
    expect(told(facts([alarm("dry-pan", 2)]), 900_000)).toContain("The pans run dry");
  });
});

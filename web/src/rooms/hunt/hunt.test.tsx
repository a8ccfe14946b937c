import { describe, expect, it } from "vitest";
import type { Shapes } from "../../lib/api";
import { quantity } from "../../lib/units";
import { draw, NUMBERS } from "../draw.test-help";
import { Next } from "./Next";
import { StepLog } from "./StepLog";
import { Strip } from "./Strip";
import { CAUSE, FOUND_CAUSES, factText, INSTEAD, percent } from "./words";

function place(tag: string, distance: number, more: Partial<Shapes["StripPlace"]> = {}): Shapes["StripPlace"] {
  return {
    tag,
    kind: "saddle",
    sensor: null,
    row: 0,
    distance_m: distance,
    from_m: Math.max(distance - 20, 0),
    chance: 0,
    laterals: 1,
    ...more,
  };
}

const LINE = [
  place("P", 0, { kind: "pump", laterals: 0 }),
  place("A.0", 100, { kind: "valve" }),
  place("A.1", 120, { chance: 0.6 }),
  place("A.2", 140, { chance: 0.3 }),
  place("A.s", 150, { row: 1, chance: 0.1, from_m: 120 }),
  place("A.3", 160, { kind: "end", sensor: "A-E" }),
];

function advice(more: Partial<Shapes["AdviceOut"]> = {}): Shapes["AdviceOut"] {
  const outcome = { metres: 90, rise_pa: null, gauge: null, hold_pa_s: null };
  return {
    action: "look",
    at: "A.1",
    minutes: 6,
    walk_m: 120,
    chance: 0.54,
    bits: 1.1,
    outcomes: [
      { ...outcome, name: "found", chance: 0.54, metres: 0 },
      { ...outcome, name: "nothing", chance: 0.46 },
    ],
    ...more,
  };
}

const STEPS = { write: () => {}, photo: () => {}, undo: () => {}, waiting: [], fault: null };

function step(kind: string, more: Partial<Shapes["StepOut"]> = {}): Shapes["StepOut"] {
  return {
    id: 1,
    token: "6a1f8e2c-3f0d-4b52-9a55-0c4b7d1f9e10",
    at: "2026-03-17T18:00:00Z",
    by: "josef",
    kind,
    place: "A.1",
    facts: {},
    undone: false,
    photo: false,
    ...more,
  };
}

function hunt(more: Partial<Shapes["HuntOut"]> = {}): Shapes["HuntOut"] {
  return {
    number: 4,
    state: "narrowing",
    bush: "north",
    main: "A",
    opened_at: "2026-03-17T17:00:00Z",
    opened_by: "marit",
    closed_at: null,
    fall_pa: 6000,
    found_at: "",
    found_cause: "",
    steps: 0,
    minutes: 0,
    sap_m3_s: 3e-6,
    money_s: 0.0005,
    alarm: null,
    steps_log: [],
    wind_m_s: 2,
    listen: true,
    notice: 0.9,
    position: "P",
    leak: { size_scfm: 1.3, size_low: 0.9, size_high: 1.6, metres: 190, nodes: ["A.1"], branches: [] },
    strip: LINE,
    advice: [advice()],
    others: [],
    ...more,
  };
}

describe("the line straightened out", () => {
  it("has a bar for each likely place, one valve, one gauge, and names the likeliest", () => {
    const html = draw(<Strip places={LINE} next="A.2" position="P" />);
    expect(html).not.toMatch(NUMBERS);
    expect(html.match(/<rect/g)).toHaveLength(3);
    expect(html.match(/M-7-7L7 7/g)).toHaveLength(1);
    expect(html).toContain("next: A.2");
    expect(html).toContain("A.1 60 %");
  });

  it("stands with nothing known, with one place, and with two hundred", () => {
    expect(draw(<Strip places={[]} position="P" />)).toBe("");
    expect(draw(<Strip places={[place("P", 0, { kind: "pump" })]} position="P" />)).not.toMatch(NUMBERS);
    const many = Array.from({ length: 200 }, (_, i) => place(`Q.${i}`, 20 * i, { chance: 1 / 200 }));
    expect(draw(<Strip places={many} position="Q.0" />)).not.toMatch(NUMBERS);
  });
});

describe("what to do next", () => {
  it("says the look, its chance and what nothing there would leave", () => {
    const html = draw(<Next hunt={hunt()} steps={STEPS} />);
    expect(html).toContain("look over A.1 and its laterals");
    expect(html).toContain("One chance in 2");
    expect(html).toContain("295 ft of line left");
    expect(html).not.toContain("windy");
  });

  it("advises no listening in wind", () => {
    expect(draw(<Next hunt={hunt({ listen: false })} steps={STEPS} />)).toContain("Too windy to listen");
  });

  it("says for a shut-off test by how much which gauge rises", () => {
    const shut = advice({
      action: "shut",
      at: "A.0",
      outcomes: [
        { name: "rose", chance: 0.8, metres: 60, rise_pa: 1000, gauge: "P", hold_pa_s: 200 },
        { name: "stayed", chance: 0.2, metres: 900, rise_pa: 80, gauge: "P", hold_pa_s: 40 },
      ],
    });
    const html = draw(<Next hunt={hunt({ advice: [shut] })} steps={STEPS} />, "metric");
    expect(html).toContain("shut the valve A.0");
    expect(html).toContain("P rises 1.0 kPa");
    expect(html).toContain("behind A.0, 60 m of line left; behind it 12.0 kPa lost a minute");
  });

  it("is silent when there is nothing to advise", () => {
    expect(draw(<Next hunt={hunt({ advice: [] })} steps={STEPS} />)).toBe("");
  });
});

describe("what was done", () => {
  it("tells each kind of step, strikes what was undone and lets only the last be undone", () => {
    const log = [
      step("shut", { id: 1, facts: { rises_pa: { P: 1000, "A-E": 300 } } }),
      step("shut", { id: 2, facts: { rose: false } }),
      step("look", { id: 3, undone: true }),
      step("found", { id: 4, facts: { cause: "chew", parts: "1 tee" } }),
    ];
    const html = draw(<StepLog hunt={hunt({ steps_log: log })} undo={() => {}} />);
    expect(html).toContain("P rose 0.30 inHg");
    expect(html).toContain("the vacuum stayed");
    expect(html).toContain("Found at A.1: chew, 1 tee");
    expect(html.match(/line-through/g)).toHaveLength(1);
    expect(html.match(/undo</g)).toHaveLength(1);
  });

  it("lets nobody undo what the readings said", () => {
    const html = draw(
      <StepLog
        hunt={hunt({ steps_log: [step("proven", { facts: { gauge: "A-E", fall_pa: 300 } })] })}
        undo={() => {}}
      />,
    );
    expect(html).toContain("A-E back within 0.1 inHg");
    expect(html).not.toContain("undo<");
  });
});

describe("words", () => {
  it("never claims certainty or nothing", () => {
    expect([percent(0), percent(0.001), percent(0.5), percent(0.999), percent(1)]).toEqual([
      "0 %",
      "under 1 %",
      "50 %",
      "over 99 %",
      "over 99 %",
    ]);
  });

  it("has a sentence for every cause and every fact", () => {
    for (const cause of Object.keys(INSTEAD)) expect(CAUSE[cause]).toBeTruthy();
    expect(new Set(FOUND_CAUSES.map(([key]) => key)).size).toBe(FOUND_CAUSES.length);
    const short = (pa: number) => quantity(pa, "vacuum", "us");
    const names =
      "pump_fell pump_rose pump_unmoved gauge_fell still_falling no_scatter cold_now stands_since_cold comes_back_since_cold began_in_the_warm never_cold dumps_few dumps_many gauges_silent gateway_silent";
    for (const name of names.split(" ")) {
      const text = factText({ name, value: -2, favours: [], gauges: ["A-E"] }, "us", short);
      expect(text).not.toBe(name);
      expect(text).not.toMatch(NUMBERS);
    }
  });
});

import type { Shapes } from "../../lib/api";
import { quantity, type System } from "../../lib/units";

/** Causes of a fall of vacuum, as people say them. */
export const CAUSE: Record<string, string> = {
  leak: "a leak",
  frozen: "frozen, thawing",
  pump: "the pump is weak or stopped",
  releaser: "the releaser or its trap",
  sag: "sap standing in a sag",
  valve: "a valve left shut",
  sensor: "the gauge itself",
  silence: "no readings",
  none: "nothing",
};

/** What the crew is told to do instead of walking the line. */
export const INSTEAD: Record<string, string> = {
  frozen: "Wait for the thaw; look again when it is up.",
  pump: "Shut everything at the pump: if its own gauge stays low, it is the pump, if it rises, the lines.",
  releaser: "Look at the releaser and its moisture trap first.",
  sag: "Tighten the line where it sags; nothing is open.",
  valve: "Look whether the valve there was left shut.",
  sensor: "Read a hand gauge beside it before anyone walks.",
  silence: "Look at the radio and its battery.",
};

export const STATE: Record<string, string> = {
  suspected: "suspected",
  narrowing: "narrowing",
  found: "found, to mend",
  repaired: "mended, being proven",
  proven: "proven",
  waiting: "not found, waits for a harder run",
  dropped: "given up",
};

export const FOUND_CAUSES: [string, string][] = [
  ["chew", "chew"],
  ["loose spout", "loose spout"],
  ["cracked fitting", "cracked fitting"],
  ["saddle", "saddle"],
  ["limb", "limb"],
  ["ice", "ice"],
  ["open drop", "open drop"],
  ["end ring", "end ring"],
  ["split hole", "split tap hole"],
  ["tree", "hollow tree"],
  ["other", "other"],
];

/** One piece of evidence in a sentence. */
export function factText(fact: Shapes["FactOut"], system: System, short: (pa: number) => string): string {
  const gauge = fact.gauges[0] ?? "";
  const value = fact.value ?? 0;
  const texts: Record<string, string> = {
    pump_fell: `the pump's gauge fell too, by ${short(value)}`,
    pump_rose: `the pump's gauge stands higher, by ${short(-value)}`,
    pump_unmoved: "the pump's gauge has not moved",
    gauge_fell: `${gauge} stands ${short(value)} under its usual`,
    still_falling: `${gauge} is still falling, ${short(value * 60)} a minute`,
    no_scatter: `${gauge} shows the same figure again and again`,
    cold_now: `the air is at ${quantity(value, "temperature", system)}`,
    stands_since_cold: `it stands so since the cold, ${quantity(value, "temperature", system)}`,
    comes_back_since_cold: `it is coming back after ${quantity(value, "temperature", system)}`,
    began_in_the_warm: `it began in the warm, after ${quantity(value, "temperature", system)} in the night`,
    never_cold: "there was no frost",
    dumps_few: `only ${value.toFixed(0)} dumps an hour`,
    dumps_many: `${value.toFixed(0)} dumps an hour`,
    gauges_silent: `silent: ${fact.gauges.join(", ")}`,
    gateway_silent: `all gauges of one gateway are silent: ${fact.gauges.join(", ")}`,
  };
  return texts[fact.name] ?? fact.name;
}

export function percent(share: number): string {
  const whole = Math.round(share * 100);
  if (whole === 0 && share > 0) return "under 1 %";
  return whole === 100 ? "over 99 %" : `${whole} %`;
}

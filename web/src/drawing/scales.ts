import { scaleLinear } from "d3-scale";

const STRAW_TO_AMBER = scaleLinear<string>()
  .domain([1, 4, 12, 25, 67])
  .range(["#ead9a0", "#e3c469", "#d79a35", "#b5691a", "#6e2f08"])
  .clamp(true);

/** The one colour of sugar: straw for sap, honey for concentrate, deep amber for syrup. */
export function sugarColour(brix: number): string {
  return STRAW_TO_AMBER(brix);
}

export type LineState = "holding" | "slipping" | "losing" | "silent";

/** Shortfall of vacuum: a colour, and always a word and a shape with it (see StateMark). */
export const SHORTFALL: Record<LineState, { colour: string; word: string; width: number; dash?: string }> = {
  holding: { colour: "var(--fine-0)", word: "as usual", width: 2 },
  slipping: { colour: "var(--fine-2)", word: "slipping", width: 3.5 },
  losing: { colour: "var(--fine-3)", word: "losing", width: 5.5 },
  silent: { colour: "var(--soft)", word: "silent", width: 1.5, dash: "3 4" },
};

export function stateOf(word: string): LineState {
  return word in SHORTFALL ? (word as LineState) : "silent";
}

const GRADES: Record<string, string> = {
  golden: "var(--grade-golden)",
  amber: "var(--grade-amber)",
  dark: "var(--grade-dark)",
  "very dark": "var(--grade-very-dark)",
  processing: "var(--grade-processing)",
};

/** The swatch of a grade; its name always stands beside it. */
export function gradeColour(grade: string): string {
  return GRADES[grade] ?? "var(--soft)";
}

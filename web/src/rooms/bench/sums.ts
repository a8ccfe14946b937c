import type { Shapes } from "../../lib/api";
import type { Dimension } from "../../lib/units";

/** A calculator: its address, its fields with SI defaults, and where the server does it. */
export type Field =
  | { key: string; label: string; kind: "number"; dimension: Dimension; start: number; digits?: number; unit?: string }
  | { key: string; label: string; kind: "switch"; start: boolean; on: string; off: string }
  | { key: string; label: string; kind: "text"; start: string };

export type Sum = { name: string; title: string; ask: string; fields: Field[] };
export type Answer = Shapes["AnswerOut"];

const n = (
  key: string,
  label: string,
  dimension: Dimension,
  start: number,
  more: { digits?: number; unit?: string } = {},
): Field => ({
  key,
  label,
  kind: "number",
  dimension,
  start,
  ...more,
});
const GALLON = 3.785411784e-3;

export const SUMS: Sum[] = [
  {
    name: "hydrometer",
    title: "Hydrometer",
    ask: "What is it truly?",
    fields: [
      n("reading", "it shows", "brix", 59.4),
      n("temp_c", "in the cup", "temperature", 99.44, { digits: 0 }),
      n("graduated_at_c", "graduated at", "temperature", 15.56, { digits: 0 }),
    ],
  },
  {
    name: "refractometer",
    title: "Refractometer",
    ask: "What is it truly?",
    fields: [
      n("reading", "it shows", "brix", 66),
      n("temp_c", "sample at", "temperature", 24, { digits: 0 }),
      { key: "compensated", label: "instrument", kind: "switch", start: false, on: "corrects itself", off: "does not" },
    ],
  },
  {
    name: "boiling",
    title: "Boiling point and draw-off",
    ask: "Where do I draw today?",
    fields: [
      n("pressure_pa", "barometer", "vacuum", 30.1 * 3386.389, { digits: 2 }),
      {
        key: "reduced_to_sea_level",
        label: "the report is",
        kind: "switch",
        start: true,
        on: "for sea level",
        off: "from this room",
      },
      n("elevation_m", "elevation", "length", 457.2),
      n("temp_c", "outdoors", "temperature", 5, { digits: 0 }),
      n("target_brix", "syrup wanted", "brix", 66.9),
    ],
  },
  {
    name: "sap-to-syrup",
    title: "Sap to syrup",
    ask: "How much does it make?",
    fields: [
      n("sap_brix", "sap", "brix", 2),
      n("volume_m3", "how much of it", "volume", 1000 * GALLON),
      n("syrup_brix", "syrup", "brix", 66.9),
    ],
  },
  {
    name: "adjust",
    title: "Thin or thicken",
    ask: "What does the batch need?",
    fields: [
      n("volume_m3", "batch", "smallVolume", 100 * GALLON),
      n("brix", "stands at", "brix", 68),
      n("target_brix", "wanted", "brix", 66.9),
      n("with_brix", "thin with (0 is water)", "brix", 0),
    ],
  },
  {
    name: "density",
    title: "Density and Baumé",
    ask: "What does it weigh?",
    fields: [n("brix", "sugar", "brix", 66.9), n("temp_c", "at", "temperature", 20, { digits: 0 })],
  },
  {
    name: "overweight",
    title: "Too heavy",
    ask: "What am I giving away?",
    fields: [
      n("volume_m3", "packed", "volume", 100 * GALLON),
      n("brix", "at", "brix", 68.2),
      n("target_brix", "could be", "brix", 66.9),
      n("price", "price of a cubic metre", "plain", 7130, { unit: "", digits: 0 }),
    ],
  },
  {
    name: "grade",
    title: "Grade",
    ask: "Which class is it?",
    fields: [
      n("transmittance", "light passed", "percent", 62),
      n("path_mm", "through", "plain", 10, { unit: "mm", digits: 0 }),
      { key: "off_flavour", label: "off-flavour, if any", kind: "text", start: "" },
    ],
  },
  {
    name: "bottles",
    title: "Bottles from a batch",
    ask: "How many does it fill?",
    fields: [
      n("volume_m3", "hot batch", "smallVolume", 20 * GALLON),
      n("brix", "at", "brix", 66.9),
      n("fill_c", "filled at", "temperature", 85, { digits: 0 }),
      n("container_m3", "one holds", "smallVolume", GALLON / 4, { digits: 3 }),
    ],
  },
  {
    name: "tank",
    title: "Tank by the stick",
    ask: "What is in it?",
    fields: [
      { key: "lying", label: "round tank", kind: "switch", start: true, on: "lying", off: "standing" },
      n("diameter_m", "across", "length", 1.83, { digits: 2 }),
      n("length_m", "long, or high", "length", 3.66, { digits: 2 }),
      n("depth_m", "on the stick", "length", 0.76, { digits: 2 }),
    ],
  },
  {
    name: "pipe-size",
    title: "Pipe size",
    ask: "What can it serve?",
    fields: [
      n("taps", "taps on it", "plain", 500, { unit: "", digits: 0 }),
      n("length_m", "length", "length", 457.2),
      n("grade", "grade", "percent", 4, { digits: 0 }),
      n("inner_diameter_m", "inside", "bore", 0.0191),
    ],
  },
  {
    name: "taps",
    title: "Taps for a tree",
    ask: "How many does it take?",
    fields: [n("diameter_m", "trunk at breast height", "girth", 0.4064)],
  },
];

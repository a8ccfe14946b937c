import type { Shapes } from "../../lib/api";
import type { Dimension } from "../../lib/units";

/** A field of a sum with its SI default. A key with a number, such as "brix.1", is a place in a list; a price is of a cubic
 * metre and shown for a gallon or a litre. */
export type Field =
  | {
      key: string;
      label: string;
      kind: "number";
      dimension: Dimension;
      start: number;
      digits?: number;
      unit?: string;
      price?: boolean;
    }
  | { key: string; label: string; kind: "pick"; start: string; options: [string, string][] }
  | { key: string; label: string; kind: "switch"; start: boolean; on: string; off: string }
  | { key: string; label: string; kind: "text"; start: string };

export type Sum = { name: string; title: string; ask: string; fields: Field[] };
export type Subject = { title: string; sums: Sum[] };
export type Answer = Shapes["AnswerOut"];

const n = (
  key: string,
  label: string,
  dimension: Dimension,
  start: number,
  more: { digits?: number; unit?: string; price?: boolean } = {},
): Field => ({
  key,
  label,
  kind: "number",
  dimension,
  start,
  ...more,
});
const GALLON = 3.785411784e-3;

export const SUBJECTS: Subject[] = [
  {
    title: "Density",
    sums: [
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
          {
            key: "compensated",
            label: "instrument",
            kind: "switch",
            start: false,
            on: "corrects itself",
            off: "does not",
          },
        ],
      },
      {
        name: "density",
        title: "Density and Baumé",
        ask: "What does it weigh?",
        fields: [n("brix", "sugar", "brix", 66.9), n("temp_c", "at", "temperature", 20, { digits: 0 })],
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
    ],
  },
  {
    title: "Boiling",
    sums: [
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
        name: "drawoff",
        title: "Draw-off by the cup",
        ask: "Where do I draw next?",
        fields: [
          n("set_c", "drawn at", "temperature", 103.3, { digits: 2 }),
          n("cup_brix", "the cup is truly", "brix", 66.2),
          n("cup_sd", "give or take", "brix", 0.5),
          n("target_brix", "wanted", "brix", 66.9),
          n("water_boiling_c", "water boils today at", "temperature", 98.6, { digits: 2 }),
        ],
      },
      {
        name: "from-boiling",
        title: "Brix by its boiling",
        ask: "How thick is the pan?",
        fields: [
          n("temp_c", "it boils at", "temperature", 101.5, { digits: 2 }),
          n("water_boiling_c", "water boils today at", "temperature", 98.6, { digits: 2 }),
        ],
      },
      {
        name: "pans",
        title: "Sugar in the pans",
        ask: "What stands in them?",
        fields: [
          n("feed_brix", "fed with", "brix", 12),
          n("syrup_brix", "drawn at", "brix", 66.9),
          n("volume_m3", "in the pans", "volume", 80 * GALLON),
        ],
      },
    ],
  },
  {
    title: "Mixing",
    sums: [
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
        name: "blend",
        title: "Blend",
        ask: "What do two batches make?",
        fields: [
          n("volumes_m3.0", "first batch", "smallVolume", 40 * GALLON),
          n("brix.0", "of", "brix", 67.4),
          n("transmittance.0", "light through it", "percent", 78, { digits: 0 }),
          n("volumes_m3.1", "second batch", "smallVolume", 60 * GALLON),
          n("brix.1", "of", "brix", 66.2),
          n("transmittance.1", "light through it", "percent", 38, { digits: 0 }),
        ],
      },
      {
        name: "overweight",
        title: "Too heavy",
        ask: "What am I giving away?",
        fields: [
          n("volume_m3", "packed", "volume", 100 * GALLON),
          n("brix", "at", "brix", 68.2),
          n("target_brix", "could be", "brix", 66.9),
          n("price", "sold for", "plain", 7130, { digits: 2, price: true }),
        ],
      },
    ],
  },
  {
    title: "Membrane",
    sums: [
      {
        name: "osmotic",
        title: "Osmotic pressure",
        ask: "What pushes back?",
        fields: [n("brix", "sugar", "brix", 15), n("temp_c", "at", "temperature", 4, { digits: 0 })],
      },
      {
        name: "permeate",
        title: "Permeate",
        ask: "What does the machine give?",
        fields: [
          n("elements", "elements", "plain", 4, { digits: 0 }),
          {
            key: "arrangement",
            label: "flow",
            kind: "pick",
            start: "mixed loop",
            options: [
              ["mixed loop", "mixed loop"],
              ["stages", "in stages"],
              ["batch", "over a tank"],
            ],
          },
          n("steps", "stages or passes", "plain", 1, { digits: 0 }),
          n("feed_brix", "sap", "brix", 2),
          n("target_brix", "concentrated to", "brix", 12),
          n("temp_c", "at", "temperature", 4, { digits: 0 }),
          n("pressure_pa", "pressure", "pressure", 400 * 6894.757),
          n("health", "flow, of new", "percent", 100, { digits: 0 }),
        ],
      },
      {
        name: "passage",
        title: "Sugar in permeate",
        ask: "What goes down the drain?",
        fields: [
          n("volume_m3", "sap", "volume", 2000 * GALLON),
          n("feed_brix", "of", "brix", 2),
          n("target_brix", "concentrated to", "brix", 15),
          n("temp_c", "at", "temperature", 4, { digits: 0 }),
          n("passage", "passes", "percent", 0.5, { digits: 2 }),
        ],
      },
      {
        name: "clean-water",
        title: "Clean-water test",
        ask: "How good is it still?",
        fields: [
          n("flow_m3_s", "permeate now", "flow", (300 * GALLON) / 3600),
          n("temp_c", "water at", "temperature", 5, { digits: 0 }),
          n("pressure_pa", "pressure", "pressure", 250 * 6894.757),
          n("new_flow_m3_s", "when new", "flow", (400 * GALLON) / 3600),
          n("new_temp_c", "water then at", "temperature", 10, { digits: 0 }),
          n("new_pressure_pa", "pressure then", "pressure", 250 * 6894.757),
        ],
      },
      {
        name: "wash",
        title: "Wash",
        ask: "How much permeate do I keep?",
        fields: [
          n("hold_up_m3", "housings and pipes hold", "volume", 40 * GALLON),
          n("rinse_before", "rinse before, times", "plain", 5, { digits: 1 }),
          n("wash_fill", "fill, times", "plain", 1, { digits: 1 }),
          n("rinse_after", "rinse after, times", "plain", 9, { digits: 1 }),
        ],
      },
      {
        name: "rinse",
        title: "Rinse",
        ask: "How much until it is clean?",
        fields: [
          n("hold_up_m3", "housings and pipes hold", "volume", 40 * GALLON),
          n("start", "strength now", "plain", 1000, { digits: 0 }),
          n("end", "wanted", "plain", 1),
        ],
      },
    ],
  },
  {
    title: "Sap",
    sums: [
      {
        name: "tank",
        title: "Round tank",
        ask: "What is in it?",
        fields: [
          { key: "lying", label: "round tank", kind: "switch", start: true, on: "lying", off: "standing" },
          n("diameter_m", "across", "length", 1.83, { digits: 2 }),
          n("length_m", "long, or high", "length", 3.66, { digits: 2 }),
          n("depth_m", "on the stick", "length", 0.76, { digits: 2 }),
        ],
      },
      {
        name: "box",
        title: "Square tank",
        ask: "What is in it?",
        fields: [
          n("length_m", "long", "length", 2.44, { digits: 2 }),
          n("width_m", "wide", "length", 1.22, { digits: 2 }),
          n("height_m", "high", "length", 0.91, { digits: 2 }),
          n("depth_m", "on the stick", "length", 0.4, { digits: 2 }),
        ],
      },
      {
        name: "vacuum-loss",
        title: "What vacuum brings",
        ask: "What does the fall cost?",
        fields: [
          n("taps", "taps", "plain", 500, { digits: 0 }),
          n("bare_m3_s", "a tap without vacuum", "flow", (0.1 * GALLON) / 3600, { digits: 2 }),
          n("vacuum_pa", "usual", "vacuum", 25 * 3386.389),
          n("fall_pa", "fallen by", "vacuum", 5 * 3386.389),
          n("gain", "for each inHg", "percent", 6),
        ],
      },
      {
        name: "run-index",
        title: "Run index",
        ask: "Will it run?",
        fields: [
          n("frost_c", "frost of", "temperature", -4, { digits: 0 }),
          n("frost_h", "for", "plain", 9, { unit: "h", digits: 0 }),
          n("thaw_c", "then", "temperature", 6, { digits: 0 }),
          n("thaw_h", "for", "plain", 10, { unit: "h", digits: 0 }),
          n("taps", "taps", "plain", 3500, { digits: 0 }),
          n("per_hundred_m3", "100 gave a tap", "smallVolume", 1.6 * GALLON, { digits: 2 }),
        ],
      },
      {
        name: "ice",
        title: "Ice taken out",
        ask: "What is left?",
        fields: [
          n("volume_m3", "sap before it froze", "volume", 1000 * GALLON),
          n("brix", "of", "brix", 2),
          n("ice_m3", "ice thrown out", "volume", 300 * GALLON),
        ],
      },
      {
        name: "keeps",
        title: "How long it keeps",
        ask: "Until when?",
        fields: [
          {
            key: "concentrate",
            label: "in the tank",
            kind: "switch",
            start: false,
            on: "concentrate",
            off: "sap",
          },
          n("temp_c", "at", "temperature", 6, { digits: 0 }),
        ],
      },
    ],
  },
  {
    title: "Packing",
    sums: [
      {
        name: "bottles",
        title: "Bottles from a batch",
        ask: "How many does it fill?",
        fields: [
          n("volume_m3", "hot batch", "smallVolume", 20 * GALLON),
          n("brix", "at", "brix", 66.9),
          n("fill_c", "filled at", "temperature", 85, { digits: 0 }),
          n("first_count", "first", "plain", 10, { unit: "of them", digits: 0 }),
          n("first_m3", "each of", "smallVolume", GALLON, { digits: 3 }),
          n("container_m3", "the rest into", "smallVolume", GALLON / 4, { digits: 3 }),
        ],
      },
      {
        name: "shrinkage",
        title: "Shrinkage",
        ask: "How much will it be cold?",
        fields: [
          n("volume_m3", "hot", "smallVolume", 20 * GALLON),
          n("brix", "of", "brix", 66.9),
          n("fill_c", "from", "temperature", 85, { digits: 0 }),
          n("to_c", "to", "temperature", 20, { digits: 0 }),
        ],
      },
      {
        name: "label",
        title: "What a label says",
        ask: "What is in the container?",
        fields: [
          n("container_m3", "holds", "smallVolume", GALLON / 4, { digits: 3 }),
          n("brix", "of", "brix", 66.9),
          n("fill_c", "filled at", "temperature", 85, { digits: 0 }),
          n("transmittance", "light through 10 mm", "percent", 60, { digits: 0 }),
        ],
      },
    ],
  },
  {
    title: "Woods",
    sums: [
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
    ],
  },
];

export const SUMS = SUBJECTS.flatMap((subject) => subject.sums);

/** Values by key as the server wants them: "brix.0" and "brix.1" become the list `brix`. */
export function listed(values: Record<string, unknown>): Record<string, unknown> {
  const found: Record<string, unknown> = {};
  for (const [key, value] of Object.entries(values)) {
    const [name, place] = key.split(".") as [string, string?];
    if (place === undefined) found[name] = value;
    else {
      found[name] ??= [];
      (found[name] as unknown[])[Number(place)] = value;
    }
  }
  return found;
}

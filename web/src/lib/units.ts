/** Display of SI values in a person's units. The server computes; this only shows and reads. */

export type System = "us" | "metric";

export type Dimension =
  | "vacuum"
  | "pressure"
  | "temperature"
  | "difference"
  | "volume"
  | "smallVolume"
  | "flow"
  | "length"
  | "bore"
  | "girth"
  | "mass"
  | "density"
  | "power"
  | "brix"
  | "percent"
  | "ratio"
  | "plain";

type Unit = { unit: string; factor: number; offset?: number; digits: number };

const GALLON = 3.785411784e-3;
const same = (unit: string, digits: number): Record<System, Unit> => ({
  us: { unit, factor: 1, digits },
  metric: { unit, factor: 1, digits },
});

/** shown = (si - offset) / factor */
const UNITS: Record<Dimension, Record<System, Unit>> = {
  vacuum: { us: { unit: "inHg", factor: 3386.389, digits: 1 }, metric: { unit: "kPa", factor: 1000, digits: 1 } },
  pressure: { us: { unit: "psi", factor: 6894.757, digits: 0 }, metric: { unit: "bar", factor: 1e5, digits: 1 } },
  temperature: {
    us: { unit: "°F", factor: 5 / 9, offset: -160 / 9, digits: 1 },
    metric: { unit: "°C", factor: 1, digits: 1 },
  },
  difference: { us: { unit: "°F", factor: 5 / 9, digits: 2 }, metric: { unit: "°C", factor: 1, digits: 2 } },
  volume: { us: { unit: "gal", factor: GALLON, digits: 0 }, metric: { unit: "L", factor: 1e-3, digits: 0 } },
  smallVolume: { us: { unit: "gal", factor: GALLON, digits: 1 }, metric: { unit: "L", factor: 1e-3, digits: 1 } },
  flow: {
    us: { unit: "gal/h", factor: GALLON / 3600, digits: 0 },
    metric: { unit: "L/h", factor: 1e-3 / 3600, digits: 0 },
  },
  length: { us: { unit: "ft", factor: 0.3048, digits: 0 }, metric: { unit: "m", factor: 1, digits: 0 } },
  bore: { us: { unit: "in", factor: 0.0254, digits: 2 }, metric: { unit: "mm", factor: 1e-3, digits: 1 } },
  girth: { us: { unit: "in", factor: 0.0254, digits: 0 }, metric: { unit: "cm", factor: 0.01, digits: 0 } },
  mass: { us: { unit: "lb", factor: 0.45359237, digits: 1 }, metric: { unit: "kg", factor: 1, digits: 1 } },
  density: { us: { unit: "lb/gal", factor: 119.826427, digits: 3 }, metric: { unit: "kg/m³", factor: 1, digits: 1 } },
  power: { us: { unit: "kBtu/h", factor: 293.0711, digits: 0 }, metric: { unit: "kW", factor: 1000, digits: 0 } },
  brix: same("°Bx", 1),
  percent: same("%", 1),
  ratio: same("to 1", 2),
  plain: same("", 2),
};

export function unitOf(dimension: Dimension, system: System): string {
  return UNITS[dimension][system].unit;
}

export function digitsOf(dimension: Dimension, system: System): number {
  return UNITS[dimension][system].digits;
}

/** SI to the number shown. */
export function shown(si: number, dimension: Dimension, system: System): number {
  const { factor, offset = 0 } = UNITS[dimension][system];
  return (si - offset) / factor;
}

/** The number typed to SI. */
export function typed(value: number, dimension: Dimension, system: System): number {
  const { factor, offset = 0 } = UNITS[dimension][system];
  return value * factor + offset;
}

/** A number with thousands marks and a true minus sign. */
export function figure(value: number, digits: number): string {
  const text = Math.abs(value).toLocaleString("en-US", {
    minimumFractionDigits: digits,
    maximumFractionDigits: digits,
  });
  const zero = Number(text.replaceAll(",", "")) === 0;
  return value < 0 && !zero ? `−${text}` : text;
}

/** SI as text without its unit. */
export function number(si: number, dimension: Dimension, system: System, digits?: number): string {
  return figure(shown(si, dimension, system), digits ?? digitsOf(dimension, system));
}

/** SI as text with its unit. */
export function quantity(si: number, dimension: Dimension, system: System, digits?: number): string {
  const unit = unitOf(dimension, system);
  return unit ? `${number(si, dimension, system, digits)} ${unit}` : number(si, dimension, system, digits);
}

/** What a person typed, as SI; null when it is no number. Comma and point both mark decimals. */
export function read(text: string, dimension: Dimension, system: System): number | null {
  let clean = text.trim().replace("−", "-").replace(/\s/g, "");
  if (/^-?\d{1,3}(,\d{3})+(\.\d*)?$/.test(clean)) clean = clean.replaceAll(",", "");
  else clean = clean.replace(",", ".");
  if (clean === "" || !/^-?(\d+\.?\d*|\.\d+)$/.test(clean)) return null;
  return typed(Number(clean), dimension, system);
}

const SYMBOL: Record<string, string> = { USD: "$", EUR: "€", CAD: "$", GBP: "£" };

/** How a currency is written before or after a figure. */
export function symbolOf(currency: string): string {
  return SYMBOL[currency] ?? currency;
}

/** Money in the operation's currency. */
export function money(value: number, currency: string, digits = 2): string {
  return `${value < 0 ? "−" : ""}${SYMBOL[currency] ?? `${currency} `}${figure(Math.abs(value), digits)}`;
}

import { useState } from "react";
import { useHere, useSystem } from "../../app/session";
import { Choice, NumberField, TextField } from "../../kit";
import type { Refusal, Shapes } from "../../lib/api";
import { age } from "../../lib/time";
import { type Dimension, figure, quantity, symbolOf } from "../../lib/units";
import { Loads } from "./Loads";

type Assumed = Shapes["Assumptions"];
export type Typed = Partial<Assumed>;

/** What may be left empty: nothing of the kind is expected. */
const OPTIONAL = new Set<keyof Assumed>([
  "coming_low_m3",
  "coming_high_m3",
  "present_from_h",
  "present_until_h",
  "finish_by_h",
  "frost_at_h",
  "cut_from_h",
  "cut_until_h",
  "taste_low",
  "taste_high",
]);
const OF_MACHINES = {
  more_pressures_pa: ["pressure", {}],
  more_heats_w: ["power", {}],
  more_efficiencies: ["percent", { scale: 100, digits: 0 }],
} as const;
const SCHOOLS: [string, number, number][] = [
  ["mild", 6, 9],
  ["medium", 10, 14],
  ["high", 15, 22],
  ["none", 0, 0],
];

/** Every assumption of the plan, each editable in place; a changed one says what was measured. */
export function Assumptions(props: {
  known: Shapes["TonightOut"];
  typed: Typed;
  onTyped: (typed: Typed) => void;
  refusal: Refusal | null;
  withoutIce: Shapes["WithoutIceOut"] | null;
}) {
  const { known, typed, refusal } = props;
  const { operation } = useHere();
  const system = useSystem();
  const currency = symbolOf(operation.currency);
  const machine = known.machine !== null;
  const field = (
    key: keyof Assumed,
    label: string,
    dimension: Dimension,
    more: { digits?: number; unit?: string; scale?: number } = {},
    unsaid = false,
  ) => {
    const value = (key in typed ? typed[key] : known.assumptions[key]) as number | null;
    const source = known.sources[key];
    const changed = key in typed;
    return (
      <NumberField
        key={key}
        label={label}
        si={value}
        dimension={dimension}
        error={refusal?.about(key)}
        hint={
          changed ? (
            <button type="button" className="underline" onClick={() => props.onTyped(without(typed, key))}>
              put back
            </button>
          ) : source && !unsaid ? (
            <span title={source.text} className="whitespace-nowrap">
              {source.age_s === null ? (source.text.startsWith("learned") ? "learned" : "guess") : age(source.age_s)}
            </span>
          ) : undefined
        }
        onSi={(si) => (si !== null || OPTIONAL.has(key)) && props.onTyped({ ...typed, [key]: si })}
        {...more}
      />
    );
  };
  /** One field for each further machine of a kind, beside the first one's. */
  const further = (key: "more_pressures_pa" | "more_heats_w" | "more_efficiencies", label: string, names: string[]) => {
    const list = typed[key] ?? known.assumptions[key] ?? [];
    const [dimension, more] = OF_MACHINES[key];
    return names.slice(1).map((name, k) => {
      const before = known.assumptions[key]?.[k];
      return (
        <NumberField
          key={name}
          label={`${label} ${k + 2}`}
          si={list[k] ?? null}
          dimension={dimension}
          error={refusal?.about(`${key}.${k}`)}
          hint={
            typed[key] && before !== undefined && typed[key][k] !== before ? (
              <button
                type="button"
                className="underline"
                onClick={() => props.onTyped({ ...typed, [key]: list.with(k, before) })}
              >
                put back
              </button>
            ) : undefined
          }
          onSi={(si) => si !== null && props.onTyped({ ...typed, [key]: list.with(k, si) })}
          {...more}
        />
      );
    });
  };
  return (
    <div className="border-t border-ink pt-1.5">
      <h2 className="flex items-baseline justify-between font-semibold">
        What this assumes
        {Object.keys(typed).length > 0 && (
          <button type="button" className="text-label font-normal underline" onClick={() => props.onTyped({})}>
            put all back
          </button>
        )}
      </h2>
      {refusal?.faults.every((fault) => !(fault.field.split(".").at(-1) ?? "").match(/_/)) && (
        <p role="alert" className="text-label font-semibold text-act">
          {refusal.message}
        </p>
      )}
      <div className="grid grid-cols-3 gap-x-4 gap-y-1">
        {field("sap_volume_m3", "sap tank", "volume")}
        {field("sap_brix", "sugar", "brix")}
        {field("sap_temp_c", "sap at", "temperature")}
        {field("coming_m3", "still to come", "volume")}
        {field("coming_h", "within", "plain", { unit: "h", digits: 1 })}
        {field("head_volume_m3", "at the head", "volume")}
        {machine && field("permeate_m3", "permeate", "volume")}
        {machine && field("pressure_pa", ofFirst("pressure", known.machines), "pressure")}
        {further("more_pressures_pa", "pressure", known.machines)}
        {field("heat_w", known.evaporators.length > 1 ? "fire 1" : "fire, net", "power")}
        {further("more_heats_w", "fire", known.evaporators)}
        {/* taught by the same runs as the fire beside it, and there is no room to say so twice */}
        {field("efficiency", ofFirst("efficiency", known.evaporators), "percent", { scale: 100, digits: 0 }, true)}
        {further("more_efficiencies", "efficiency", known.evaporators)}
        {field("fuel_price", known.fuel, "plain", { unit: `${currency}/${known.fuel_unit}` })}
        {field("labour_price_h", "work", "plain", { unit: `${currency}/h` })}
        {field("power_price_kwh", "power", "plain", { unit: `${currency}/kWh`, digits: 3 })}
        {machine && field("membrane_people", "at membrane", "plain", { unit: "people", digits: 1 })}
        {field("fire_people", "at the fire", "plain", { unit: "people", digits: 1 })}
      </div>
      <details className="mt-1">
        <summary className="cursor-pointer text-label underline underline-offset-2">
          trucks, ice, hours, frost, power cut, taste
        </summary>
        <div className="mt-1 space-y-1">
          <Loads
            loads={typed.loads ?? known.assumptions.loads ?? []}
            onLoads={(loads) => props.onTyped({ ...typed, loads })}
          />
          {props.withoutIce && (
            <p className="text-label">
              Without the ice {quantity(props.withoutIce.volume_m3, "volume", system)} at{" "}
              {figure(props.withoutIce.brix, 1)} °Bx. The tank and its sugar above are as they were before it froze.
            </p>
          )}
          <div className="grid grid-cols-3 gap-x-4 gap-y-1">
            {field("ice_m3", "ice thrown out", "volume")}
            {field("coming_low_m3", "to come, at least", "volume")}
            {field("coming_high_m3", "at most", "volume")}
            {field("present_from_h", "people from, in", "plain", { unit: "h", digits: 1 })}
            {field("present_until_h", "people until, in", "plain", { unit: "h", digits: 1 })}
            {field("finish_by_h", "in bed, in", "plain", { unit: "h", digits: 1 })}
            {field("frost_at_h", "hard frost, in", "plain", { unit: "h", digits: 1 })}
            {field("cut_from_h", "power cut, in", "plain", { unit: "h", digits: 1 })}
            {field("cut_until_h", "back, in", "plain", { unit: "h", digits: 1 })}
            {field("wash_price", "a wash", "plain", { unit: currency, digits: 0 })}
            {machine && field("taste_low", "taste, from", "brix", { digits: 0 })}
            {machine && field("taste_high", "to", "brix", { digits: 0 })}
            {machine && field("taste_cost", "worth, a °Bx", "plain", { unit: `${currency}/m³`, digits: 0 })}
          </div>
          <Choice<NonNullable<Assumed["pans_left"]>>
            label="pans are left"
            value={typed.pans_left ?? known.assumptions.pans_left ?? "held"}
            options={[
              ["held", "held"],
              ["chased", "chased"],
              ["drained", "drained"],
            ]}
            onValue={(pans_left) => props.onTyped({ ...typed, pans_left })}
          />
          <PowerHours
            currency={currency}
            prices={typed.power_prices_kwh ?? []}
            onPrices={(power_prices_kwh) => props.onTyped({ ...typed, power_prices_kwh })}
          />
          {machine && (
            <p className="text-label text-soft">
              Schools:{" "}
              {SCHOOLS.map(([name, low, high]) => (
                <button
                  key={name}
                  type="button"
                  className="mr-2 underline"
                  onClick={() => props.onTyped({ ...typed, taste_low: low, taste_high: high, taste_cost: 60 })}
                >
                  {name}
                </button>
              ))}
              each is a choice; the figures say what it costs.
            </p>
          )}
        </div>
      </details>
      <div className="mt-1.5">
        <Choice<NonNullable<Assumed["objective"]>>
          label="choose by"
          value={typed.objective ?? known.assumptions.objective}
          options={[
            ["cheapest", "cost"],
            ["earliest finish", "bed time"],
            ["least fuel", "fuel"],
          ]}
          onValue={(objective) => props.onTyped({ ...typed, objective })}
        />
      </div>
      <p className="mt-1 text-label text-soft">
        {known.machine
          ? `${numbered(known.machines)} (${known.arrangement}), to ${known.machine_max_brix} °Bx`
          : "no membrane machine"}
        ; {numbered(known.evaporators)}. Model within about 5 %; spoiling times are a convention, ± 50 %.
      </p>
    </div>
  );
}

/** Prices of power hour by hour, typed in a row; what is typed stays as it is typed. */
function PowerHours(props: { currency: string; prices: number[]; onPrices: (prices: number[]) => void }) {
  const [text, setText] = useState(props.prices.join(" "));
  const words = text.split(/[\s,;]+/).filter(Boolean);
  const odd = words.find((word) => !(Number(word) >= 0));
  return (
    <TextField
      label={`power by the hour, ${props.currency}/kWh, from now`}
      value={text}
      error={odd === undefined ? undefined : `“${odd}” is not a price`}
      onValue={(next) => {
        setText(next);
        const prices = next
          .split(/[\s,;]+/)
          .filter(Boolean)
          .map(Number);
        if (prices.every((price) => price >= 0)) props.onPrices(prices);
      }}
    />
  );
}

/** Where there are several machines of a kind, labels number them as the last line names them. */
function ofFirst(label: string, names: string[]): string {
  return names.length > 1 ? `${label} 1` : label;
}

function numbered(names: string[]): string {
  return names.length > 1 ? names.map((name, k) => `${k + 1} ${name}`).join(", ") : (names[0] ?? "");
}

function without(typed: Typed, key: keyof Assumed): Typed {
  const { [key]: _, ...rest } = typed;
  return rest;
}

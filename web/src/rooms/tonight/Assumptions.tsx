import { useHere } from "../../app/session";
import { Choice, NumberField } from "../../kit";
import type { Refusal, Shapes } from "../../lib/api";
import { age } from "../../lib/time";
import type { Dimension } from "../../lib/units";

type Assumed = Shapes["Assumptions"];
export type Typed = Partial<Assumed>;

/** Every assumption of the plan, each editable in place; a changed one says what was measured. */
export function Assumptions(props: {
  known: Shapes["TonightOut"];
  typed: Typed;
  onTyped: (typed: Typed) => void;
  refusal: Refusal | null;
}) {
  const { known, typed, refusal } = props;
  const { operation } = useHere();
  const currency = operation.currency === "USD" ? "$" : operation.currency;
  const machine = known.machine !== null;
  const field = (
    key: keyof Assumed,
    label: string,
    dimension: Dimension,
    more: { digits?: number; unit?: string; scale?: number } = {},
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
          ) : source ? (
            <span title={source.text} className="whitespace-nowrap">
              {source.age_s === null ? "guess" : age(source.age_s)}
            </span>
          ) : undefined
        }
        onSi={(si) => si !== null && props.onTyped({ ...typed, [key]: si })}
        {...more}
      />
    );
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
        {machine && field("pressure_pa", "pressure", "pressure")}
        {field("heat_w", "fire, net", "power")}
        {field("efficiency", "efficiency", "percent", { scale: 100, digits: 0 })}
        {field("fuel_price", known.fuel, "plain", { unit: `${currency}/${known.fuel_unit}` })}
        {field("labour_price_h", "work", "plain", { unit: `${currency}/h` })}
        {field("power_price_kwh", "power", "plain", { unit: `${currency}/kWh`, digits: 3 })}
        {machine && field("membrane_people", "at membrane", "plain", { unit: "people", digits: 1 })}
        {field("fire_people", "at the fire", "plain", { unit: "people", digits: 1 })}
      </div>
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
          ? `${known.machine} (${known.arrangement}), to ${known.machine_max_brix} °Bx`
          : "no membrane machine"}
        ; {known.evaporator}. Model within about 5 %; spoiling times are a convention, ± 50 %.
      </p>
    </div>
  );
}

function without(typed: Typed, key: keyof Assumed): Typed {
  const { [key]: _, ...rest } = typed;
  return rest;
}

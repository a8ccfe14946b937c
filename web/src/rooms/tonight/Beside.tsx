import { useHere, useSystem } from "../../app/session";
import { clock, span } from "../../lib/time";
import { figure, money, quantity } from "../../lib/units";
import type { Choice } from "./choice";

/** A plan put aside to compare: its figures as they were, and what had been assumed otherwise. */
export type Kept = { id: number; choice: Choice; changed: string[]; startedAt: number };

/** Plans side by side, one column each. */
export function Beside(props: { plans: Kept[]; fuelUnit: string; onDrop: (id: number) => void }) {
  const { operation } = useHere();
  const system = useSystem();
  const perVolume = system === "us" ? 3.785411784e-3 : 1e-3;
  if (props.plans.length === 0)
    return (
      <p className="p-3 text-soft">“Put beside” keeps a plan here, to hold it against others and other assumptions.</p>
    );
  const rows: [string, (kept: Kept) => string][] = [
    [
      "cost",
      ({ choice }) => (choice.cost_per_m3 == null ? "" : money(choice.cost_per_m3 * perVolume, operation.currency)),
    ],
    ["light", ({ choice, startedAt }) => clock(startedAt + choice.light_min * 60_000, operation.zone)],
    ["all done", ({ choice, startedAt }) => clock(startedAt + (choice.finish_min ?? 0) * 60_000, operation.zone)],
    ["takes", ({ choice }) => span(choice.finish_min ?? 0)],
    [`fuel, ${props.fuelUnit}`, ({ choice }) => figure(choice.fuel ?? 0, (choice.fuel ?? 0) < 20 ? 2 : 0)],
    ["work, h", ({ choice }) => figure(choice.labour_h ?? 0, 1)],
    ["syrup", ({ choice }) => quantity(choice.syrup_m3 ?? 0, "volume", system)],
    ["permeate left", ({ choice }) => quantity(choice.permeate_left_m3 ?? 0, "volume", system)],
    ["assumed", ({ changed }) => changed.join(", ") || "as measured"],
  ];
  return (
    <div className="overflow-auto">
      <table className="border-collapse text-right text-label">
        <caption className="sr-only">Plans side by side</caption>
        <thead>
          <tr>
            <td />
            {props.plans.map((kept) => (
              <th key={kept.id} className="px-4 text-right">
                {kept.choice.target_brix > 0 ? `${figure(kept.choice.target_brix, 0)} °Bx` : "no membrane"}{" "}
                <button
                  type="button"
                  className="font-normal text-soft underline"
                  aria-label={`drop ${kept.choice.target_brix}`}
                  onClick={() => props.onDrop(kept.id)}
                >
                  drop
                </button>
              </th>
            ))}
          </tr>
        </thead>
        <tbody>
          {rows.map(([name, show]) => (
            <tr key={name} className="border-t border-rule">
              <th className="pr-4 text-left font-normal text-soft">{name}</th>
              {props.plans.map((kept) => (
                <td key={kept.id} className="max-w-48 px-4 font-mono">
                  {show(kept)}
                </td>
              ))}
            </tr>
          ))}
        </tbody>
      </table>
    </div>
  );
}

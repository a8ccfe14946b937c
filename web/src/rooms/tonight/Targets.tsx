import { useHere, useSystem } from "../../app/session";
import { clock, span } from "../../lib/time";
import { figure, money, number, unitOf } from "../../lib/units";
import type { Choice } from "./choice";

/** Every target in figures; refused ones with their reason. */
export function Targets(props: {
  choices: Choice[];
  chosen: Choice | undefined;
  fuelUnit: string;
  startedAt: number | null;
  onPick: (brix: number) => void;
}) {
  const { operation } = useHere();
  const system = useSystem();
  const perVolume = system === "us" ? 3.785411784e-3 : 1e-3;
  const at = (minutes: number | null | undefined) =>
    props.startedAt === null || minutes == null ? "" : clock(props.startedAt + minutes * 60_000, operation.zone);
  const volume = unitOf("volume", system);
  return (
    <div className="max-h-56 overflow-auto">
      <table className="w-full border-collapse text-right font-mono text-label">
        <caption className="sr-only">Every target Brix compared</caption>
        <thead className="sticky top-0 bg-paper font-sans text-soft">
          <tr className="*:font-normal">
            <th className="text-left">°Bx</th>
            <th>membrane</th>
            <th>concentrate, {volume}</th>
            <th>permeate, {volume}</th>
            <th>light</th>
            <th>boil</th>
            <th>done</th>
            <th>fuel, {props.fuelUnit}</th>
            <th>power, kWh</th>
            <th>work, h</th>
            <th>syrup, {volume}</th>
            <th>cost a {system === "us" ? "gal" : "L"}</th>
          </tr>
        </thead>
        <tbody>
          {props.choices.map((choice) => (
            <tr
              key={choice.target_brix}
              className={`border-t border-rule ${choice === props.chosen ? "bg-sheet font-semibold" : ""}`}
            >
              <th className="py-0.5 text-left">
                <button
                  type="button"
                  className="underline-offset-2 hover:underline"
                  onClick={() => props.onPick(choice.target_brix)}
                >
                  {choice.target_brix > 0 ? figure(choice.target_brix, 0) : "none"}
                </button>
              </th>
              {choice.limit !== null ? (
                <td colSpan={11} className="text-left font-sans text-soft">
                  {choice.limit}
                  {choice.limit_min > 0 && choice.limit_min < 1440 ? ` at ${at(choice.limit_min)}` : ""}
                </td>
              ) : (
                <>
                  <td>{span(choice.ro_min ?? 0)}</td>
                  <td>{number(choice.concentrate_m3 ?? 0, "volume", system)}</td>
                  <td>{number(choice.permeate_m3 ?? 0, "volume", system)}</td>
                  <td>{at(choice.light_min)}</td>
                  <td>{span(choice.boil_min ?? 0)}</td>
                  <td>{at(choice.finish_min)}</td>
                  <td>{figure(choice.fuel ?? 0, (choice.fuel ?? 0) < 20 ? 2 : 0)}</td>
                  <td>{figure(choice.power_kwh ?? 0, 0)}</td>
                  <td>{figure(choice.labour_h ?? 0, 1)}</td>
                  <td>{number(choice.syrup_m3 ?? 0, "volume", system)}</td>
                  <td>{choice.cost_per_m3 == null ? "" : money(choice.cost_per_m3 * perVolume, operation.currency)}</td>
                </>
              )}
            </tr>
          ))}
        </tbody>
      </table>
    </div>
  );
}

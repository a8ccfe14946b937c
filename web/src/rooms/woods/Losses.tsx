import { Link } from "react-router";
import { useHere, useSystem } from "../../app/session";
import { StateMark } from "../../kit";
import type { Shapes } from "../../lib/api";
import { age } from "../../lib/time";
import { money, number, unitOf } from "../../lib/units";
import { percent } from "../hunt/words";

/** The likeliest cause of a line's fall, leading to its hunt. */
function Because({ alarm }: { alarm: NonNullable<Shapes["MainOut"]["alarm"]> }) {
  const { operation } = useHere();
  return (
    <Link
      to={`/${operation.slug}/hunt${alarm.case ? `/${alarm.case}` : ""}`}
      className={`ml-1.5 underline underline-offset-2 ${alarm.cause === "leak" ? "font-semibold" : ""}`}
      title={`${percent(alarm.chance)} likely`}
    >
      {SHORT[alarm.cause] ?? alarm.cause}
    </Link>
  );
}

const SHORT: Record<string, string> = {
  leak: "leak",
  frozen: "thawing",
  pump: "pump",
  releaser: "releaser",
  sag: "sag",
  valve: "valve shut",
  sensor: "gauge wrong",
  silence: "silent",
};

/** Mainlines ranked by what they lose: the twin of the map for reading. */
export function Losses(props: {
  mains: Shapes["MainOut"][];
  chosen: string | undefined;
  onChoose: (main: string) => void;
}) {
  const { operation } = useHere();
  const system = useSystem();
  const vacuum = unitOf("vacuum", system);
  return (
    <div className="min-h-0 flex-1 overflow-auto">
      <table className="w-full border-collapse text-label">
        <caption className="sr-only">Mainlines, the costliest first</caption>
        <thead className="sticky top-0 bg-paper text-left text-soft">
          <tr>
            <th className="py-1 font-normal">line</th>
            <th className="font-normal">state</th>
            <th className="text-right font-normal">now, {vacuum}</th>
            <th className="text-right font-normal max-sm:hidden">usual</th>
            <th className="text-right font-normal">short</th>
            <th className="text-right font-normal max-sm:hidden">sap, {unitOf("flow", system)}</th>
            <th className="text-right font-normal">an hour</th>
            <th className="text-right font-normal max-sm:hidden">read</th>
          </tr>
        </thead>
        <tbody className="font-mono">
          {props.mains.map((main) => {
            const stale = main.state === "silent";
            const loses = main.money_s > 0;
            return (
              <tr
                key={main.main}
                className={`border-t border-rule ${main.main === props.chosen ? "bg-sheet shadow-[inset_3px_0_0_var(--amber)]" : ""}`}
              >
                <td className="py-px">
                  <button
                    type="button"
                    className="whitespace-nowrap pl-1.5 font-semibold underline-offset-2 max-sm:py-2 hover:underline"
                    aria-pressed={main.main === props.chosen}
                    onClick={() => props.onChoose(main.main)}
                  >
                    {main.main}
                  </button>
                </td>
                <td className="font-sans">
                  <StateMark state={main.state} wordless={main.alarm !== null} />
                  {main.alarm && <Because alarm={main.alarm} />}
                </td>
                <td className={`text-right ${stale ? "text-soft line-through" : ""}`}>
                  {main.vacuum_pa === null ? "none" : number(main.vacuum_pa, "vacuum", system)}
                </td>
                <td className="text-right text-soft max-sm:hidden">{number(main.usual_pa, "vacuum", system)}</td>
                <td className={`text-right ${loses ? "font-semibold" : "text-soft"}`}>
                  {main.vacuum_pa === null ? "" : number(main.shortfall_pa, "vacuum", system)}
                </td>
                <td className="text-right max-sm:hidden">{loses ? number(main.sap_m3_s, "flow", system, 1) : ""}</td>
                <td className="text-right">{loses ? money(main.money_s * 3600, operation.currency) : ""}</td>
                <td className="text-right text-soft max-sm:hidden">{age(main.age_s)}</td>
              </tr>
            );
          })}
        </tbody>
      </table>
    </div>
  );
}

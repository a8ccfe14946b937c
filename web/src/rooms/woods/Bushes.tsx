import { Link } from "react-router";
import { useHere, useSystem } from "../../app/session";
import { Quantity, StateMark } from "../../kit";
import type { Shapes } from "../../lib/api";
import { money, number } from "../../lib/units";

/** Each bush with its pump and its sap; those with dials lead to the round. */
export function Bushes({ bushes, dials }: { bushes: Shapes["BushOut"][]; dials: string[] }) {
  const { operation } = useHere();
  const system = useSystem();
  return (
    <ul className="mt-1 space-y-0.5 border-t border-ink pt-1.5 text-label">
      {bushes.map((bush) => (
        <li key={bush.slug} className="flex flex-wrap items-baseline gap-x-2">
          <span className="font-semibold">{bush.name}</span>
          <span className="text-soft">{bush.taps.toLocaleString("en-US")} taps</span>
          {dials.includes(bush.slug) && (
            <Link className="text-amber underline" to={`/${operation.slug}/round/${bush.slug}`}>
              gauge round
            </Link>
          )}
          {bush.hauled && <span className="text-soft">by truck</span>}
          {bush.pump && (
            <>
              <span>
                pump <Quantity si={bush.pump.vacuum_pa} dimension="vacuum" stale={bush.pump.state === "silent"} />
              </span>
              <span className="text-soft">usual {number(bush.pump.usual_pa, "vacuum", system)}</span>
              <StateMark state={bush.pump.state} />
              {bush.pump.money_s > 0 && (
                <span>{money(bush.pump.money_s * 3600, operation.currency)} an hour over all its taps</span>
              )}
            </>
          )}
          {bush.sap_m3_s != null && (
            <span className="ml-auto">
              {bush.sap_known ? "" : "last known "}
              <Quantity si={bush.sap_m3_s} dimension="flow" />
            </span>
          )}
        </li>
      ))}
    </ul>
  );
}

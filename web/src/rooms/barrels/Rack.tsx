import { Link } from "react-router";
import { useHere, useSystem } from "../../app/session";
import { gradeColour } from "../../drawing/scales";
import { figure, quantity } from "../../lib/units";
import type { Pack } from "./Barrels";

const GRADES = ["golden", "amber", "dark", "very dark", "processing"];

function inkOn(grade: string): string {
  return grade === "golden" || grade === "amber" ? "#1c1307" : "#fbf6ea";
}

/** Barrels as they lie, then what is in jugs and bottles; each leads to where it comes from. */
export function Rack({ packs }: { packs: Pack[] }) {
  const { operation } = useHere();
  const system = useSystem();
  const there = packs.filter((pack) => pack.there > 0);
  const barrels = there.filter((pack) => pack.barrel);
  const small = there.filter((pack) => !pack.barrel);
  return (
    <>
      {GRADES.map((grade) => {
        const mine = barrels.filter((pack) => pack.grade === grade);
        if (mine.length === 0) return null;
        const total = mine.reduce((sum, pack) => sum + pack.each_m3, 0);
        return (
          <section key={grade} aria-label={`Barrels of ${grade}`} className="mt-1">
            <h2 className="text-label">
              <b>{grade}</b>{" "}
              <span className="text-soft">
                {mine.length} barrels and kegs, {quantity(total, "volume", system, 0)}
              </span>
            </h2>
            <ul className="flex flex-wrap gap-1.5">
              {mine.map((pack) => (
                <li key={pack.id}>
                  <Link
                    to={`/${operation.slug}/barrels/pack/${pack.number}`}
                    title={`${quantity(pack.each_m3, "volume", system)}, ${pack.place}`}
                    aria-label={`${pack.container} ${pack.number}, ${pack.grade}, ${quantity(pack.each_m3, "volume", system)}`}
                  >
                    <svg viewBox="0 0 60 60" className="w-10" aria-hidden="true">
                      <circle cx="30" cy="30" r="28" fill={gradeColour(pack.grade)} />
                      <circle
                        cx="30"
                        cy="30"
                        r="23"
                        fill="none"
                        stroke={inkOn(pack.grade)}
                        strokeWidth="0.8"
                        opacity="0.5"
                      />
                      <text
                        x="30"
                        y="36"
                        fontSize="18"
                        fontWeight="600"
                        textAnchor="middle"
                        style={{ color: inkOn(pack.grade) }}
                      >
                        {pack.number}
                      </text>
                    </svg>
                  </Link>
                </li>
              ))}
            </ul>
          </section>
        );
      })}
      {small.length > 0 && (
        <table className="mt-2 w-full text-right text-label">
          <thead className="text-soft">
            <tr className="*:font-normal">
              <th className="text-left">pack</th>
              <th className="text-left">grade</th>
              <th>there</th>
              <th>of</th>
              <th>each</th>
              <th>filled at</th>
              <th>lot</th>
            </tr>
          </thead>
          <tbody>
            {small.map((pack) => (
              <tr key={pack.id} className="border-t border-rule">
                <th className="py-0.5 text-left font-normal">
                  <Link
                    className="underline-offset-2 hover:underline"
                    to={`/${operation.slug}/barrels/pack/${pack.number}`}
                  >
                    <b>{pack.number}</b> {pack.container}
                  </Link>
                </th>
                <td className="text-left">
                  <svg viewBox="0 0 10 10" className="mr-1 inline-block size-2.5" aria-hidden="true">
                    <rect width="10" height="10" fill={gradeColour(pack.grade)} />
                  </svg>
                  {pack.grade}
                </td>
                <td className="font-mono font-semibold">{pack.there}</td>
                <td className="font-mono text-soft">{pack.count}</td>
                <td className="font-mono">
                  {quantity(pack.each_m3, "volume", system, pack.each_m3 < 2e-3 && system === "us" ? 3 : undefined)}
                </td>
                <td className={`font-mono ${pack.hot === "fine" ? "" : "font-semibold text-act"}`}>
                  {quantity(pack.fill_c, "temperature", system, 0)}
                  {pack.hot === "cool" ? " cool" : pack.hot === "sand" ? " sand" : ""}
                </td>
                <td className="font-mono">
                  {pack.lot} <span className="text-soft">{figure(pack.brix, 1)}</span>
                </td>
              </tr>
            ))}
          </tbody>
        </table>
      )}
    </>
  );
}

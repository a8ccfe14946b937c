import { scaleLinear } from "d3-scale";
import { Link } from "react-router";
import { useHere } from "../../app/session";
import { figure } from "../../lib/units";
import type { SeasonFacts } from "./Season";

const WIDTH = 380;
const HEIGHT = 120;
const KINDS = [
  ["membrane", "membrane", "var(--fine-0)"],
  ["evaporator", "evaporator", "var(--amber)"],
  ["clean_water", "clean water", "var(--ink)"],
] as const;

/** Membrane and evaporator against their own best, run after run. */
export function Health({ facts }: { facts: SeasonFacts }) {
  const { operation } = useHere();
  const rows = facts.membrane.slice(-30);
  const values = rows.flatMap((row) => KINDS.map(([key]) => row[key]).filter((value) => value != null));
  if (values.length === 0) return null;
  const x = scaleLinear([0, Math.max(rows.length - 1, 1)], [8, WIDTH - 118]);
  const y = scaleLinear([Math.min(...values, 0.85) - 0.02, Math.max(...values, 1.02)], [HEIGHT - 12, 10]);
  const last = KINDS.map(([key, name]) => {
    const at = rows.findLast((row) => row[key] != null);
    return { name, value: at?.[key] ?? null, run: at?.run ?? null };
  }).filter((one) => one.value !== null);
  const placed = last.map((one) => ({ ...one, y: y(one.value ?? 1) })).sort((a, b) => a.y - b.y);
  for (let k = 1; k < placed.length; k++) {
    const [above, here] = [placed[k - 1], placed[k]];
    if (above && here && here.y - above.y < 15) here.y = above.y + 15;
  }
  return (
    <div>
      <h2 className="font-semibold">Machines against their best</h2>
      <svg
        viewBox={`0 0 ${WIDTH} ${HEIGHT}`}
        className="w-full"
        role="img"
        aria-label={last.map((one) => `${one.name} ${figure(100 * (one.value ?? 0), 0)} %`).join(", ")}
      >
        <line x1="8" x2={WIDTH - 118} y1={y(1)} y2={y(1)} stroke="var(--rule)" />
        {KINDS.map(([key, name, colour]) =>
          rows.map(
            (row, k) =>
              row[key] != null && (
                <circle key={`${name}${row.at}`} cx={x(k)} cy={y(row[key] ?? 1)} r="3" fill={colour} />
              ),
          ),
        )}
        {placed.map((one) => (
          <text key={one.name} x={WIDTH - 112} y={one.y + 4} fontSize="13">
            {one.name} {figure(100 * (one.value ?? 0), 0)} %
          </text>
        ))}
      </svg>
      <p className="text-label text-soft">
        by{" "}
        {last
          .filter((one) => one.run !== null)
          .slice(0, 1)
          .map((one) => (
            <Link key={one.name} className="underline" to={`/${operation.slug}/ledger/${one.run}`}>
              run {one.run}
            </Link>
          ))}{" "}
        and those before it
      </p>
    </div>
  );
}

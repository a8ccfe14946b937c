import { scaleLinear } from "d3-scale";
import { useSystem } from "../../app/session";
import type { Shapes } from "../../lib/api";
import { quantity } from "../../lib/units";
import { percent } from "./words";

const WIDTH = 860;
const ROW = 74;
const PAD = { left: 18, right: 26, top: 128, bottom: 42 };

/** The suspect line straightened out from the pump: how likely the leak is at each saddle, valves, gauges, laterals. */
export function Strip({ places, next, position }: { places: Shapes["StripPlace"][]; next?: string; position: string }) {
  const system = useSystem();
  if (places.length === 0) return null;
  const rows = Math.max(...places.map((p) => p.row));
  const height = PAD.top + rows * ROW + PAD.bottom;
  const suspect = places.filter((p) => p.chance > 0.002 || p.kind === "valve");
  const start = Math.min(...suspect.map((p) => p.from_m), places.at(-1)?.distance_m ?? 0);
  const from = Math.max(0, start - 20);
  const x = scaleLinear(
    [from, Math.max(...places.map((p) => p.distance_m), from + 1)],
    [PAD.left, WIDTH - PAD.right],
  ).clamp(true);
  const most = Math.max(...places.map((p) => p.chance), 0.02);
  const tall = scaleLinear([0, most], [0, PAD.top - 34]);
  const y = (row: number) => PAD.top + row * ROW;
  const shown = places.filter((p) => p.distance_m >= from);
  const best = places.reduce((a, b) => (b.chance > a.chance ? b : a));
  return (
    <figure className="min-w-0">
      <figcaption className="flex flex-wrap justify-between gap-x-3 text-label text-soft">
        <span>bars: how likely it is there; ticks: laterals</span>
        <span>
          likeliest <span className="font-semibold text-ink">{best.tag}</span>, {percent(best.chance)},{" "}
          {quantity(best.distance_m, "length", system)} from the pump
        </span>
      </figcaption>
      <div className="overflow-x-auto">
        <svg
          viewBox={`0 0 ${WIDTH} ${height}`}
          className="w-full max-sm:w-[54rem]"
          role="img"
          aria-label="Probability along the line"
        >
          {shown.map((p) => (
            <line
              key={`pipe ${p.tag}`}
              x1={x(p.from_m)}
              x2={x(p.distance_m)}
              y1={y(p.row)}
              y2={y(p.row)}
              stroke="var(--ink)"
              strokeWidth={p.row ? 3 : 4}
            />
          ))}
          {shown
            .filter((p) => p.row > 0 && !places.some((q) => q.row === p.row && q.distance_m < p.distance_m))
            .map((p) => (
              <line
                key={`fork ${p.tag}`}
                x1={x(p.from_m)}
                x2={x(p.from_m)}
                y1={y(0)}
                y2={y(p.row)}
                stroke="var(--rule)"
                strokeWidth="3"
              />
            ))}
          {shown.map((p) => {
            const wide = Math.max(4, Math.min(16, (x(p.distance_m) - x(p.from_m)) * 0.7));
            const tallness = tall(p.chance);
            return (
              <g key={p.tag} transform={`translate(${x(p.distance_m)} ${y(p.row)})`}>
                {tallness > 0.8 && (
                  <rect x={-wide / 2} y={-8 - tallness} width={wide} height={tallness} fill="var(--amber)" />
                )}
                {p.laterals > 0 && <path d="M0 4v9" stroke="var(--soft)" strokeWidth="1.5" />}
                {p.kind === "valve" && (
                  <path d="M-7-7L7 7V-7L-7 7Z" fill="var(--paper)" stroke="var(--ink)" strokeWidth="2" />
                )}
                {p.kind === "pump" && <circle r="7" fill="var(--paper)" stroke="var(--ink)" strokeWidth="3" />}
                {p.sensor && p.kind !== "pump" && (
                  <circle r="5.5" fill="var(--sheet)" stroke="var(--fine-0)" strokeWidth="2.5" />
                )}
                {p.tag === position && <path d="M-6 22h12l-6-9z" fill="var(--amber)" />}
                {(p.tag === next || p.tag === best.tag) && (
                  <text
                    y={p.tag === next ? 40 : -14 - tallness}
                    fontSize="13"
                    fontWeight="600"
                    textAnchor={x(p.distance_m) > WIDTH - 90 ? "end" : "middle"}
                    fill={p.tag === next ? "var(--amber)" : "currentColor"}
                  >
                    {p.tag === next ? `next: ${p.tag}` : `${p.tag} ${percent(p.chance)}`}
                  </text>
                )}
              </g>
            );
          })}
        </svg>
      </div>
      <table className="sr-only">
        <caption>Places by probability</caption>
        <tbody>
          {[...places]
            .sort((a, b) => b.chance - a.chance)
            .slice(0, 12)
            .map((p) => (
              <tr key={p.tag}>
                <th>{p.tag}</th>
                <td>{p.kind}</td>
                <td>{percent(p.chance)}</td>
                <td>{quantity(p.distance_m, "length", system)} from the pump</td>
              </tr>
            ))}
        </tbody>
      </table>
    </figure>
  );
}

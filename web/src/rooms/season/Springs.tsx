import { scaleLinear } from "d3-scale";
import { useSystem } from "../../app/session";
import { number, quantity, unitOf } from "../../lib/units";
import type { SeasonFacts } from "./Season";

const WIDTH = 900;
const HEIGHT = 400;
const PAD = { left: 10, right: 92, top: 16, bottom: 24 };
const MONTHS: [number, string][] = [
  [32, "February"],
  [60, "March"],
  [91, "April"],
  [121, "May"],
];

/** Syrup as it came, spring over spring: one stair a year, the chosen one strong. */
export function Springs(props: { facts: SeasonFacts; chosen: number; onPick: (year: number) => void }) {
  const { facts, chosen } = props;
  const system = useSystem();
  const years = [...facts.years].reverse();
  const days = facts.runs.map((run) => run.day);
  const x = scaleLinear([Math.min(...days) - 2, Math.max(...days) + 3], [PAD.left, WIDTH - PAD.right]);
  const most = Math.max(...years.map((year) => year.syrup_m3), 1e-6);
  const y = scaleLinear([0, most * 1.06], [HEIGHT - PAD.bottom, PAD.top]);
  const ends: { year: number; y: number; at: number; total: number }[] = [];
  const stairs = years.map((year) => {
    let total = 0;
    let path = "";
    let last = 0;
    for (const run of facts.runs.filter((one) => one.year === year.year)) {
      if (!path) path = `M${x(run.day)} ${y(0)}`;
      path += `H${x(run.day)}`;
      total += run.syrup_m3;
      path += `V${y(total)}`;
      last = run.day;
    }
    ends.push({ year: year.year, y: y(total), at: x(last), total });
    return { year: year.year, path };
  });
  const labels = [...ends].sort((a, b) => a.y - b.y);
  for (let k = 1; k < labels.length; k++) {
    const [above, here] = [labels[k - 1], labels[k]];
    if (above && here && here.y - above.y < 15) here.y = above.y + 15;
  }
  return (
    <svg
      viewBox={`0 0 ${WIDTH} ${HEIGHT}`}
      className="w-full"
      role="img"
      aria-label="Syrup made by day of the year, each year"
    >
      <line x1={PAD.left} x2={WIDTH - PAD.right} y1={y(0)} y2={y(0)} stroke="var(--rule)" />
      {MONTHS.map(
        ([start, name]) =>
          x(start) > PAD.left &&
          x(start) < WIDTH - PAD.right - 40 && (
            <g key={name}>
              <line x1={x(start)} x2={x(start)} y1={PAD.top} y2={y(0)} stroke="var(--rule)" strokeWidth="0.7" />
              <text x={x(start) + 5} y={HEIGHT - 7} fontSize="13" className="text-soft">
                {name}
              </text>
            </g>
          ),
      )}
      <text x={PAD.left} y={HEIGHT - 7} fontSize="13" className="text-soft">
        {x(32) < PAD.left ? "" : "January"}
      </text>
      {stairs.map((one) => (
        <path
          key={one.year}
          d={one.path}
          fill="none"
          stroke={one.year === chosen ? "var(--amber)" : "var(--soft)"}
          strokeWidth={one.year === chosen ? 4 : 1.3}
          opacity={one.year === chosen ? 1 : 0.7}
        />
      ))}
      {labels.map((one) => (
        // biome-ignore lint/a11y/noStaticElementInteractions: the table below does the same by keyboard
        <text
          key={one.year}
          x={one.at + 6}
          y={one.y + 4}
          fontSize="13"
          fontWeight={one.year === chosen ? 600 : 400}
          className="cursor-pointer"
          paintOrder="stroke"
          stroke="var(--paper)"
          strokeWidth="4"
          onClick={() => props.onPick(one.year)}
        >
          {one.year}
          <tspan className="text-soft" style={{ fill: "var(--soft)" }}>
            {" "}
            {number(one.total, "volume", system, 0)}
          </tspan>
        </text>
      ))}
      <text x={PAD.left} y={12} fontSize="13" className="text-soft">
        syrup, {unitOf("volume", system)}; {quantity(most, "volume", system, 0)} at most
      </text>
    </svg>
  );
}

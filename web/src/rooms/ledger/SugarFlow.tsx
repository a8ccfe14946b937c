import { useSystem } from "../../app/session";
import { sugarColour } from "../../drawing/scales";
import type { Shapes } from "../../lib/api";
import { quantity } from "../../lib/units";

const WIDTH = 860;
const IN = ["in", "held before"];
const OUT = ["out", "held after"];

/** Sugar from where it came to where it went, band for band; what is missing hangs off the end with its interval. */
export function SugarFlow(props: {
  lines: Shapes["BalanceLine"][];
  unaccounted: number;
  sd: number;
  explained: boolean;
  height: number;
}) {
  const HEIGHT = props.height;
  const system = useSystem();
  const came = props.lines.filter((line) => IN.includes(line.side) && line.sugar_kg > 0);
  const went = props.lines.filter((line) => OUT.includes(line.side) && line.sugar_kg > 0);
  const total = Math.max(
    came.reduce((sum, line) => sum + line.sugar_kg, 0),
    went.reduce((sum, line) => sum + line.sugar_kg, 0),
    1e-9,
  );
  const scale = (HEIGHT - 100) / total;
  const left = stack(came, scale);
  const right = stack(went, scale);
  const rightSum = right.at(-1)?.end ?? 20;
  const middle = { x1: 330, x2: 500 };
  const trunk = 20 + total * scale;
  const missing = props.unaccounted;
  return (
    <svg viewBox={`0 0 ${WIDTH} ${HEIGHT}`} className="w-full" role="img" aria-label="Sugar in against sugar out">
      {left.map(({ line, start, end, label }) => (
        <g key={line.name}>
          <path d={band(190, start, end, middle.x1, start, end)} fill={sugarColour(2.2)} />
          <Text
            x={182}
            y={label}
            anchor="end"
            name={line.name}
            kg={line.sugar_kg}
            sd={line.sugar_sd_kg}
            system={system}
          />
        </g>
      ))}
      <rect x={middle.x1} y={20} width={middle.x2 - middle.x1} height={trunk - 20} fill={sugarColour(12)} />
      <text
        x={(middle.x1 + middle.x2) / 2}
        y={20 + (trunk - 20) / 2 + 6}
        fontSize="18"
        fontWeight="600"
        textAnchor="middle"
        style={{ color: "#1c1307" }}
      >
        {quantity(total, "mass", system, 0)} of sugar
      </text>
      {right.map(({ line, start, end, label }) => (
        <g key={line.name}>
          <path d={band(middle.x2, start, end, 640, start, end)} fill={sugarColour(line.side === "out" ? 60 : 20)} />
          <Text
            x={650}
            y={label}
            anchor="start"
            name={line.name}
            kg={line.sugar_kg}
            sd={line.sugar_sd_kg}
            system={system}
          />
        </g>
      ))}
      {missing > 0 && (
        <path
          d={band(
            middle.x2,
            rightSum,
            rightSum + Math.max(missing * scale, 1.5),
            600,
            rightSum + 34,
            rightSum + 34 + Math.max(missing * scale, 1.5),
          )}
          fill={props.explained ? "var(--rule)" : "var(--act)"}
        />
      )}
      <text x={500} y={HEIGHT - 12} fontSize="15" fontWeight="600" className={props.explained ? "" : "text-act"}>
        {missing >= 0 ? "not accounted for" : "more out than in"}: {quantity(Math.abs(missing), "mass", system, 0)} ±{" "}
        {quantity(2 * props.sd, "mass", system, 0)}
      </text>
    </svg>
  );
}

function stack(lines: Shapes["BalanceLine"][], scale: number) {
  let at = 20;
  let labelled = 0;
  return lines.map((line) => {
    const start = at;
    at += line.sugar_kg * scale;
    const label = Math.max((start + at) / 2 + 5, labelled + 34);
    labelled = label;
    return { line, start, end: at, label };
  });
}

function band(x1: number, a1: number, b1: number, x2: number, a2: number, b2: number): string {
  const m = (x1 + x2) / 2;
  return `M${x1},${a1}C${m},${a1} ${m},${a2} ${x2},${a2}L${x2},${b2}C${m},${b2} ${m},${b1} ${x1},${b1}Z`;
}

function Text(props: {
  x: number;
  y: number;
  anchor: "start" | "end";
  name: string;
  kg: number;
  sd: number;
  system: "us" | "metric";
}) {
  return (
    <text x={props.x} y={props.y - 4} fontSize="14" textAnchor={props.anchor}>
      <tspan fontWeight="600">{props.name}</tspan>
      <tspan x={props.x} dy="16" fontSize="13" className="text-soft" style={{ fill: "var(--soft)" }}>
        {quantity(props.kg, "mass", props.system, 0)} ± {quantity(2 * props.sd, "mass", props.system, 0)}
      </tspan>
    </text>
  );
}

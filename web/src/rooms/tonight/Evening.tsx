import { scaleLinear } from "d3-scale";
import { line } from "d3-shape";
import { useHere, useSystem } from "../../app/session";
import { sugarColour } from "../../drawing/scales";
import type { Shapes } from "../../lib/api";
import { clock } from "../../lib/time";
import { quantity } from "../../lib/units";
import type { Choice } from "./choice";

const WIDTH = 900;
const HEIGHT = 206;
const PAD = { left: 76, right: 100, top: 8, bottom: 22 };
const BARS = 62;

/** The evening on a clock: what runs when, and how full each tank stands. */
export function Evening(props: { choice: Choice; known: Shapes["TonightOut"]; startedAt: number | null }) {
  const { choice, known, startedAt } = props;
  const { operation } = useHere();
  const system = useSystem();
  if (choice.limit !== null || !choice.finish_min) {
    return <p className="p-3 text-soft">There is no evening to draw: {choice.limit}.</p>;
  }
  const step = choice.trace_min ?? 10;
  const end = choice.finish_min;
  const x = scaleLinear([0, end], [PAD.left, WIDTH - PAD.right]);
  const tanks = [
    { name: "sap", trace: choice.sap_trace ?? [], capacity: known.sap_capacity_m3, brix: 2 },
    { name: "head", trace: choice.head_trace ?? [], capacity: known.head_capacity_m3, brix: choice.target_brix || 2 },
    { name: "syrup", trace: choice.syrup_trace ?? [], capacity: Math.max(choice.syrup_m3 ?? 1, 1e-6), brix: 66.9 },
  ];
  const level = scaleLinear([0, 1], [HEIGHT - PAD.bottom - 2, PAD.top + BARS + 8]);
  const path = (trace: number[], capacity: number) =>
    line<number>()
      .x((_, i) => x(Math.min(i * step, end)))
      .y((volume) => level(volume / capacity))(trace) ?? "";
  const hours: number[] = [];
  if (startedAt !== null) {
    const whole = Math.ceil(startedAt / 3_600_000) * 3_600_000;
    for (let t = whole; t <= startedAt + end * 60_000; t += 3_600_000 * (end > 720 ? 2 : 1)) hours.push(t);
  }
  const rows = [
    { name: "membrane", spans: choice.ro_spans ?? [], fill: sugarColour(12) },
    { name: "wash", spans: choice.wash_spans ?? [], fill: "var(--part-power)" },
    { name: "fire", spans: [[choice.light_min, choice.boil_end_min ?? end]], fill: "var(--amber)" },
  ];
  return (
    <svg
      viewBox={`0 0 ${WIDTH} ${HEIGHT}`}
      className="w-full shrink-0"
      role="img"
      aria-label="The evening by the clock"
    >
      {hours.map((hour) => {
        const at = x((hour - (startedAt ?? 0)) / 60_000);
        return (
          <g key={hour}>
            <line x1={at} x2={at} y1={PAD.top} y2={HEIGHT - PAD.bottom} stroke="var(--rule)" strokeWidth="0.7" />
            <text x={at} y={HEIGHT - 6} fontSize="12" textAnchor="middle" className="text-soft">
              {clock(hour, operation.zone)}
            </text>
          </g>
        );
      })}
      {rows.map((row, i) => (
        <g key={row.name}>
          <text x={PAD.left - 10} y={PAD.top + i * 20 + 13} fontSize="13" textAnchor="end">
            {row.name}
          </text>
          {row.spans.map(([from = 0, to = 0]) => (
            <rect
              key={from}
              x={x(from)}
              y={PAD.top + i * 20 + 3}
              width={Math.max(x(Math.min(to, end)) - x(from), 1)}
              height="13"
              fill={row.fill}
            />
          ))}
        </g>
      ))}
      {tanks.map((tank) => (
        <g key={tank.name}>
          <path d={path(tank.trace, tank.capacity)} fill="none" stroke="var(--ink)" strokeWidth="4.5" opacity="0.25" />
          <path d={path(tank.trace, tank.capacity)} fill="none" stroke={sugarColour(tank.brix)} strokeWidth="3" />
        </g>
      ))}
      <Labels tanks={tanks} level={level} system={system} />
      <text x={PAD.left - 10} y={level(1) + 4} fontSize="11" textAnchor="end" className="text-soft">
        full
      </text>
      <text x={PAD.left - 10} y={level(0) + 2} fontSize="11" textAnchor="end" className="text-soft">
        empty
      </text>
    </svg>
  );
}

/** Each trace named at its end, moved apart where they meet. */
function Labels(props: {
  tanks: { name: string; trace: number[]; capacity: number }[];
  level: (share: number) => number;
  system: "us" | "metric";
}) {
  const placed = props.tanks
    .map((tank) => {
      const last = tank.trace.at(-1) ?? 0;
      return { name: tank.name, last, y: props.level(last / tank.capacity) + 4 };
    })
    .sort((a, b) => a.y - b.y);
  for (let i = placed.length - 2; i >= 0; i--) {
    const [here, below] = [placed[i], placed[i + 1]];
    if (here && below && below.y - here.y < 15) here.y = below.y - 15;
  }
  return placed.map((label) => (
    <text key={label.name} x={WIDTH - PAD.right + 8} y={label.y} fontSize="12.5">
      {label.name} {quantity(label.last, "volume", props.system)}
    </text>
  ));
}

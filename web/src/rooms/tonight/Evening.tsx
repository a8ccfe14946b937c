import { scaleLinear } from "d3-scale";
import { line } from "d3-shape";
import { useHere, useSystem } from "../../app/session";
import { sugarColour } from "../../drawing/scales";
import type { Shapes } from "../../lib/api";
import { clock } from "../../lib/time";
import { figure, quantity } from "../../lib/units";
import type { Choice } from "./choice";

const WIDTH = 900;
const HEIGHT = 232;
const PAD = { left: 76, right: 124, top: 8, bottom: 22 };
const ROW = 20;
const BARS = 4 * ROW + 2;
/** What comes on the way is named between the bars and a full tank, where no line runs; every second one at the foot. */
const WORDS = PAD.top + BARS + 4;
type Assumed = Shapes["Assumptions"];

/** The evening on a clock: what runs when, who is needed, how full each tank stands, and what is on the way. */
export function Evening(props: {
  choice: Choice;
  known: Shapes["TonightOut"];
  assumed: Assumed;
  startedAt: number | null;
}) {
  const { choice, known, assumed, startedAt } = props;
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
    ...(known.permeate_capacity_m3 > 0 && choice.target_brix > 0
      ? [{ name: "permeate", trace: choice.permeate_trace ?? [], capacity: known.permeate_capacity_m3, brix: 0 }]
      : []),
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
    { name: "fire", spans: choice.fire_spans ?? [], fill: "var(--amber)" },
  ].filter((row) => choice.target_brix > 0 || row.name === "fire");
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
      <OnTheWay assumed={assumed} x={x} end={end} />
      {rows.map((row, i) => (
        <g key={row.name}>
          <text x={PAD.left - 10} y={PAD.top + i * ROW + 13} fontSize="13" textAnchor="end">
            {row.name}
          </text>
          {row.spans.map(([from = 0, to = 0]) => (
            <rect
              key={from}
              x={x(from)}
              y={PAD.top + i * ROW + 3}
              width={Math.max(x(Math.min(to, end)) - x(from), 1)}
              height="13"
              fill={row.fill}
            />
          ))}
        </g>
      ))}
      <People spans={choice.people_spans ?? []} row={rows.length} x={x} end={end} />
      {tanks.map((tank) =>
        tank.name === "permeate" ? (
          <path
            key={tank.name}
            d={path(tank.trace, tank.capacity)}
            fill="none"
            stroke="var(--soft)"
            strokeWidth="1.5"
            strokeDasharray="5 3"
          />
        ) : (
          <g key={tank.name}>
            <path
              d={path(tank.trace, tank.capacity)}
              fill="none"
              stroke="var(--ink)"
              strokeWidth="4.5"
              opacity="0.25"
            />
            <path d={path(tank.trace, tank.capacity)} fill="none" stroke={sugarColour(tank.brix)} strokeWidth="3" />
          </g>
        ),
      )}
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

type Across = (minutes: number) => number;

/** How many people the work keeps, written where their number changes. */
function People(props: { spans: Shapes["PeopleSpan"][]; row: number; x: Across; end: number }) {
  const top = PAD.top + props.row * ROW;
  const most = Math.max(...props.spans.map((span) => span.people), 1);
  return (
    <g>
      <text x={PAD.left - 10} y={top + 13} fontSize="13" textAnchor="end">
        people
      </text>
      {props.spans.map((span) => {
        const [from, to] = [props.x(span.from_min), props.x(Math.min(span.until_min, props.end))];
        const height = 3 + 10 * (span.people / most);
        return (
          <g key={span.from_min}>
            <rect
              x={from}
              y={top + 16 - height}
              width={Math.max(to - from, 1)}
              height={height}
              fill="var(--part-work)"
              opacity="0.8"
            />
            {to - from > 26 && (
              <text
                x={from + 4}
                y={height > 11 ? top + 14 : top + 14 - height}
                fontSize="11"
                style={height > 11 ? { fill: "var(--on-part)" } : undefined}
              >
                {figure(span.people, span.people % 1 ? 1 : 0)}
              </text>
            )}
          </g>
        );
      })}
    </g>
  );
}

/** Trucks, a power cut, a frost: named where they come. */
function OnTheWay(props: { assumed: Assumed; x: Across; end: number }) {
  const { assumed, x, end } = props;
  const system = useSystem();
  const marks = [
    ...(assumed.loads ?? []).map((load) => ({
      at: load.at_h * 60,
      word: `truck, ${quantity(load.volume_m3, "volume", system, 0)}`,
    })),
    ...(assumed.frost_at_h == null ? [] : [{ at: assumed.frost_at_h * 60, word: "hard frost" }]),
  ].filter((mark) => mark.at <= end);
  const [from, to] = [assumed.cut_from_h, assumed.cut_until_h];
  const bottom = HEIGHT - PAD.bottom;
  return (
    <g>
      {from != null && to != null && from * 60 < end && (
        <g>
          <rect
            x={x(from * 60)}
            y={PAD.top}
            width={x(Math.min(to * 60, end)) - x(from * 60)}
            height={bottom - PAD.top}
            fill="var(--rule)"
            opacity="0.6"
          />
          {/* where the membrane's bar is broken by it */}
          <text x={x(from * 60) + 3} y={PAD.top + 13} fontSize="11" className="text-soft">
            no power
          </text>
        </g>
      )}
      {marks.map((mark, k) => (
        <g key={`${mark.word} ${mark.at}`}>
          <line x1={x(mark.at)} x2={x(mark.at)} y1={PAD.top} y2={bottom} stroke="var(--fine-0)" strokeDasharray="2 3" />
          <text x={x(mark.at) + 3} y={k % 2 ? bottom - 4 : WORDS} fontSize="11" style={{ fill: "var(--fine-0)" }}>
            {mark.word}
          </text>
        </g>
      ))}
    </g>
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

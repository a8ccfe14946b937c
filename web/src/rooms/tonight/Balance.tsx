import { scaleLinear, scalePoint } from "d3-scale";
import { line } from "d3-shape";
import { useHere, useSystem } from "../../app/session";
import { sugarColour } from "../../drawing/scales";
import { clock } from "../../lib/time";
import { figure, money } from "../../lib/units";
import type { Choice } from "./choice";

const WIDTH = 900;
const HEIGHT = 400;
const PAD = { left: 58, right: 70, top: 34, bottom: 44 };
const PARTS = [
  { key: "fuel_cost", name: "fuel", fill: "var(--part-fuel)" },
  { key: "labour_cost", name: "work", fill: "var(--part-work)" },
  { key: "power_cost", name: "power", fill: "var(--part-power)" },
  { key: "wash_cost", name: "wash", fill: "var(--part-wash)" },
] as const;

/** Cost a gallon made of its parts against target Brix, the finish over it, forbidden targets hatched. */
export function Balance(props: {
  choices: Choice[];
  chosen: Choice | undefined;
  startedAt: number | null;
  stale: boolean;
  onPick: (brix: number) => void;
}) {
  const { choices, chosen } = props;
  const { operation } = useHere();
  const system = useSystem();
  const perVolume = system === "us" ? 3.785411784e-3 : 1e-3;
  const able = choices.filter((choice) => choice.limit === null);
  const cost = (choice: Choice) => (choice.cost_per_m3 ?? 0) * perVolume;
  const x = scalePoint(
    choices.map((choice) => choice.target_brix),
    [PAD.left + 20, WIDTH - PAD.right - 20],
  );
  const top = Math.max(...able.map(cost), 0.01) * 1.12;
  const y = scaleLinear([0, top], [HEIGHT - PAD.bottom, PAD.top]);
  const ends = able.map((choice) => choice.finish_min ?? 0);
  const finish = scaleLinear([0, Math.max(...ends, 60) * 1.08], [HEIGHT - PAD.bottom, PAD.top]);
  const bar = Math.min(choices.length > 1 ? x.step() * 0.62 : 80, 46);
  const at = (minutes: number) =>
    props.startedAt === null ? "" : clock(props.startedAt + minutes * 60_000, operation.zone);
  const path = line<Choice>()
    .x((choice) => x(choice.target_brix) ?? 0)
    .y((choice) => finish(choice.finish_min ?? 0));
  const pick = (clientX: number, svg: SVGSVGElement) => {
    const box = svg.getBoundingClientRect();
    const here = ((clientX - box.left) / box.width) * WIDTH;
    const nearest = [...choices].sort(
      (a, b) => Math.abs((x(a.target_brix) ?? 0) - here) - Math.abs((x(b.target_brix) ?? 0) - here),
    )[0];
    if (nearest) props.onPick(nearest.target_brix);
  };
  const step = (by: number) => {
    const next = chosen && choices[choices.indexOf(chosen) + by];
    if (next) props.onPick(next.target_brix);
  };
  const handle = chosen ? (x(chosen.target_brix) ?? 0) : null;
  const band = able.filter((choice) => choice.in_band).map((choice) => x(choice.target_brix) ?? 0);
  return (
    <svg
      viewBox={`0 0 ${WIDTH} ${HEIGHT}`}
      className={`balance min-h-0 w-full flex-1 touch-none ${props.stale ? "opacity-60" : ""}`}
      role="slider"
      tabIndex={0}
      aria-label="Target Brix"
      aria-valuemin={choices[0]?.target_brix ?? 0}
      aria-valuemax={choices.at(-1)?.target_brix ?? 0}
      aria-valuenow={chosen?.target_brix ?? 0}
      aria-valuetext={
        chosen
          ? chosen.limit
            ? `${figure(chosen.target_brix, 0)} °Brix, not tonight: ${chosen.limit}`
            : `${chosen.target_brix > 0 ? `${figure(chosen.target_brix, 0)} °Brix` : "no membrane"}, ${money(cost(chosen), operation.currency)}, done ${at(chosen.finish_min ?? 0)}`
          : ""
      }
      onPointerDown={(event) => {
        event.currentTarget.setPointerCapture(event.pointerId);
        pick(event.clientX, event.currentTarget);
      }}
      onPointerMove={(event) => event.buttons === 1 && pick(event.clientX, event.currentTarget)}
      onKeyDown={(event) => {
        if (event.key === "ArrowRight" || event.key === "ArrowUp") step(1);
        else if (event.key === "ArrowLeft" || event.key === "ArrowDown") step(-1);
        else return;
        event.preventDefault();
      }}
    >
      <defs>
        <pattern id="hatch" width="7" height="7" patternUnits="userSpaceOnUse" patternTransform="rotate(45)">
          <line x1="0" y1="0" x2="0" y2="7" stroke="var(--soft)" strokeWidth="1.2" />
        </pattern>
      </defs>
      <text x={PAD.left - 46} y={16} fontSize="13" className="text-soft">
        cost of a {system === "us" ? "gallon" : "litre"} of syrup
      </text>
      <text x={WIDTH - 4} y={16} fontSize="13" textAnchor="end" style={{ color: "var(--fine-0)" }}>
        all done at
      </text>
      {y.ticks(5).map((tick) => (
        <text key={tick} x={PAD.left - 8} y={y(tick) + 4} fontSize="12" textAnchor="end" className="text-soft">
          {money(tick, operation.currency)}
        </text>
      ))}
      {wholeHours(props.startedAt, Math.max(...ends, 60)).map(
        (tick) =>
          finish(tick) > PAD.top && (
            <text
              key={tick}
              x={WIDTH - PAD.right + 10}
              y={finish(tick) + 4}
              fontSize="12"
              style={{ color: "var(--fine-0)" }}
            >
              {at(tick)}
            </text>
          ),
      )}
      {band.length > 0 && (
        <g>
          <rect
            x={Math.min(...band) - bar / 2 - 6}
            y={HEIGHT - PAD.bottom + 2}
            width={Math.max(...band) - Math.min(...band) + bar + 12}
            height="5"
            fill="var(--amber)"
          />
          <text
            x={(Math.min(...band) + Math.max(...band)) / 2}
            y={HEIGHT - 4}
            fontSize="12"
            textAnchor="middle"
            className="text-amber"
          >
            within 2 % of the cheapest
          </text>
        </g>
      )}
      {choices.map((choice) => {
        const centre = x(choice.target_brix) ?? 0;
        const picked = choice === chosen;
        let below = 0;
        return (
          <g key={choice.target_brix}>
            {choice.limit !== null ? (
              <g>
                <rect
                  x={centre - bar / 2}
                  y={PAD.top}
                  width={bar}
                  height={HEIGHT - PAD.bottom - PAD.top}
                  fill="url(#hatch)"
                  opacity="0.55"
                />
                <text
                  transform={`translate(${centre + 4} ${HEIGHT - PAD.bottom - 8}) rotate(-90)`}
                  fontSize="13"
                  fontWeight={picked ? 600 : 400}
                  paintOrder="stroke"
                  stroke="var(--paper)"
                  strokeWidth="6"
                >
                  {choice.limit}
                </text>
              </g>
            ) : (
              PARTS.map((part) => {
                const value = ((choice[part.key] ?? 0) / (choice.syrup_m3 || 1)) * perVolume;
                const from = below;
                below += value;
                return (
                  <rect
                    key={part.key}
                    x={centre - bar / 2}
                    y={y(below)}
                    width={bar}
                    height={Math.max(y(from) - y(below), 0)}
                    fill={part.fill}
                    opacity={picked ? 1 : 0.62}
                  />
                );
              })
            )}
            <text
              x={centre}
              y={HEIGHT - PAD.bottom + 20}
              fontSize="14"
              textAnchor="middle"
              fontWeight={picked ? 600 : 400}
              className={picked ? "text-ink" : "text-soft"}
            >
              {choice.target_brix > 0 ? figure(choice.target_brix, 0) : "none"}
            </text>
          </g>
        );
      })}
      {choices.length > 0 && (
        <text x={WIDTH - PAD.right + 10} y={HEIGHT - PAD.bottom + 20} fontSize="13" className="text-soft">
          °Bx
        </text>
      )}
      <path d={path(able) ?? ""} fill="none" stroke="var(--fine-0)" strokeWidth="2" />
      {able.map((choice) => (
        <circle
          key={choice.target_brix}
          cx={x(choice.target_brix)}
          cy={finish(choice.finish_min ?? 0)}
          r="3"
          fill="var(--paper)"
          stroke="var(--fine-0)"
          strokeWidth="1.5"
        />
      ))}
      {able.length > 0 && (
        <PartNames first={able[Math.min(able.length - 1, 1)] as Choice} x={x} y={y} bar={bar} perVolume={perVolume} />
      )}
      {chosen && handle !== null && (
        <g>
          <line x1={handle} x2={handle} y1={PAD.top - 8} y2={HEIGHT - PAD.bottom} stroke="var(--ink)" strokeWidth="1" />
          <circle
            cx={handle}
            cy={PAD.top - 14}
            r="9"
            fill={sugarColour(chosen.target_brix || 2)}
            stroke="var(--ink)"
            strokeWidth="2"
          />
          {chosen.limit === null && (
            <text
              x={handle + (handle > WIDTH * 0.6 ? -16 : 16)}
              y={PAD.top - 9}
              fontSize="15"
              fontWeight="600"
              textAnchor={handle > WIDTH * 0.6 ? "end" : "start"}
              paintOrder="stroke"
              stroke="var(--paper)"
              strokeWidth="5"
            >
              {money(cost(chosen), operation.currency)}, done {at(chosen.finish_min ?? 0)}
            </text>
          )}
        </g>
      )}
    </svg>
  );
}

/** Minutes from the start at which the clock strikes, every two or three hours. */
function wholeHours(startedAt: number | null, end: number): number[] {
  if (startedAt === null) return [];
  const every = end > 900 ? 3 : 2;
  const first = (3_600_000 - (startedAt % 3_600_000)) / 60_000;
  return Array.from({ length: Math.ceil(end / 60 / every) }, (_, i) => first + 60 * (every * i + every - 1));
}

/** The parts named once, where the bars are tallest. */
function PartNames(props: {
  first: Choice;
  x: (brix: number) => number | undefined;
  y: (cost: number) => number;
  bar: number;
  perVolume: number;
}) {
  let below = 0;
  return PARTS.map((part) => {
    const value = ((props.first[part.key] ?? 0) / (props.first.syrup_m3 || 1)) * props.perVolume;
    const middle = below + value / 2;
    below += value;
    if (props.y(0) - props.y(value) < 14) return null;
    return (
      <text
        key={part.key}
        x={props.x(props.first.target_brix) ?? 0}
        y={props.y(middle) + 4}
        fontSize="12"
        textAnchor="middle"
        style={{ color: "var(--on-part)" }}
      >
        {part.name}
      </text>
    );
  });
}

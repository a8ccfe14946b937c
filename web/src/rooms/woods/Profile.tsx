import { useQuery } from "@tanstack/react-query";
import { scaleLinear } from "d3-scale";
import { area, line } from "d3-shape";
import { useHere, useSystem } from "../../app/session";
import { SHORTFALL, stateOf } from "../../drawing/scales";
import { api, take } from "../../lib/api";
import { number, quantity, shown, unitOf } from "../../lib/units";

const WIDTH = 760;
const HEIGHT = 176;
const PAD = { left: 44, right: 70, top: 22, bottom: 40 };

/** One mainline from the pump to its far end: what the model expects as a ribbon, the readings as marks. */
export function Profile({ main }: { main: string }) {
  const { operation } = useHere();
  const system = useSystem();
  const { data } = useQuery({
    queryKey: ["profile", operation.slug, main],
    queryFn: () =>
      take(
        api.GET("/api/v1/operations/{operation}/woods/mains/{main}/profile", {
          params: { path: { operation: operation.slug, main } },
        }),
      ),
    refetchInterval: 10_000,
  });
  if (!data || data.points.length === 0) return <div className="h-[190px]" />;
  const { points, readings } = data;
  const pa = (value: number) => shown(value, "vacuum", system);
  const values = [
    ...points.flatMap((p) => [pa(p.usual_pa + 2 * p.spread_pa), pa(p.usual_pa - 2 * p.spread_pa)]),
    ...readings.flatMap((r) => (r.vacuum_pa === null ? [] : [pa(r.vacuum_pa)])),
  ];
  const room = 0.12 * (Math.max(...values) - Math.min(...values));
  const x = scaleLinear([0, Math.max(...points.map((p) => p.distance_m))], [PAD.left, WIDTH - PAD.right]);
  const y = scaleLinear([Math.min(...values) - room, Math.max(...values) + room], [HEIGHT - PAD.bottom, PAD.top]).nice(
    4,
  );
  const heights = points.map((p) => p.elevation_m);
  const [low, high] = [Math.min(...heights), Math.max(...heights)];
  const ground = scaleLinear([low, Math.max(high, low + 1)], [HEIGHT - 6, HEIGHT - PAD.bottom + 6]);
  type Point = (typeof points)[number];
  const ribbon = area<Point>()
    .x((p) => x(p.distance_m))
    .y0((p) => y(pa(p.usual_pa - 2 * p.spread_pa)))
    .y1((p) => y(pa(p.usual_pa + 2 * p.spread_pa)));
  const clean = line<Point>()
    .x((p) => x(p.distance_m))
    .y((p) => y(pa(p.usual_pa)));
  const hill = area<Point>()
    .x((p) => x(p.distance_m))
    .y0(HEIGHT - 2)
    .y1((p) => ground(p.elevation_m));
  const seen = readings.filter((r) => r.vacuum_pa !== null);
  const actual = line<(typeof readings)[number]>()
    .x((r) => x(r.distance_m))
    .y((r) => y(pa(r.vacuum_pa ?? 0)));
  const far = seen.at(-1);
  return (
    <figure className="shrink-0 pt-0.5">
      <figcaption className="flex flex-wrap gap-x-3 text-label">
        <span className="font-semibold">
          {main} from the pump to its far end, {unitOf("vacuum", system)}
        </span>
        <span className="text-soft">
          ribbon: usual today, 19 times in 20; marks: gauges; below: the ground,{" "}
          {quantity(high - low, "length", system)} rise
        </span>
      </figcaption>
      <svg viewBox={`0 0 ${WIDTH} ${HEIGHT}`} className="w-full" role="img" aria-label={`Vacuum along ${main}`}>
        <path d={hill(points) ?? ""} fill="var(--contour)" />
        {y.ticks(4).map((tick) => (
          <text key={tick} x={PAD.left - 8} y={y(tick) + 4} fontSize="12" textAnchor="end" className="text-soft">
            {tick}
          </text>
        ))}
        <path d={ribbon(points) ?? ""} fill="var(--fine-0)" opacity="0.22" />
        <path d={clean(points) ?? ""} fill="none" stroke="var(--fine-0)" strokeWidth="1.5" />
        <path d={actual(seen) ?? ""} fill="none" stroke="var(--ink)" strokeWidth="1.5" strokeDasharray="2 3" />
        {readings.map((r) => {
          if (r.vacuum_pa === null) return null;
          const look = SHORTFALL[stateOf(r.state)];
          return (
            <g key={r.sensor} transform={`translate(${x(r.distance_m)} ${y(pa(r.vacuum_pa))})`}>
              <circle
                r="5.5"
                fill="var(--paper)"
                stroke={look.colour}
                strokeWidth="2.5"
                strokeDasharray={look.dash ? "2 2" : undefined}
              />
              <text y="-11" fontSize="12" textAnchor="middle" fontWeight="600">
                {number(r.vacuum_pa, "vacuum", system)}
              </text>
            </g>
          );
        })}
        {far && (
          <text x={x(far.distance_m) + 12} y={y(pa(far.usual_pa)) + 4} fontSize="12" style={{ color: "var(--fine-0)" }}>
            usual {number(far.usual_pa, "vacuum", system)}
          </text>
        )}
        <text x={WIDTH - PAD.right} y={HEIGHT - PAD.bottom + 14} fontSize="11" textAnchor="end" className="text-soft">
          {quantity(points.at(-1)?.distance_m ?? 0, "length", system)} from the pump
        </text>
      </svg>
      <table className="sr-only">
        <caption>Gauges along {main}</caption>
        <tbody>
          {readings.map((r) => (
            <tr key={r.sensor}>
              <th>{r.sensor}</th>
              <td>{r.vacuum_pa === null ? "no reading" : quantity(r.vacuum_pa, "vacuum", system)}</td>
              <td>usual {quantity(r.usual_pa, "vacuum", system)}</td>
            </tr>
          ))}
        </tbody>
      </table>
    </figure>
  );
}

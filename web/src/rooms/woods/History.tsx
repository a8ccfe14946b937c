import { useQuery } from "@tanstack/react-query";
import { scaleLinear, scaleTime } from "d3-scale";
import { area, line } from "d3-shape";
import { useHere, useSystem } from "../../app/session";
import { Choice } from "../../kit";
import { api, type Shapes, take } from "../../lib/api";
import { useKept } from "../../lib/keep";
import { clock, day } from "../../lib/time";
import { quantity, shown, unitOf } from "../../lib/units";
import { CAUSE } from "../hunt/words";

const WIDTH = 760;
const HEIGHT = 176;
const PAD = { left: 44, right: 70, top: 22, bottom: 24 };
const SPANS: [string, string][] = [
  ["1", "an hour"],
  ["24", "a day"],
  ["1440", "the season"],
];

/** One gauge over time, from the server's rollups: the mean as a line, lowest to highest as a band, alarms beneath. */
export function History({ sensor, main }: { sensor: string; main: string }) {
  const { operation } = useHere();
  const system = useSystem();
  const [hours, setHours] = useKept("history span", "24");
  const { data } = useQuery({
    queryKey: ["history", operation.slug, sensor, hours],
    queryFn: () =>
      take(
        api.GET("/api/v1/operations/{operation}/sensors/{tag}/history", {
          params: { path: { operation: operation.slug, tag: sensor }, query: { hours: Number(hours) } },
        }),
      ),
    refetchInterval: 60_000,
  });
  const alarms = useQuery({
    queryKey: ["alarms", operation.slug, "season"],
    queryFn: () =>
      take(
        api.GET("/api/v1/operations/{operation}/alarms", {
          params: { path: { operation: operation.slug }, query: { days: 60 } },
        }),
      ),
    refetchInterval: 60_000,
  });
  const points = data?.points ?? [];
  const mine = (alarms.data ?? []).filter((alarm) => alarm.place === main);
  return (
    <figure className="mt-1 shrink-0">
      <figcaption className="flex flex-wrap items-baseline gap-x-4 text-label">
        <span className="font-semibold">
          {sensor}, {unitOf("vacuum", system)}
        </span>
        <Choice label="over" value={hours} options={SPANS} onValue={setHours} inline />
      </figcaption>
      {points.length > 1 ? (
        <Chart points={points} alarms={mine} zone={operation.zone} hours={Number(hours)} />
      ) : (
        <p className="py-8 text-soft">{data ? "No readings in this time." : ""}</p>
      )}
      <table className="sr-only">
        <caption>{sensor} over time</caption>
        <tbody>
          {points.slice(-24).map((point) => (
            <tr key={point.at}>
              <th>
                {day(point.at, operation.zone)} {clock(point.at, operation.zone)}
              </th>
              <td>{quantity(point.mean, "vacuum", system)}</td>
            </tr>
          ))}
        </tbody>
      </table>
    </figure>
  );
}

type Point = Shapes["HistoryPoint"];

function Chart(props: { points: Point[]; alarms: Shapes["AlarmOut"][]; zone: string; hours: number }) {
  const system = useSystem();
  const { points, zone } = props;
  const pa = (value: number) => shown(value, "vacuum", system);
  const first = Date.parse(points[0]?.at ?? "");
  const last = Date.parse(points.at(-1)?.at ?? "");
  const x = scaleTime([first, last], [PAD.left, WIDTH - PAD.right]);
  const low = Math.min(...points.map((p) => pa(p.low)));
  const high = Math.max(...points.map((p) => pa(p.high)));
  const y = scaleLinear(
    [low - 0.05 * (high - low), high + 0.05 * (high - low) + 0.2],
    [HEIGHT - PAD.bottom, PAD.top],
  ).nice(4);
  const at = (p: Point) => x(Date.parse(p.at));
  const band = area<Point>()
    .x(at)
    .y0((p) => y(pa(p.low)))
    .y1((p) => y(pa(p.high)));
  const mean = line<Point>()
    .x(at)
    .y((p) => y(pa(p.mean)));
  const label = (moment: Date) => (props.hours > 48 ? day(moment, zone) : clock(moment, zone));
  const end = points.at(-1);
  return (
    <svg viewBox={`0 0 ${WIDTH} ${HEIGHT}`} className="w-full" role="img" aria-label="Vacuum over time">
      {props.alarms.map((alarm) => {
        const from = Math.max(Date.parse(alarm.opened_at), first);
        const to = Math.min(alarm.closed_at ? Date.parse(alarm.closed_at) : last, last);
        if (to <= from) return null;
        return (
          <g key={alarm.id}>
            <rect
              x={x(from)}
              width={Math.max(x(to) - x(from), 2)}
              y={PAD.top - 12}
              height={HEIGHT - PAD.bottom - PAD.top + 12}
              fill="var(--amber)"
              opacity="0.12"
            />
            <text x={x(from) + 3} y={PAD.top - 2} fontSize="11" className="text-ink">
              {CAUSE[alarm.cause] ?? alarm.cause}
            </text>
          </g>
        );
      })}
      {y.ticks(4).map((tick) => (
        <text key={tick} x={PAD.left - 8} y={y(tick) + 4} fontSize="12" textAnchor="end" className="text-soft">
          {tick}
        </text>
      ))}
      {x.ticks(6).map((tick) => (
        <text
          key={tick.getTime()}
          x={x(tick)}
          y={HEIGHT - 6}
          fontSize="11"
          textAnchor={x(tick) < PAD.left + 20 ? "start" : "middle"}
          className="text-soft"
        >
          {label(tick)}
        </text>
      ))}
      <path d={band(points) ?? ""} fill="var(--fine-0)" opacity="0.22" />
      <path d={mean(points) ?? ""} fill="none" stroke="var(--fine-0)" strokeWidth="1.5" />
      {end && (
        <text x={at(end) + 8} y={y(pa(end.mean)) + 4} fontSize="12" fontWeight="600">
          {quantity(end.mean, "vacuum", system)}
        </text>
      )}
    </svg>
  );
}

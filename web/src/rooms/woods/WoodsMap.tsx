import { useId, useMemo, useState } from "react";
import { useSystem } from "../../app/session";
import { SHORTFALL, stateOf } from "../../drawing/scales";
import { Button } from "../../kit";
import type { Shapes } from "../../lib/api";
import { number, quantity } from "../../lib/units";
import { useView } from "./view";

type Points = number[][];

/** East to the right, north up; y grows downwards in SVG. */
function path(points: Points): string {
  return points.map(([x, y], i) => `${i ? "L" : "M"}${x},${-(y ?? 0)}`).join("");
}

function extent(lines: Points[], margin: number): [number, number, number, number] {
  const xs = lines.flatMap((line) => line.map(([x]) => x ?? 0));
  const ys = lines.flatMap((line) => line.map(([, y]) => -(y ?? 0)));
  const [x0, x1] = [Math.min(...xs) - margin, Math.max(...xs) + margin];
  const [y0, y1] = [Math.min(...ys) - margin, Math.max(...ys) + margin];
  return [x0, y0, x1 - x0, y1 - y0];
}

/** The bush from above: each mainline drawn by its shortfall, in colour, width and word. */
export function WoodsMap(props: {
  map: Shapes["MapOut"];
  mains: Shapes["MainOut"][];
  bushes: Shapes["BushOut"][];
  chosen: string | undefined;
  onChoose: (main: string) => void;
}) {
  const { map, chosen } = props;
  const system = useSystem();
  const state = useMemo(() => new Map(props.mains.map((main) => [main.main, main])), [props.mains]);
  const still = useMemo(
    () => ({
      box: extent(
        map.laterals.map((lateral) => lateral.points),
        100,
      ),
      contours: map.contours.map((contour) => path(contour.points)).join(""),
      laterals: map.laterals.map((lateral) => path(lateral.points)).join(""),
      conductors: map.lines
        .filter((line) => line.kind === "conductor")
        .map((line) => path(line.points))
        .join(""),
      mains: groupMains(map.lines),
    }),
    [map],
  );
  const view = useView(still.box);
  const [found, setFound] = useState<string | null>(null);
  if (map.lines.length === 0) return null;
  const drawn = [...still.mains].sort(([a], [b]) => rank(state.get(a)) - rank(state.get(b)));
  // letters keep their size on the screen however near one is
  const near = view.near;
  const find = (tag: string) => {
    const name = tag.trim().toUpperCase();
    const point = map.points.find((one) => one.tag.toUpperCase() === name || one.sensor?.toUpperCase() === name);
    const main = still.mains.find(([one]) => one.toUpperCase() === name);
    if (main) {
      props.onChoose(main[0]);
      const half = main[1][Math.floor(main[1].length / 2)] ?? [0, 0];
      view.goTo(half[0] ?? 0, -(half[1] ?? 0), 3);
    } else if (point) {
      view.goTo(point.x, -point.y, 6);
    }
    setFound(main || point ? (point?.tag ?? null) : "");
  };
  return (
    <div className="relative flex min-h-72 flex-1 flex-col">
      <Finder
        tags={[...state.keys(), ...map.points.map((point) => point.sensor ?? point.tag)]}
        missing={found === ""}
        onFind={find}
      />
      {/* biome-ignore lint/a11y/useSemanticElements: a drawing that moves by key is no fieldset */}
      <div
        role="group"
        // biome-ignore lint/a11y/noNoninteractiveTabindex: the arrows need the focus somewhere
        tabIndex={0}
        aria-label="Map: plus and minus zoom, arrows move, 0 shows all"
        className="flex min-h-0 flex-1"
        onKeyDown={view.keys}
      >
        <svg
          ref={view.svg}
          {...view.pointers}
          viewBox={view.box.join(" ")}
          className="min-h-72 w-full flex-1 touch-none"
          aria-label="Map of the lines; the table beside it says the same"
        >
          <path d={still.contours} fill="none" stroke="var(--contour)" strokeWidth={1.6 / near ** 0.7} />
          <path d={still.laterals} fill="none" stroke="var(--straw)" strokeWidth={1.6 / near ** 0.7} opacity="0.75" />
          <path
            d={still.conductors}
            fill="none"
            stroke="var(--ink)"
            strokeWidth={7 / near ** 0.7}
            strokeLinecap="round"
          />
          <path d={still.conductors} fill="none" stroke="var(--paper)" strokeWidth={2.5 / near ** 0.7} />
          {drawn.map(([name, line]) => {
            const main = state.get(name);
            const look = SHORTFALL[stateOf(main?.state ?? "silent")];
            const d = path(line);
            return (
              // biome-ignore lint/a11y/noStaticElementInteractions: the table beside it holds a button for every line
              <g key={name} onClick={() => props.onChoose(name)} className="cursor-pointer">
                <title>{`${name}: ${look.word}`}</title>
                {name === chosen && (
                  <path d={d} fill="none" stroke="var(--amber)" strokeWidth={20 / near ** 0.7} opacity="0.35" />
                )}
                <path d={d} stroke="transparent" strokeWidth="22" fill="none" />
                <path
                  d={d}
                  fill="none"
                  stroke={look.colour}
                  strokeWidth={(look.width * 2.4) / near ** 0.7}
                  strokeDasharray={look.dash ? "9 11" : undefined}
                  strokeLinejoin="round"
                />
              </g>
            );
          })}
          {drawn.map(([name, line]) => {
            const main = state.get(name);
            const [ex, ey] = line.at(-1) ?? [0, 0];
            const [px, py] = line.at(0) ?? [0, 0];
            const [dx, dy] = [(ex ?? 0) - (px ?? 0), (ey ?? 0) - (py ?? 0)];
            const loud = main && (main.money_s > 0 || name === chosen);
            if (near > 1.8 && !loud) return null; // the gauge at its end says its name
            // beside the end of a line that lies, above or below the end of one that stands
            const place =
              Math.abs(dy) > 1.2 * Math.abs(dx)
                ? { x: 0, y: dy > 0 ? (loud ? -36 : -10) : loud ? 62 : 30, anchor: "middle" as const }
                : { x: dx < 0 ? -10 : 10, y: 8, anchor: dx < 0 ? ("end" as const) : ("start" as const) };
            return (
              <text
                key={name}
                x={(ex ?? 0) + place.x}
                y={-(ey ?? 0) + place.y}
                textAnchor={place.anchor}
                fontSize={(loud ? 36 : 25) / near ** 0.8}
                fontWeight={loud ? 600 : 400}
                className={loud ? "text-ink" : "text-soft"}
                pointerEvents="none"
                paintOrder="stroke"
                stroke="var(--paper)"
                strokeWidth="5"
              >
                {name}
                {main && main.money_s > 0 && ` ${number(-main.shortfall_pa, "vacuum", system)}`}
              </text>
            );
          })}
          {map.points
            .filter((point) => point.kind === "pump")
            .map((pump) => {
              const bush = props.bushes.find((one) => one.slug === pump.bush);
              return (
                <g key={pump.tag} transform={`translate(${pump.x} ${-pump.y})`}>
                  <circle r="13" fill="var(--paper)" stroke="var(--ink)" strokeWidth="5" />
                  <circle r="4" fill="var(--ink)" />
                  <text
                    y="56"
                    x={pump.x < 0 ? 14 : -14}
                    textAnchor={pump.x < 0 ? "end" : "start"}
                    fontSize={32 / near ** 0.8}
                    fontWeight="600"
                    paintOrder="stroke"
                    stroke="var(--paper)"
                    strokeWidth="6"
                  >
                    {bush?.name}
                    {bush?.pump?.vacuum_pa != null && ` ${quantity(bush.pump.vacuum_pa, "vacuum", system)}`}
                  </text>
                </g>
              );
            })}
          {near > 1.8 &&
            map.points
              .filter((point) => point.kind !== "pump")
              .map((point) => (
                <g key={point.tag} transform={`translate(${point.x} ${-point.y}) scale(${1 / near ** 0.8})`}>
                  {point.kind === "valve" ? (
                    <path d="M-14-12L14 12V-12L-14 12Z" fill="var(--paper)" stroke="var(--ink)" strokeWidth="4" />
                  ) : (
                    <circle r="10" fill="var(--paper)" stroke="var(--fine-0)" strokeWidth="5" />
                  )}
                  {point.tag === found && <circle r="26" fill="none" stroke="var(--amber)" strokeWidth="6" />}
                  <text
                    y="42"
                    fontSize="24"
                    textAnchor="middle"
                    paintOrder="stroke"
                    stroke="var(--paper)"
                    strokeWidth="5"
                  >
                    {point.sensor ?? point.tag}
                  </text>
                </g>
              ))}
          {near > 3 &&
            map.laterals.map((lateral) => {
              const [lx, ly] = lateral.points.at(-1) ?? [0, 0];
              return (
                <text key={`${lx} ${ly}`} x={lx} y={-(ly ?? 0)} fontSize={22 / near ** 0.8} className="text-soft">
                  {lateral.taps}
                </text>
              );
            })}
        </svg>
      </div>
      <div className="absolute right-0 bottom-1 flex gap-1 text-label *:bg-paper">
        <Button onClick={() => view.zoom(1.6)} aria-label="Nearer">
          +
        </Button>
        <Button onClick={() => view.zoom(1 / 1.6)} aria-label="Farther">
          −
        </Button>
        {near > 1.01 && <Button onClick={view.all}>All</Button>}
      </div>
    </div>
  );
}

/** Find a line, a gauge or a valve by its tag. */
function Finder({ tags, missing, onFind }: { tags: string[]; missing: boolean; onFind: (tag: string) => void }) {
  const id = useId();
  const [typed, setTyped] = useState("");
  return (
    <form
      className="absolute top-0 left-0 z-10 flex items-baseline gap-2 text-label"
      onSubmit={(event) => {
        event.preventDefault();
        onFind(typed);
      }}
    >
      <label htmlFor={id} className="text-soft">
        find
      </label>
      <input
        id={id}
        list={`${id}-tags`}
        value={typed}
        placeholder="tag"
        autoComplete="off"
        onChange={(event) => {
          setTyped(event.target.value);
          if (tags.includes(event.target.value)) onFind(event.target.value);
        }}
        className="w-24 border-b border-rule bg-transparent [&::-webkit-calendar-picker-indicator]:!hidden"
      />
      <datalist id={`${id}-tags`}>
        {tags.map((tag) => (
          <option key={tag} value={tag} />
        ))}
      </datalist>
      {missing && (
        <span role="alert" className="font-semibold text-act">
          no line, gauge or valve “{typed}”
        </span>
      )}
    </form>
  );
}

function rank(main: Shapes["MainOut"] | undefined): number {
  return ["silent", "holding", "slipping", "losing"].indexOf(main?.state ?? "silent");
}

/** The pieces of each mainline strung together from the pump outwards. */
function groupMains(lines: Shapes["MapLine"][]): [string, Points][] {
  const found = new Map<string, Points>();
  for (const line of lines) {
    if (line.kind !== "mainline") continue;
    const points = found.get(line.main) ?? [];
    points.push(...(points.length ? line.points.slice(1) : line.points));
    found.set(line.main, points);
  }
  return [...found];
}

import { Link } from "react-router";
import { sugarColour } from "../drawing/scales";
import type { Shapes } from "../lib/api";
import { money, number, quantity, unitOf } from "../lib/units";
import { useHere, useSystem } from "./session";

type Facts = Shapes["LineOut"];
type Station = { name: string; room: string; figure: string; unit: string; word: string; alarm?: boolean };

/** The Line: the way around. Sap flows from the woods to the barrels; each station is the door to its room. */
export function Line({ facts, room }: { facts: Facts | undefined; room: string }) {
  const { operation } = useHere();
  const stations = useStations(facts);
  const flow = facts?.woods.sap_m3_s ?? 0;
  // a pipe as wide as what flows in it: sap full, concentrate a part of it, syrup a thread
  const full = flow > 0 ? 13 : 5;
  const concentrate = facts?.membrane.running ? 8 : 4;
  const pieces = [
    { x1: 0, x2: 300, width: full, brix: facts?.sap?.brix ?? 2, moving: flow > 1e-6 },
    { x1: 300, x2: 500, width: full, brix: facts?.sap?.brix ?? 2, moving: facts?.membrane.running ?? false },
    {
      x1: 500,
      x2: 700,
      width: concentrate,
      brix: facts?.membrane.head_brix ?? 8,
      moving: facts?.pans.boiling ?? false,
    },
    { x1: 700, x2: 1000, width: 3.5, brix: 66.9, moving: facts?.pans.boiling ?? false },
  ];
  return (
    <nav aria-label="The line from woods to barrels" className="relative px-4 pb-1 pt-1">
      <svg
        viewBox="0 0 1000 20"
        preserveAspectRatio="none"
        className="absolute inset-x-0 top-[3.1rem] h-5 w-full max-sm:hidden"
        aria-hidden="true"
      >
        {pieces.map((piece) => (
          <g key={piece.x1}>
            <line
              x1={piece.x1}
              x2={piece.x2}
              y1="10"
              y2="10"
              stroke={sugarColour(piece.brix)}
              strokeWidth={piece.width}
            />
            {piece.moving && (
              <line
                x1={piece.x1}
                x2={piece.x2}
                y1="10"
                y2="10"
                stroke="var(--paper)"
                strokeOpacity="0.55"
                strokeWidth="1.5"
                strokeDasharray="6 22"
                className="flowing"
              />
            )}
          </g>
        ))}
      </svg>
      <ol className="grid grid-cols-5 gap-x-1">
        {stations.map((station) => {
          const here = station.room === room;
          return (
            <li key={station.name} className="min-w-0">
              <Link
                to={`/${operation.slug}/${station.room}`}
                aria-current={here ? "page" : undefined}
                className="group block text-center"
              >
                <span className="block h-[2.9rem] leading-tight max-sm:h-auto">
                  <span className="block text-figure font-semibold max-sm:text-body">
                    {station.figure}
                    <span className="ml-1 text-label font-normal text-soft max-sm:hidden">{station.unit}</span>
                  </span>
                  <span
                    className={`block truncate text-label max-sm:hidden ${station.alarm ? "font-semibold text-act" : "text-soft"}`}
                  >
                    {station.word}
                  </span>
                </span>
                <span className="relative mx-auto my-0.5 flex h-5 items-center justify-center max-sm:hidden">
                  <span
                    className={`block h-4 w-4 rounded-full border-[3px] bg-paper ${here ? "border-amber" : "border-ink"}`}
                  />
                </span>
                <span
                  className={`block text-label group-hover:text-ink ${here ? "font-semibold text-ink underline decoration-amber decoration-2 underline-offset-4" : "text-soft"}`}
                >
                  {station.name}
                </span>
              </Link>
            </li>
          );
        })}
      </ol>
    </nav>
  );
}

function useStations(facts: Facts | undefined): Station[] {
  const system = useSystem();
  const { operation } = useHere();
  const blank = { figure: "·", unit: "", word: "" };
  if (!facts) {
    return ["Woods", "Sap tank", "Membrane", "Pans", "Barrels"].map((name, i) => ({
      name,
      room: ["woods", "tonight", "boil/membrane", "boil", "barrels"][i] ?? "woods",
      ...blank,
    }));
  }
  const { woods, sap, membrane, pans, barrels } = facts;
  const losing = woods.money_lost_s * 3600;
  return [
    {
      name: "Woods",
      room: "woods",
      figure: number(woods.sap_m3_s, "flow", system),
      unit: unitOf("flow", system),
      word: woods.losing ? `${woods.losing} losing ${money(losing, operation.currency, 0)}/h` : "all lines as usual",
      alarm: woods.losing > 0,
    },
    {
      name: "Sap tank",
      room: "tonight",
      figure: sap?.volume_m3 != null ? number(sap.volume_m3, "volume", system) : "none",
      unit: unitOf("volume", system),
      word:
        sap?.volume_m3 != null
          ? `${sap.stale ? "stale, " : ""}${Math.round((100 * sap.volume_m3) / sap.capacity_m3)} % full${sap.brix ? ` at ${sap.brix.toFixed(1)} °Bx` : ""}`
          : "no level",
    },
    {
      name: "Membrane",
      room: "boil/membrane",
      figure: membrane.running
        ? number(membrane.permeate_m3_s ?? 0, "flow", system)
        : membrane.known
          ? "resting"
          : "none",
      unit: membrane.running ? `${unitOf("flow", system)} permeate` : "",
      word: membrane.head_m3 != null ? `${quantity(membrane.head_m3, "volume", system)} at the head` : "",
    },
    {
      name: "Pans",
      room: "boil",
      figure: pans.boiling ? number(pans.pan_c ?? 0, "temperature", system) : number(pans.set_c, "temperature", system),
      unit: unitOf("temperature", system),
      word: pans.boiling ? (pans.run ? `boiling, run ${pans.run}` : "boiling") : "draw-off today",
    },
    {
      name: "Barrels",
      room: "barrels",
      figure: number(barrels.syrup_m3, "volume", system),
      unit: unitOf("volume", system),
      word: "syrup this season",
    },
  ];
}

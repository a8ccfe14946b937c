import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { Link } from "react-router";
import { useHere, useSystem } from "../../app/session";
import { Empty } from "../../kit";
import { api, type Shapes, take } from "../../lib/api";
import { day } from "../../lib/time";
import { figure, money, number, quantity, unitOf } from "../../lib/units";
import { Health } from "./Health";
import { Springs } from "./Springs";

export type SeasonFacts = Shapes["SeasonOut"];
export type Year = Shapes["YearFigures"];

/** How is the year going, against others? */
export default function Season() {
  const { operation } = useHere();
  const { data } = useQuery({
    queryKey: ["season", operation.slug],
    queryFn: () =>
      take(api.GET("/api/v1/operations/{operation}/season", { params: { path: { operation: operation.slug } } })),
  });
  const [picked, setPicked] = useState<number | null>(null);
  if (!data) return null;
  const year = data.years.find((one) => one.year === picked) ?? data.years[0];
  if (!year)
    return (
      <Empty title="No closed runs yet">
        Runs and years are compared here once a run is closed, or when earlier years are{" "}
        <Link className="underline" to={`/${operation.slug}/ledger/import`}>
          taken over from your own book
        </Link>
        .
      </Empty>
    );
  return (
    <div className="grid min-h-0 flex-1 gap-x-8 overflow-auto px-4 pb-3 lg:grid-cols-[minmax(0,1fr)_24rem]">
      <section aria-label="Years" className="flex min-w-0 flex-col gap-2">
        <Verdict facts={data} year={year} />
        <Springs facts={data} chosen={year.year} onPick={setPicked} />
        <Years facts={data} chosen={year.year} onPick={setPicked} />
      </section>
      <section aria-label={`Runs of ${year.year}`} className="min-w-0 space-y-4 border-rule lg:border-l lg:pl-5">
        <Runs facts={data} year={year} />
        <Health facts={data} />
        <End facts={data} />
      </section>
    </div>
  );
}

/** The year against the mean of the others on the same day. */
function Verdict({ facts, year }: { facts: SeasonFacts; year: Year }) {
  const system = useSystem();
  const until = (one: number) =>
    facts.runs
      .filter((run) => run.year === one && run.day <= year.last_day)
      .reduce((sum, run) => sum + run.syrup_m3, 0);
  const others = facts.years.filter((one) => one.year !== year.year && one.taps > 0);
  const mine = year.taps ? until(year.year) / year.taps : 0;
  const usual = others.reduce((sum, one) => sum + until(one.year) / one.taps, 0) / Math.max(others.length, 1);
  const off = usual > 0 ? (100 * (mine - usual)) / usual : null;
  return (
    <div>
      <h1 className="text-answer font-semibold leading-tight">
        {quantity(year.syrup_m3, "volume", system, 0)} in {year.runs} runs
        <span className="text-figure font-normal text-soft">
          {year.syrup_per_tap_m3 != null &&
            `, ${number(year.syrup_per_tap_m3, "smallVolume", system, 3)} ${unitOf("smallVolume", system)} a tap`}
        </span>
      </h1>
      {off !== null && others.length > 0 && (
        <p>
          {figure(Math.abs(off), 0)} % {off >= 0 ? "above" : "below"} the mean of the other years by this day, tap for
          tap.
        </p>
      )}
    </div>
  );
}

function Years({ facts, chosen, onPick }: { facts: SeasonFacts; chosen: number; onPick: (year: number) => void }) {
  const { operation } = useHere();
  const system = useSystem();
  const perVolume = system === "us" ? 3.785411784e-3 : 1e-3;
  const small = unitOf("smallVolume", system);
  return (
    <div className="overflow-auto">
      <table className="w-full border-collapse text-right font-mono text-label [&_td]:pl-3 [&_th]:pl-3 [&_th:first-child]:pl-0">
        <caption className="sr-only">Years compared</caption>
        <thead className="font-sans text-soft">
          <tr className="*:font-normal">
            <th className="text-left">year</th>
            <th>runs</th>
            <th>taps</th>
            <th>sap, °Bx</th>
            <th>syrup, {unitOf("volume", system)}</th>
            <th>a tap, {small}</th>
            <th>
              {facts.fuel_unit} a {system === "us" ? "gal" : "L"}
            </th>
            <th>hours</th>
            <th>leaks</th>
            <th>they cost</th>
            <th>worth</th>
            <th>sold</th>
          </tr>
        </thead>
        <tbody>
          {facts.years.map((year) => (
            <tr
              key={year.year}
              className={`border-t border-rule ${year.year === chosen ? "bg-sheet font-semibold" : ""}`}
            >
              <th className="py-0.5 text-left">
                <button type="button" className="underline-offset-2 hover:underline" onClick={() => onPick(year.year)}>
                  {year.year}
                </button>
              </th>
              <td>{year.runs}</td>
              <td>{year.taps ? year.taps.toLocaleString("en-US") : ""}</td>
              <td>{year.sap_brix == null ? "" : figure(year.sap_brix, 2)}</td>
              <td>{number(year.syrup_m3, "volume", system, 0)}</td>
              <td>{year.syrup_per_tap_m3 == null ? "" : number(year.syrup_per_tap_m3, "smallVolume", system, 3)}</td>
              <td>{year.fuel_per_syrup == null ? "" : figure(year.fuel_per_syrup * perVolume, 3)}</td>
              <td>{figure(year.hours, 0)}</td>
              <td>
                {year.leaks ? (
                  <Link className="underline" to={`/${operation.slug}/hunt/${year.leak_cases.at(-1)}`}>
                    {year.leaks}
                  </Link>
                ) : (
                  ""
                )}
              </td>
              <td>{year.leaks_cost ? money(year.leaks_cost, operation.currency, 0) : ""}</td>
              <td>{year.worth ? money(year.worth, operation.currency, 0) : ""}</td>
              <td>{year.sold ? money(year.sold, operation.currency, 0) : ""}</td>
            </tr>
          ))}
        </tbody>
      </table>
    </div>
  );
}

function Runs({ facts, year }: { facts: SeasonFacts; year: Year }) {
  const { operation } = useHere();
  const system = useSystem();
  const perVolume = system === "us" ? 3.785411784e-3 : 1e-3;
  const runs = facts.runs.filter((run) => run.year === year.year);
  return (
    <div>
      <h2 className="font-semibold">The runs of {year.year}</h2>
      <div className="max-h-72 overflow-auto">
        <table className="w-full text-right font-mono text-label">
          <thead className="sticky top-0 bg-paper font-sans text-soft">
            <tr className="*:font-normal">
              <th className="text-left">run</th>
              <th>°Bx</th>
              <th>syrup, {unitOf("volume", system)}</th>
              <th>
                {facts.fuel_unit} a {system === "us" ? "gal" : "L"}
              </th>
              <th>h</th>
            </tr>
          </thead>
          <tbody>
            {[...runs].reverse().map((run) => (
              <tr key={run.number} className="border-t border-rule">
                <th className="text-left font-sans font-normal">
                  <Link className="underline-offset-2 hover:underline" to={`/${operation.slug}/ledger/${run.number}`}>
                    <b>{run.number}</b> <span className="text-soft">{day(run.started_at, operation.zone)}</span>
                  </Link>
                </th>
                <td>{run.sap_brix == null ? "" : figure(run.sap_brix, 1)}</td>
                <td>{number(run.syrup_m3, "volume", system, 0)}</td>
                <td>{run.fuel_per_syrup == null ? "" : figure(run.fuel_per_syrup * perVolume, 2)}</td>
                <td>{run.hours == null ? "" : figure(run.hours, 1)}</td>
              </tr>
            ))}
          </tbody>
        </table>
      </div>
    </div>
  );
}

/** Is it over? The signs with their evidence; the limits are conventions. */
function End({ facts }: { facts: SeasonFacts }) {
  const { end } = facts;
  if (!end) return null;
  const title = { running: "The season runs on", "near its end": "The season nears its end", over: "It is over" }[
    end.state
  ];
  return (
    <div>
      <h2 className="font-semibold">{title ?? end.state}</h2>
      <ul className="text-label">
        {end.signs.map((sign) => (
          <li
            key={sign.name}
            className={`flex justify-between border-t border-rule ${sign.speaks ? "font-semibold" : ""}`}
          >
            <span>{sign.name}</span>
            <span>
              {figure(sign.value, sign.name.startsWith("Brix") ? 2 : 0)}{" "}
              <span className="font-normal text-soft">
                speaks at {figure(sign.limit, sign.name.startsWith("Brix") ? 2 : 0)}
              </span>
            </span>
          </li>
        ))}
      </ul>
    </div>
  );
}

import { useQuery } from "@tanstack/react-query";
import { useHere, useSystem } from "../../app/session";
import { api, take } from "../../lib/api";
import { clock, date, day } from "../../lib/time";
import { figure, number, unitOf } from "../../lib/units";
import { Suspicion, Taught } from "./Findings";
import type { Run } from "./run";
import { SugarFlow } from "./SugarFlow";

/** A closed run: its sugar, and what it took beside what was planned. */
export function ClosedRun({ run }: { run: Run }) {
  const { operation } = useHere();
  const system = useSystem();
  const path = { operation: operation.slug, number: run.number };
  const balance = useQuery({
    queryKey: ["balance", operation.slug, run.number],
    queryFn: async () => {
      const measures = await take(
        api.GET("/api/v1/operations/{operation}/runs/{number}/measures", { params: { path } }),
      );
      return take(
        api.POST("/api/v1/operations/{operation}/runs/{number}/balance", { params: { path }, body: { measures } }),
      );
    },
    staleTime: Number.POSITIVE_INFINITY,
  });
  const closing = run.closing;
  if (!closing) return <Taken run={run} />;
  const off = 100 * (1 - closing.closure);
  return (
    <div className="flex h-full flex-col">
      <h1 className="text-answer font-semibold leading-tight">
        {off >= 0
          ? `${figure(off, 1)} % of the sugar is not accounted for`
          : `${figure(-off, 1)} % more sugar out than in`}
      </h1>
      <p>
        {closing.explained ? (
          <>
            That is within what the measurements can explain (± {figure((200 * closing.sd_kg) / closing.sugar_in_kg, 1)}{" "}
            %). The least certain of them: {closing.largest}.
          </>
        ) : (
          <b className="text-act">
            More than measurement explains. Look at {closing.largest} first, then for a leak or an overfull draw.
          </b>
        )}
      </p>
      {balance.data && (
        <SugarFlow
          lines={balance.data.lines}
          unaccounted={closing.unaccounted_kg}
          sd={closing.sd_kg}
          explained={closing.explained}
          height={330}
        />
      )}
      <Suspicion closing={closing} />
      <div className="mt-auto grid gap-x-8 pt-2 sm:grid-cols-3">
        <Comparison run={run} />
        <Taught number={run.number} />
        <div className="text-label">
          <p className="text-body">
            Run {run.number}, {day(run.started_at, operation.zone)} {clock(run.started_at, operation.zone)} to{" "}
            {run.closed_at && clock(run.closed_at, operation.zone)}
          </p>
          <p className="text-soft">
            {run.draws} draws over {run.taps.toLocaleString("en-US")} taps
            {run.syrup_per_tap_m3 != null && (
              <>
                : {number(run.syrup_per_tap_m3, "smallVolume", system, 3)} {unitOf("smallVolume", system)} a tap
              </>
            )}
            {run.fuel_per_syrup != null && (
              <>
                , {figure(run.fuel_per_syrup * (system === "us" ? 3.785411784e-3 : 1e-3), 3)} {run.fuel_unit} of fuel a{" "}
                {system === "us" ? "gallon" : "litre"}
              </>
            )}
          </p>
          <p className="mt-1">
            <a className="underline" href={`/api/v1/operations/${operation.slug}/runs/${run.number}/export.csv`}>
              the run as CSV
            </a>{" "}
            <a
              className="ml-3 underline"
              href={`/api/v1/operations/${operation.slug}/runs/${run.number}/export.json`}
              download={`${operation.slug}-run-${run.number}.json`}
            >
              as JSON
            </a>{" "}
            <a className="ml-3 underline" href={`/api/v1/operations/${operation.slug}/runs/${run.number}/export.xlsx`}>
              as a workbook
            </a>{" "}
            <a className="ml-3 underline" href={`/api/v1/operations/${operation.slug}/runs/${run.number}/sheet.pdf`}>
              run sheet, PDF
            </a>
          </p>
        </div>
      </div>
    </div>
  );
}

/** A run taken over from an earlier year: only its sums are known. */
function Taken({ run }: { run: Run }) {
  const { operation } = useHere();
  const system = useSystem();
  return (
    <div>
      <h1 className="text-answer font-semibold leading-tight">
        {number(run.syrup_m3, "volume", system)} {unitOf("volume", system)} of syrup
      </h1>
      <p>
        {date(run.started_at, operation.zone)}, taken over from your own book.
        {run.sap_m3 != null && ` From ${number(run.sap_m3, "volume", system)} ${unitOf("volume", system)} of sap`}
        {run.sap_brix != null && ` at ${figure(run.sap_brix, 1)} °Bx`}.
      </p>
      <p className="text-soft">Its sugar cannot be balanced: only the sums are known.</p>
    </div>
  );
}

function Comparison({ run }: { run: Run }) {
  const system = useSystem();
  const rows: [string, string, string][] = [
    [
      `syrup, ${unitOf("volume", system)}`,
      run.planned?.syrup_m3 != null ? number(run.planned.syrup_m3, "volume", system) : "",
      number(run.syrup_m3, "volume", system),
    ],
    [
      `fuel, ${run.fuel_unit}`,
      run.planned?.fuel != null ? figure(run.planned.fuel, run.planned.fuel < 20 ? 2 : 0) : "",
      run.fuel != null ? figure(run.fuel, run.fuel < 20 ? 2 : 0) : "not entered",
    ],
    ["hours", run.planned?.hours != null ? figure(run.planned.hours, 1) : "", figure(run.hours, 1)],
    [
      "work, h",
      run.planned?.labour_h != null ? figure(run.planned.labour_h, 1) : "",
      run.labour_h != null ? figure(run.labour_h, 1) : "not entered",
    ],
  ];
  return (
    <table className="w-full border-collapse font-mono text-label">
      <caption className="sr-only">Plan beside actual</caption>
      <thead className="font-sans text-soft">
        <tr className="*:text-right *:font-normal">
          <td />
          <th>planned</th>
          <th>was</th>
        </tr>
      </thead>
      <tbody>
        {rows.map(([name, planned, actual]) => (
          <tr key={name} className="border-t border-rule">
            <th className="text-left font-sans font-normal">{name}</th>
            <td className="text-right text-soft">{planned}</td>
            <td className="text-right font-semibold">{actual}</td>
          </tr>
        ))}
      </tbody>
    </table>
  );
}

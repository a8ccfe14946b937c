import { useQuery } from "@tanstack/react-query";
import { Link, useParams } from "react-router";
import { useHere, useSystem } from "../../app/session";
import { Empty } from "../../kit";
import { api, take } from "../../lib/api";
import { date, day } from "../../lib/time";
import { figure, number, quantity, unitOf } from "../../lib/units";
import { ClosedRun } from "./ClosedRun";
import { Closing } from "./Closing";
import { PastRuns } from "./PastRuns";
import type { Run } from "./run";

/** Where did the sugar go? */
export default function Ledger() {
  const { operation } = useHere();
  const { number: asked } = useParams();
  const runs = useQuery({
    queryKey: ["runs", operation.slug],
    queryFn: () =>
      take(api.GET("/api/v1/operations/{operation}/runs", { params: { path: { operation: operation.slug } } })),
  });
  if (!runs.data) return null;
  if (asked === "import")
    return (
      <div className="min-h-0 flex-1 overflow-auto px-4 pb-3">
        <PastRuns />
      </div>
    );
  if (runs.data.length === 0) {
    return (
      <Empty title="No runs yet">
        A run's sugar, from sap to barrel, is balanced here when it is closed. Start one in{" "}
        <Link className="underline" to={`/${operation.slug}/boil`}>
          Boil
        </Link>
        , or{" "}
        <Link className="underline" to={`/${operation.slug}/ledger/import`}>
          take over earlier years
        </Link>
        .
      </Empty>
    );
  }
  const run = runs.data.find((one) => String(one.number) === asked) ?? runs.data[0];
  if (!run) return null;
  return (
    <div className="grid min-h-0 flex-1 gap-x-8 px-4 pb-3 lg:grid-cols-[minmax(0,1fr)_19rem]">
      <section aria-label={`Run ${run.number}`} className="min-w-0">
        {run.closed_at ? <ClosedRun run={run} key={run.number} /> : <Closing run={run} key={run.number} />}
      </section>
      <RunList runs={runs.data} chosen={run.number} />
    </div>
  );
}

function RunList({ runs, chosen }: { runs: Run[]; chosen: number }) {
  const { operation } = useHere();
  const system = useSystem();
  const closed = runs.filter((run) => run.closed_at);
  const year = runs[0]?.started_at.slice(0, 4);
  const mine = closed.filter((run) => run.started_at.startsWith(year ?? ""));
  const syrup = mine.reduce((sum, run) => sum + run.syrup_m3, 0);
  return (
    <section aria-label="Runs" className="flex min-h-0 flex-col border-rule max-lg:order-2 lg:border-l lg:pl-5">
      <h2 className="font-semibold">
        {mine.length} runs, {quantity(syrup, "volume", system)} of syrup
      </h2>
      <p className="text-label">
        <Link className="underline" to={`/${operation.slug}/ledger/import`}>
          take over earlier years
        </Link>
      </p>
      <div className="min-h-0 flex-1 overflow-auto">
        <table className="w-full border-collapse text-label">
          <thead className="sticky top-0 bg-paper text-soft">
            <tr className="*:text-right *:font-normal">
              <th className="!text-left">run</th>
              <th>to</th>
              <th>{unitOf("volume", system)}</th>
              <th>missing</th>
            </tr>
          </thead>
          <tbody className="font-mono">
            {runs.map((run) => (
              <tr
                key={run.number}
                className={`border-t border-rule ${run.number === chosen ? "bg-sheet shadow-[inset_3px_0_0_var(--amber)]" : ""}`}
              >
                <td className="py-0.5 pl-1.5 font-sans">
                  <Link
                    to={`/${operation.slug}/ledger/${run.number}`}
                    aria-current={run.number === chosen ? "true" : undefined}
                    className="underline-offset-2 hover:underline"
                  >
                    <b>{run.number}</b>{" "}
                    <span className="text-soft">
                      {run.started_at.slice(0, 4) === year
                        ? day(run.started_at, operation.zone)
                        : date(run.started_at, operation.zone)}
                    </span>
                  </Link>
                </td>
                <td className="text-right">{run.target_brix ? figure(run.target_brix, 0) : ""}</td>
                <td className="text-right">{number(run.syrup_m3, "volume", system)}</td>
                <td className={`text-right ${run.closing && !run.closing.explained ? "font-semibold text-act" : ""}`}>
                  {run.closing ? `${figure(100 * (1 - run.closing.closure), 1)} %` : run.closed_at ? "" : "open"}
                </td>
              </tr>
            ))}
          </tbody>
        </table>
      </div>
    </section>
  );
}

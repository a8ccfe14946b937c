import { useQuery } from "@tanstack/react-query";
import { scaleLinear } from "d3-scale";
import { line } from "d3-shape";
import { useState } from "react";
import { useHere, useMayWrite, useSystem } from "../../app/session";
import { sugarColour } from "../../drawing/scales";
import { Button } from "../../kit";
import { api, type Shapes, take } from "../../lib/api";
import { clock } from "../../lib/time";
import { figure, money, quantity } from "../../lib/units";
import { type BoilFacts, useBoilAction } from "./action";

const WIDTH = 400;
const HEIGHT = 150;
const PAD = { left: 8, right: 74, top: 14, bottom: 20 };

/** Syrup as promised and as drawn, on one clock; and a new plan from where things stand. */
export function PlanAndActual({ facts, run, now }: { facts: BoilFacts; run: Shapes["OpenRun"]; now: number | null }) {
  const { operation } = useHere();
  const system = useSystem();
  const mayWrite = useMayWrite();
  const [asking, setAsking] = useState(false);
  const started = new Date(run.started_at).getTime();
  const trace = run.plan?.syrup_trace ?? [];
  const step = run.plan?.trace_min ?? 10;
  let sum = 0;
  const drawn = facts.draws.map((draw) => {
    sum += draw.volume_m3;
    return { minute: (new Date(draw.at).getTime() - started) / 60_000, total: sum };
  });
  const here = now === null ? 0 : (now - started) / 60_000;
  const end = Math.max(trace.length * step, here, 60);
  const most = Math.max(trace.at(-1) ?? 0, sum, 1e-3) * 1.1;
  const x = scaleLinear([0, end], [PAD.left, WIDTH - PAD.right]);
  const y = scaleLinear([0, most], [HEIGHT - PAD.bottom, PAD.top]);
  const promised = line<number>()
    .x((_, k) => x(k * step))
    .y((volume) => y(volume))(trace);
  const steps = drawn.map((one) => `H${x(one.minute)}V${y(one.total)}`).join("");
  return (
    <div>
      <svg
        viewBox={`0 0 ${WIDTH} ${HEIGHT}`}
        className="w-full"
        role="img"
        aria-label={`Syrup: ${quantity(sum, "volume", system)} drawn${
          facts.syrup_planned_m3 == null
            ? ""
            : `, ${quantity(facts.syrup_planned_m3, "volume", system)} promised by now`
        }`}
      >
        <line x1={PAD.left} x2={WIDTH - PAD.right} y1={y(0)} y2={y(0)} stroke="var(--rule)" />
        {promised && <path d={promised} fill="none" stroke="var(--soft)" strokeWidth="1.5" strokeDasharray="4 3" />}
        <path
          d={`M${x(0)} ${y(0)}${steps}H${x(Math.min(here, end))}`}
          fill="none"
          stroke={sugarColour(66.9)}
          strokeWidth="3"
        />
        {now !== null && (
          <line x1={x(here)} x2={x(here)} y1={PAD.top} y2={y(0)} stroke="var(--ink)" strokeWidth="0.8" />
        )}
        {trace.length > 0 && (
          <text x={WIDTH - PAD.right + 5} y={y(trace.at(-1) ?? 0) + 4} fontSize="12" className="text-soft">
            planned
          </text>
        )}
        <text
          x={Math.min(x(here) + 5, WIDTH - PAD.right + 5)}
          y={Math.min(y(sum) - 5, y(0) - 4)}
          fontSize="12"
          fontWeight="600"
        >
          drawn
        </text>
        <text x={PAD.left} y={HEIGHT - 4} fontSize="12" className="text-soft">
          {clock(started, operation.zone)}
        </text>
        <text x={WIDTH - PAD.right} y={HEIGHT - 4} fontSize="12" textAnchor="end" className="text-soft">
          {clock(started + end * 60_000, operation.zone)}
        </text>
      </svg>
      {mayWrite && !asking && (
        <button type="button" className="text-label underline" onClick={() => setAsking(true)}>
          Plan again from here
        </button>
      )}
      {asking && <Replan run={run} now={now} onDone={() => setAsking(false)} />}
    </div>
  );
}

function Replan({ run, now, onDone }: { run: Shapes["OpenRun"]; now: number | null; onDone: () => void }) {
  const { operation } = useHere();
  const system = useSystem();
  const path = { params: { path: { operation: operation.slug, number: run.number } } };
  const { data, error, isFetching } = useQuery({
    queryKey: ["replan", operation.slug, run.number],
    queryFn: () => take(api.GET("/api/v1/operations/{operation}/runs/{number}/replan", path)),
    staleTime: 0,
    gcTime: 0,
    retry: false,
  });
  const choose = useBoilAction(
    (target_brix: number) =>
      take(api.POST("/api/v1/operations/{operation}/runs/{number}/replan", { ...path, body: { target_brix } })),
    onDone,
  );
  const able = (data?.choices ?? []).filter((choice) => choice.limit === null);
  const best = data?.best == null ? undefined : data.choices[data.best];
  const perVolume = system === "us" ? 3.785411784e-3 : 1e-3;
  return (
    <div className="border-t-2 border-amber pt-1" aria-busy={isFetching}>
      {(error ?? choose.error) && (
        <p role="alert" className="font-semibold text-act">
          {(error ?? choose.error)?.message}
        </p>
      )}
      {data && able.length === 0 && <p>From here no target holds. Slow the fire, or let it go out and plan again.</p>}
      {able.length > 0 && (
        <table className="w-full text-right text-label">
          <caption className="text-left">From where things stand, with the fire lit:</caption>
          <tbody>
            {able.map((choice) => (
              <tr key={choice.target_brix} className={`border-t border-rule ${choice === best ? "font-semibold" : ""}`}>
                <th className="py-1 text-left font-[inherit]">
                  {choice.target_brix > 0 ? `${figure(choice.target_brix, 0)} °Bx` : "no membrane"}
                </th>
                <td>{now === null ? "" : clock(now + (choice.finish_min ?? 0) * 60_000, operation.zone)}</td>
                <td>{choice.cost_per_m3 == null ? "" : money(choice.cost_per_m3 * perVolume, operation.currency)}</td>
                <td>
                  <button
                    type="button"
                    className="underline"
                    disabled={choose.isPending}
                    onClick={() => choose.mutate(choice.target_brix)}
                  >
                    go by this
                  </button>
                </td>
              </tr>
            ))}
          </tbody>
        </table>
      )}
      <Button onClick={onDone}>Leave it</Button>
    </div>
  );
}

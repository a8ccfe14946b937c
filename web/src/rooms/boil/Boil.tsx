import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { Link } from "react-router";
import { useHere, useMayWrite, useSystem } from "../../app/session";
import { Button, Caution, Quantity, Unit } from "../../kit";
import { api, type Shapes, take } from "../../lib/api";
import { age, clock, span } from "../../lib/time";
import { figure, number, quantity, unitOf } from "../../lib/units";
import { type BoilFacts, useBoilAction } from "./action";
import { BoilingPoint } from "./BoilingPoint";
import { DrawForm } from "./DrawForm";
import { Log } from "./Log";

/** What now, beside the pan? Readable from three metres. */
export default function Boil() {
  const { operation } = useHere();
  const { data } = useQuery({
    queryKey: ["boil", operation.slug],
    queryFn: () =>
      take(api.GET("/api/v1/operations/{operation}/boil", { params: { path: { operation: operation.slug } } })),
    refetchInterval: 5_000,
  });
  if (!data) return null;
  return (
    <div className="grid min-h-0 flex-1 gap-x-8 px-4 pb-3 lg:grid-cols-[minmax(0,1fr)_25rem]">
      <section aria-label="Now" className="flex min-h-0 flex-col gap-3">
        <Next facts={data} />
        <div className="grid flex-1 content-evenly gap-x-8 gap-y-4 sm:grid-cols-2">
          <Drawoff facts={data} />
          <Concentrate facts={data} />
          <Syrup facts={data} />
          <PanOrFire facts={data} />
        </div>
        {data.run && <Keys facts={data} run={data.run} />}
        <Caution>
          Cut the fire first if the level falls. Boiling syrup sticks: arm's length at the draw-off. Blower off before
          the firebox door.
        </Caution>
      </section>
      <section aria-label="Log" className="flex min-h-0 flex-col border-rule lg:border-l lg:pl-5">
        {data.run ? <Log facts={data} run={data.run} /> : <Start />}
      </section>
    </div>
  );
}

function Next({ facts }: { facts: BoilFacts }) {
  const { key, minutes, urgent } = facts.next;
  const text: Record<string, string> = {
    start: "No run is open. Start one to log draws.",
    "concentrate-low": `Concentrate for ${span(minutes ?? 0)} only: slow the fire or speed the membrane`,
    "level-lost": `The head tank has not been read for ${span(minutes ?? 0)}: look at it`,
    fire: "Fire now",
    "boiling-point": "Boil water in the pan and enter what the thermometer shows",
    "cup-test": `Cup test: ${span(minutes ?? 0)} since the last draw`,
    "wait-fire": `Next firing in ${span(minutes ?? 0)}`,
    steady: minutes === null ? "Nothing due" : `Nothing due. Concentrate for ${span(minutes)}`,
  };
  return (
    <h1
      aria-live="polite"
      className={`py-1 text-answer font-semibold leading-tight ${urgent ? "bg-act px-3 text-paper" : ""}`}
    >
      {text[key] ?? key}
    </h1>
  );
}

function Huge({ label, children, below }: { label: string; children: React.ReactNode; below: React.ReactNode }) {
  return (
    <div>
      <p className="text-soft">{label}</p>
      <p className="huge">{children}</p>
      <p className="mt-1 text-soft">{below}</p>
    </div>
  );
}

function Drawoff({ facts }: { facts: BoilFacts }) {
  const system = useSystem();
  const { drawoff } = facts;
  const source = {
    measured: "by water boiled in the pan",
    barometer: `by the barometer, ${age(drawoff.barometer_age_s)}`,
    elevation: "by elevation alone",
  }[drawoff.source];
  return (
    <Huge
      label="draw off at"
      below={
        <>
          water boils at {quantity(drawoff.water_boiling_c, "temperature", system)} {source}
          {drawoff.uncertainty_k != null && (
            <>
              ; cup tests moved it {figure((drawoff.set_c - drawoff.first_c) * (system === "us" ? 1.8 : 1), 1)} ±{" "}
              {quantity(drawoff.uncertainty_k, "difference", system, 1)}
            </>
          )}
        </>
      }
    >
      {number(drawoff.set_c, "temperature", system)}
      <Unit>{unitOf("temperature", system)}</Unit>
    </Huge>
  );
}

function Concentrate({ facts }: { facts: BoilFacts }) {
  const { head } = facts;
  if (!head) {
    return (
      <Huge label="concentrate left" below="no level sensor at the head tank">
        <span className="text-figure font-normal text-soft">look at the tank</span>
      </Huge>
    );
  }
  const { minutes_left: left, minutes_low: low, minutes_high: high } = head;
  const range =
    left != null && low != null ? (
      <>
        {" "}
        ({span(low)} to {high == null ? "more" : span(high)})
      </>
    ) : null;
  return (
    <Huge
      label="concentrate left"
      below={
        <>
          <Quantity si={head.volume_m3} dimension="volume" stale={head.stale} /> at the head, read {age(head.age_s)}
          {range}
        </>
      }
    >
      <span className={head.stale ? "text-soft line-through" : left !== null && left < 20 ? "text-act" : undefined}>
        {left === null ? (
          <span className="text-answer">not falling</span>
        ) : left < 600 ? (
          <>
            {Math.round(left)}
            <Unit>min</Unit>
          </>
        ) : (
          <span className="text-answer">over 10 h</span>
        )}
      </span>
    </Huge>
  );
}

function Syrup({ facts }: { facts: BoilFacts }) {
  const system = useSystem();
  const planned = facts.run?.plan?.syrup_m3;
  return (
    <Huge
      label="syrup so far"
      below={
        planned
          ? `of ${quantity(planned, "volume", system)} planned`
          : facts.run
            ? `in ${facts.draws.length} draws`
            : "no run open"
      }
    >
      {number(facts.syrup_m3, "volume", system)}
      <Unit>{unitOf("volume", system)}</Unit>
    </Huge>
  );
}

function PanOrFire({ facts }: { facts: BoilFacts }) {
  const system = useSystem();
  if (facts.firing) {
    const { interval_s: interval, since_s: since } = facts.firing;
    const left = since == null ? 0 : Math.max(interval - since, 0) / 60;
    return (
      <Huge label="next firing in" below={`every ${span(interval / 60)} keeps three quarters of the full heat`}>
        {Math.ceil(left)}
        <Unit>min</Unit>
      </Huge>
    );
  }
  return (
    <Huge label="pan now" below={facts.pan_age_s == null ? "no sensor in the pan" : `read ${age(facts.pan_age_s)}`}>
      {facts.pan_c === null ? (
        <span className="text-figure font-normal text-soft">no reading</span>
      ) : (
        <>
          {number(facts.pan_c, "temperature", system)}
          <Unit>{unitOf("temperature", system)}</Unit>
        </>
      )}
    </Huge>
  );
}

function Keys({ facts, run }: { facts: BoilFacts; run: Shapes["OpenRun"] }) {
  const { operation } = useHere();
  const mayWrite = useMayWrite();
  const [open, setOpen] = useState<"draw" | "water" | null>(null);
  const log = useBoilAction((kind: "fired" | "level" | "defoamer") =>
    take(
      api.POST("/api/v1/operations/{operation}/runs/{number}/entries", {
        params: { path: { operation: operation.slug, number: run.number } },
        body: { kind, text: "" },
      }),
    ),
  );
  if (!mayWrite) return <p className="text-soft">You may look, not write.</p>;
  if (open === "draw") return <DrawForm facts={facts} run={run} onDone={() => setOpen(null)} />;
  if (open === "water") return <BoilingPoint run={run} onDone={() => setOpen(null)} />;
  return (
    <div>
      <div className="grid grid-cols-2 gap-2 sm:grid-cols-5">
        <Button kind="big" className="border-amber" onClick={() => setOpen("draw")}>
          Drew
        </Button>
        <Button kind="big" onClick={() => log.mutate("fired")}>
          Fired
        </Button>
        <Button kind="big" onClick={() => log.mutate("level")}>
          Level seen
        </Button>
        <Button kind="big" onClick={() => log.mutate("defoamer")}>
          Defoamer
        </Button>
        <Button kind="big" onClick={() => setOpen("water")}>
          Water boils
        </Button>
      </div>
      {log.error && (
        <p role="alert" className="mt-1 font-semibold text-act">
          Not kept: {log.error.message}. Press again.
        </p>
      )}
    </div>
  );
}

function Start() {
  const { operation } = useHere();
  const mayWrite = useMayWrite();
  const system = useSystem();
  const tonight = useQuery({
    queryKey: ["tonight", operation.slug],
    queryFn: () =>
      take(api.GET("/api/v1/operations/{operation}/tonight", { params: { path: { operation: operation.slug } } })),
    retry: false,
  });
  const plan = tonight.data?.chosen;
  const start = useBoilAction((id: number | null) =>
    take(
      api.POST("/api/v1/operations/{operation}/runs", {
        params: { path: { operation: operation.slug } },
        body: { plan: id },
      }),
    ),
  );
  return (
    <div className="space-y-3">
      <h2 className="text-figure font-semibold">Start a run</h2>
      {plan ? (
        <p>
          Tonight's plan: {plan.target_brix > 0 ? `${figure(plan.target_brix, 0)} °Bx` : "no membrane"},{" "}
          {quantity(plan.syrup_m3, "volume", system)} of syrup in {span(plan.finish_min)}, chosen at{" "}
          {clock(plan.made_at, operation.zone)}.
        </p>
      ) : (
        <p className="text-soft">
          No plan is chosen for tonight.{" "}
          <Link className="underline" to={`/${operation.slug}/tonight`}>
            Choose one
          </Link>{" "}
          or start without.
        </p>
      )}
      <div className="flex flex-wrap gap-2">
        {plan && (
          <Button kind="main" disabled={!mayWrite || start.isPending} onClick={() => start.mutate(plan.id)}>
            Start by this plan
          </Button>
        )}
        <Button disabled={!mayWrite || start.isPending} onClick={() => start.mutate(null)}>
          Start without a plan
        </Button>
      </div>
      {start.error && (
        <p role="alert" className="font-semibold text-act">
          {start.error.message}
        </p>
      )}
    </div>
  );
}

import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { Link, useNavigate, useParams } from "react-router";
import { useServerTime } from "../../app/Shell";
import { useHere, useMayWrite, useSystem } from "../../app/session";
import { Button, Caution, Unit } from "../../kit";
import { api, type Shapes, take } from "../../lib/api";
import { age, clock, span } from "../../lib/time";
import { figure, number, quantity, unitOf } from "../../lib/units";
import { Alarms } from "./Alarms";
import { type BoilFacts, useBoilAction } from "./action";
import { Keys } from "./Keys";
import { Log } from "./Log";
import { Membrane } from "./Membrane";
import { PlanAndActual } from "./Plan";

/** What now, beside the pan? Readable from three metres. */
export default function Boil() {
  const { operation } = useHere();
  const { part } = useParams();
  const navigate = useNavigate();
  const now = useServerTime();
  const { data, dataUpdatedAt } = useQuery({
    queryKey: ["boil", operation.slug],
    queryFn: () =>
      take(api.GET("/api/v1/operations/{operation}/boil", { params: { path: { operation: operation.slug } } })),
    refetchInterval: 5_000,
  });
  // a picture kept from before is asked for anew at once: silence counts from now
  const [opened] = useState(() => Date.now());
  if (!data) return null;
  const membrane = part === "membrane";
  const parts: [string, string, boolean][] = [
    ["", "the pans", !membrane],
    ["/membrane", "the membrane", membrane],
  ];
  return (
    <div className="grid min-h-0 flex-1 gap-x-8 px-4 pb-3 lg:grid-cols-[minmax(0,1fr)_25rem]">
      {data.run && <Alarms facts={data} run={data.run} silentMs={Date.now() - Math.max(dataUpdatedAt, opened)} />}
      <section aria-label="Now" className="flex min-h-0 flex-col gap-2">
        <Next facts={data} />
        {(data.permeate !== null || membrane) && (
          <div className="flex gap-4" role="tablist" aria-label="Beside">
            {parts.map(([path, word, on]) => (
              <button
                key={word}
                type="button"
                role="tab"
                aria-selected={on}
                className={`py-1 text-label ${on ? "font-semibold underline decoration-amber decoration-2 underline-offset-4" : "text-soft"}`}
                onClick={() => navigate(`/${operation.slug}/boil${path}`)}
              >
                {word}
              </button>
            ))}
          </div>
        )}
        {membrane ? (
          <Membrane run={data.run} />
        ) : (
          <>
            <div className="grid flex-1 grid-cols-2 content-evenly gap-x-8 gap-y-3 max-sm:gap-x-4">
              <Drawoff facts={data} />
              <Concentrate facts={data} />
              <Syrup facts={data} />
              <PanOrFire facts={data} />
            </div>
            <Stores facts={data} />
            {data.run && <Keys facts={data} run={data.run} />}
            <Caution>
              Cut the fire first if the level falls. Boiling syrup sticks: arm's length at the draw-off. Blower off
              before the firebox door; a working carbon monoxide alarm.
            </Caution>
          </>
        )}
      </section>
      <section aria-label="Log" className="flex min-h-0 flex-col border-rule lg:border-l lg:pl-5">
        {data.run ? (
          <>
            <Log facts={data} run={data.run} />
            <PlanAndActual facts={data} run={data.run} now={now} />
          </>
        ) : (
          <Start />
        )}
      </section>
    </div>
  );
}

function Next({ facts }: { facts: BoilFacts }) {
  const system = useSystem();
  const { key, minutes, urgent } = facts.next;
  const change = facts.advice?.change;
  const last = minutes === null ? "" : span(minutes);
  const doing = change ? changed(change) : "slow the fire or speed the membrane";
  const text: Record<string, string> = {
    start: "No run is open. Start one to log draws.",
    "concentrate-low": `Concentrate for ${last}: ${doing}`,
    "boil-ends": `The sap is all in. Concentrate for ${last}, then the fire out`,
    change: `Concentrate for ${last} as it goes: ${doing}`,
    "level-lost": `The head tank has not been read for ${last}: look at it`,
    draw: `Draw off: the pan stands at ${quantity(facts.pan_c ?? facts.drawoff.set_c, "temperature", system)}`,
    fire: "Fire now",
    "boiling-point": "Enter where water boils in the pan",
    "weather-moved": "The air has moved the boiling point: boil water again",
    "cup-test": `Cup test: ${last} since the last draw`,
    "wait-fire": `Next firing in ${last}`,
    steady: minutes === null ? "Nothing due" : `Nothing due. Concentrate for ${last}`,
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

/** The smallest change that puts it right, in words. */
function changed(change: Shapes["ChangeOut"]): string {
  const gains = change.minutes_left === null ? "" : ` (lasts ${span(change.minutes_left)})`;
  const to = figure(change.value, change.value % 1 ? 1 : 0);
  const share = `${figure(100 * change.value, 0)} %`;
  const word: Record<string, string> = {
    target: `concentrate to ${to} °Bx instead`,
    pressure: `membrane to ${share} of its pressure`,
    membrane: "start the membrane",
    fire: `fire down to ${share}`,
    out: "let the fire go out",
  };
  return `${word[change.kind] ?? change.kind}${change.holds ? "" : gains}`;
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
          {Math.abs(drawoff.moved_k) >= 0.03 &&
            `, ${drawoff.moved_k > 0 ? "up" : "down"} ${quantity(Math.abs(drawoff.moved_k), "difference", system, 1)} with the barometer since`}
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
  const system = useSystem();
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
          <span className={head.stale ? "line-through" : undefined}>{quantity(head.volume_m3, "volume", system)}</span>{" "}
          at the head, read {age(head.age_s)}
          {range}
        </>
      }
    >
      <span className={head.stale ? "text-soft line-through" : left !== null && left < 20 ? "text-act" : undefined}>
        {left === null ? (
          <span className="text-answer">{facts.hot ? "4 h and more" : "not falling"}</span>
        ) : (
          <>
            {Math.round(left)}
            <Unit>min</Unit>
          </>
        )}
      </span>
    </Huge>
  );
}

function Syrup({ facts }: { facts: BoilFacts }) {
  const system = useSystem();
  const planned = facts.syrup_planned_m3 ?? facts.run?.plan?.syrup_m3;
  const all = facts.run?.plan?.syrup_m3;
  return (
    <Huge
      label="syrup so far"
      below={
        planned != null
          ? `${quantity(planned, "volume", system)} planned by now${all ? `, ${quantity(all, "volume", system)} in all` : ""}`
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
        {Math.round(left)}
        <Unit>min</Unit>
      </Huge>
    );
  }
  const gauge = facts.fuel_gauge;
  const pan =
    facts.pan_c === null
      ? "no sensor in the pan"
      : `pan ${quantity(facts.pan_c, "temperature", system)}, read ${age(facts.pan_age_s)}`;
  if (!gauge) {
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
  return (
    <Huge
      label={`${facts.fuel} burnt, by the fire's rate`}
      below={
        <>
          {gauge.planned != null && `of ${figure(gauge.planned, 0)} ${gauge.unit} planned; `}
          {pan}
        </>
      }
    >
      {figure(gauge.used, gauge.used < 20 ? 1 : 0)}
      <Unit>{gauge.unit}</Unit>
    </Huge>
  );
}

/** Sap that is left, and the permeate kept for the wash. */
function Stores({ facts }: { facts: BoilFacts }) {
  const system = useSystem();
  const { sap, permeate, advice } = facts;
  if (!sap && !permeate) return null;
  const short = advice?.permeate_short_m3 ?? 0;
  const brim = advice?.minutes_to_brim;
  return (
    <p className="flex flex-wrap gap-x-6 border-t border-rule pt-1">
      {sap && (
        <span>
          sap {quantity(sap.volume_m3, "volume", system)}
          <span className="text-soft">
            {sap.minutes_left != null && `, for ${span(sap.minutes_left)} at the membrane`}
          </span>
        </span>
      )}
      {permeate && (
        <span className={short > 0 ? "font-semibold text-act" : ""}>
          permeate {quantity(permeate.volume_m3, "volume", system)}
          <span className={short > 0 ? "" : "text-soft"}>
            , the wash takes {quantity(permeate.wash_m3, "volume", system)}
            {short > 0 && `: ${quantity(short, "volume", system)} short`}
          </span>
        </span>
      )}
      {brim != null && brim < 90 && <span className="font-semibold">a tank is full in {span(brim)}</span>}
    </p>
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

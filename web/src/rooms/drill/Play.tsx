import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { Link } from "react-router";
import { useHere, useSystem } from "../../app/session";
import { Button, Pick } from "../../kit";
import { api, type Refusal, type Shapes, take } from "../../lib/api";
import { span } from "../../lib/time";
import { quantity, number as shownNumber, unitOf } from "../../lib/units";
import { Strip } from "../hunt/Strip";
import { WoodsMap } from "../woods/WoodsMap";

type Drill = Shapes["DrillOut"];
type Step = Shapes["PlayIn"];
const CAUSES: [string, string][] = [
  ["leak", "a leak"],
  ["frozen", "a frozen line"],
  ["sensor", "the gauge itself"],
];
const NAMES = Object.fromEntries(CAUSES);

/** One drill: what the gauges show, what to do, minutes used; afterwards each step beside the best. */
export function Play({ number }: { number: number }) {
  const { session, operation } = useHere();
  const [main, setMain] = useState("");
  const client = useQueryClient();
  const key = ["drill", operation.slug, number];
  const path = { operation: operation.slug, number };
  const { data: drill } = useQuery({
    queryKey: key,
    queryFn: () => take(api.GET("/api/v1/operations/{operation}/drills/{number}", { params: { path } })),
  });
  const play = useMutation<Drill, Refusal, Step>({
    mutationFn: (body) =>
      take(api.POST("/api/v1/operations/{operation}/drills/{number}/steps", { params: { path }, body })),
    onSuccess: (after) => {
      client.setQueryData(key, after);
      client.invalidateQueries({ queryKey: ["drills", operation.slug] });
    },
  });
  if (!drill) return null;
  const over = drill.solved !== null;
  const mine = drill.who === session.username;
  return (
    <div className="grid min-h-0 flex-1 content-start gap-x-6 gap-y-2 overflow-auto px-4 pb-2 lg:grid-cols-[minmax(0,1.45fr)_minmax(22rem,1fr)]">
      <section aria-label="What the gauges show" className="flex min-h-0 min-w-0 flex-col">
        <Answer drill={drill} />
        {drill.places.length === 0 && <p className="py-2 text-soft">The lines were changed since this drill began.</p>}
        {over && drill.strip.length > 0 && <Strip places={drill.strip} position={drill.position} />}
        {!over && <Bush drill={drill} chosen={main} onChoose={setMain} />}
        {over && <Falls drill={drill} />}
      </section>
      <section aria-label="What to do" className="flex min-w-0 flex-col gap-2">
        {!over && mine && <Do drill={drill} main={main} onMain={setMain} play={play.mutate} busy={play.isPending} />}
        {play.error && (
          <p role="alert" className="font-semibold text-act">
            {play.error.message}
          </p>
        )}
        <h2 className="border-b border-ink font-semibold">
          {span(drill.minutes)}{" "}
          <span className="font-normal text-soft">
            so far, {drill.log.length} {drill.log.length === 1 ? "step" : "steps"}
          </span>
        </h2>
        <Log drill={drill} />
        {!over && <Falls drill={drill} />}
        {over && (
          <Link className="text-amber underline" to={`/${operation.slug}/drill`}>
            Another one
          </Link>
        )}
      </section>
    </div>
  );
}

function Answer({ drill }: { drill: Drill }) {
  const system = useSystem();
  if (drill.solved === null) {
    return (
      <div className="pb-1">
        <h1 className="text-answer font-semibold leading-tight">Something is wrong</h1>
        <p>
          {drill.frost ? "There was frost in the night; it thaws now." : "It was warm all night."} Sap runs, the air is
          calm. You stand at {drill.position}.
        </p>
      </div>
    );
  }
  const size =
    drill.cause === "leak" ? `, ${drill.size?.toFixed(1)} SCFM` : `, ${quantity(drill.size ?? 0, "vacuum", system)}`;
  return (
    <div className="pb-1">
      <h1 className="text-answer font-semibold leading-tight">
        {drill.solved ? `${span(drill.minutes)}` : "Given up"}{" "}
        <span className="text-figure font-normal text-soft">the best hunt takes {span(drill.par_min ?? 0)}</span>
      </h1>
      <p>
        It was {NAMES[drill.cause ?? ""] ?? drill.cause} at {drill.at}
        {size}.
      </p>
    </div>
  );
}

/** How far each gauge stands under its usual: all that can be seen from the sugarhouse. */
function Falls({ drill }: { drill: Drill }) {
  const system = useSystem();
  const most = Math.max(...drill.gauges.map((one) => one.fall_pa), 1);
  return (
    <table className="mt-1 w-full border-collapse text-label">
      <caption className="text-left text-soft">under its usual, {unitOf("vacuum", system)}, all gauges</caption>
      <tbody>
        {drill.gauges.slice(0, 14).map((one) => (
          <tr key={one.gauge}>
            <th className="w-20 text-left font-mono font-normal">{one.gauge}</th>
            <td>
              <svg viewBox="0 0 100 4" preserveAspectRatio="none" className="block h-2 w-full" aria-hidden="true">
                <rect width={Math.max(0, (100 * one.fall_pa) / most)} height="4" fill="var(--fine-2)" />
              </svg>
            </td>
            <td className="w-14 text-right font-mono">{shownNumber(one.fall_pa, "vacuum", system, 2)}</td>
          </tr>
        ))}
      </tbody>
    </table>
  );
}

/** The bush from above, each line by how far its gauges stand under their usual. */
function Bush({ drill, chosen, onChoose }: { drill: Drill; chosen: string; onChoose: (main: string) => void }) {
  const { operation } = useHere();
  const path = { params: { path: { operation: operation.slug } } };
  const { data: map } = useQuery({
    queryKey: ["map", operation.slug],
    queryFn: () => take(api.GET("/api/v1/operations/{operation}/woods/map", path)),
    staleTime: Number.POSITIVE_INFINITY,
  });
  if (!map) return null;
  const names = new Set(drill.places.map((one) => one.main));
  const here = {
    ...map,
    lines: map.lines.filter((line) => line.bush === drill.bush),
    laterals: map.laterals.filter((line) => line.bush === drill.bush),
    points: map.points.filter((point) => point.bush === drill.bush),
  };
  const mains = [...names].filter(Boolean).map((main) => {
    // the gauge that stands lowest speaks for its line
    const worst = drill.gauges.find((one) => one.main === main);
    return {
      main,
      bush: drill.bush,
      sensor: "",
      vacuum_pa: null,
      usual_pa: 0,
      spread_pa: 0,
      shortfall_pa: worst?.fall_pa ?? 0,
      age_s: null,
      by_hand: false,
      state: worst?.state ?? "holding",
      taps: 0,
      length_m: 0,
      sap_m3_s: 0,
      // a line that fell is named aloud on the map
      money_s: worst && worst.state !== "holding" ? 1 : 0,
      alarm: null,
    };
  });
  return <WoodsMap map={here} mains={mains} bushes={[]} chosen={chosen || undefined} onChoose={onChoose} />;
}

type DoProps = {
  drill: Drill;
  main: string;
  onMain: (main: string) => void;
  play: (step: Step) => void;
  busy: boolean;
};

function Do({ drill, main, onMain, play, busy }: DoProps) {
  const [valve, setValve] = useState("");
  const [place, setPlace] = useState("");
  const [cause, setCause] = useState("frozen");
  const [hint, setHint] = useState(false);
  const mains = [...new Set(drill.places.map((one) => one.main))];
  const line = main && mains.includes(main) ? main : (drill.gauges.find((one) => one.main)?.main ?? "");
  const places = drill.places.filter((one) => one.main === line).map((one) => one.tag);
  const shut = drill.valves.includes(valve)
    ? valve
    : (drill.valves.find((one) => one.startsWith(line)) ?? drill.valves[0] ?? "");
  const look = places.includes(place) ? place : (places[0] ?? "");
  const [advice] = drill.hints;
  return (
    <div className="space-y-2 border-y-2 border-ink py-2">
      <div className="flex items-end gap-2">
        <div className="flex-1">
          <Pick
            label="shut the valve, wait, open it"
            value={shut}
            onValue={setValve}
            options={drill.valves.map((v) => [v, v])}
          />
        </div>
        <Button disabled={busy || !shut} onClick={() => play({ action: "shut", at: shut })}>
          Shut it
        </Button>
      </div>
      <div className="flex items-end gap-2">
        <div className="flex-1">
          <Pick
            label="look over, on the line"
            value={line}
            onValue={onMain}
            options={mains.map((m) => [m, m || "conductor"])}
          />
        </div>
        <div className="flex-1">
          <Pick label="a place and its laterals" value={look} onValue={setPlace} options={places.map((s) => [s, s])} />
        </div>
        <Button disabled={busy || !look} onClick={() => play({ action: "look", at: look })}>
          Look there
        </Button>
      </div>
      <div className="flex items-end gap-2">
        <div className="flex-1">
          <Pick label="say what it is" value={cause} onValue={setCause} options={CAUSES} />
        </div>
        <Button disabled={busy} onClick={() => play({ action: "say", cause: cause as "leak" | "frozen" | "sensor" })}>
          Say it
        </Button>
      </div>
      <p className="flex flex-wrap gap-4 text-label">
        <button type="button" className="text-amber underline" onClick={() => setHint((on) => !on)}>
          {hint ? "hide the advice" : "what would the Hunt advise"}
        </button>
        <button
          type="button"
          className="text-amber underline"
          disabled={busy}
          onClick={() => play({ action: "give_up" })}
        >
          give up and see
        </button>
      </p>
      {hint && advice && (
        <p className="text-label">
          If it is a leak: {advice.action === "shut" ? "shut" : "look over"} {advice.at}, {span(advice.minutes)}.
        </p>
      )}
    </div>
  );
}

function Log({ drill }: { drill: Drill }) {
  const system = useSystem();
  return (
    <ol className="space-y-1 text-label">
      {drill.log.map((step, k) => (
        // biome-ignore lint/suspicious/noArrayIndexKey: steps are only ever added
        <li key={k} className="border-b border-rule pb-1">
          <span className="font-semibold">{said(step, (pa) => quantity(pa, "vacuum", system, 2))}</span>{" "}
          <span className="text-soft">{step.minutes > 0 && span(step.minutes)}</span>
          {step.metres !== null && !step.found && (
            <span className="text-soft">, {quantity(step.metres, "length", system)} of line left</span>
          )}
          {step.best && step.worth !== null && <Worth best={step.best} share={step.worth} />}
        </li>
      ))}
    </ol>
  );
}

/** What the step told for its minutes, beside the best there was at that moment. */
function Worth({ best, share }: { best: NonNullable<Drill["log"][number]["best"]>; share: number }) {
  if (share > 0.95) return <p>As good as any step there was.</p>;
  return (
    <p>
      It could be expected to tell {Math.round(100 * share)} % as much a minute as the best:{" "}
      {best.action === "shut" ? "shutting" : "looking over"} {best.at}, {span(best.minutes)}.
    </p>
  );
}

function said(step: Drill["log"][number], short: (pa: number) => string): string {
  if (step.action === "give_up") return "Given up";
  if (step.action === "say")
    return `Said it is ${NAMES[step.cause ?? ""]}: ${step.right ? "right" : "wrong, and walked for it"}`;
  if (step.action === "look") return `Looked over ${step.at}: ${step.found ? "found" : "nothing"}`;
  return `Shut ${step.at}: ${step.gauge} ${(step.rise_pa ?? 0) >= 0 ? "rose" : "fell"} ${short(Math.abs(step.rise_pa ?? 0))}`;
}

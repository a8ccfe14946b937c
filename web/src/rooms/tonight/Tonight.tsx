import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useMemo, useState } from "react";
import { useNavigate } from "react-router";
import { useServerTime } from "../../app/Shell";
import { useHere, useMayWrite, useSystem } from "../../app/session";
import { Button, Caution, Empty } from "../../kit";
import { api, Refusal, type Shapes, take } from "../../lib/api";
import { useKept } from "../../lib/keep";
import { clock, span } from "../../lib/time";
import { figure, money, quantity } from "../../lib/units";
import { Assumptions, type Typed } from "./Assumptions";
import { Balance } from "./Balance";
import { Beside, type Kept } from "./Beside";
import type { Choice } from "./choice";
import { useCompare } from "./compare";
import { Evening } from "./Evening";
import { Extremes } from "./Extremes";
import { Targets } from "./Targets";
import { Why } from "./Why";

type Assumed = Shapes["Assumptions"];

/** How far to concentrate, when to light, when done, at what cost? */
export default function Tonight() {
  const { operation } = useHere();
  const path = { params: { path: { operation: operation.slug } } };
  const known = useQuery({
    queryKey: ["tonight", operation.slug],
    queryFn: () => take(api.GET("/api/v1/operations/{operation}/tonight", path)),
    refetchInterval: 60_000,
  });
  if (known.error instanceof Refusal) {
    return <Empty title="Nothing to plan with yet">{known.error.message}</Empty>;
  }
  return known.data ? <Planner known={known.data} /> : null;
}

function Planner({ known }: { known: Shapes["TonightOut"] }) {
  const { operation } = useHere();
  const [typed, setTyped] = useKept<Typed>(`zucker.${operation.slug}.tonight`, {});
  const [picked, setPicked] = useState<number | null>(null);
  const [view, setView] = useState<"evening" | "targets" | "beside">("evening");
  const [kept, setKept] = useKept<Kept[]>(`zucker.${operation.slug}.beside`, []);
  const assumed = useMemo<Assumed>(() => ({ ...known.assumptions, ...typed }), [known.assumptions, typed]);
  const compare = useCompare(operation.slug, assumed);
  const now = useServerTime();
  const choices = compare.data?.choices ?? [];
  const best = compare.data?.best ?? null;
  const bestChoice = best === null ? undefined : choices[best];
  const chosen = choices.find((choice) => choice.target_brix === picked) ?? bestChoice;
  const startedAt = useMemo(() => (now === null ? null : Math.round(now / 60_000) * 60_000), [now]);
  const refusal = compare.error instanceof Refusal ? compare.error : null;
  return (
    <div className="grid min-h-0 flex-1 gap-x-6 px-4 pb-3 lg:grid-cols-[minmax(0,1fr)_21rem]">
      <section aria-label="Balance" className="flex min-h-0 flex-col">
        <Balance
          choices={choices}
          chosen={chosen}
          startedAt={startedAt}
          stale={compare.stale || refusal !== null}
          onPick={setPicked}
        />
        <div className="flex gap-4 border-t border-rule pt-1">
          <div className="flex gap-4" role="tablist" aria-label="Below the balance">
            {(["evening", "targets", "beside"] as const).map((one) => (
              <button
                key={one}
                type="button"
                role="tab"
                aria-selected={view === one}
                className={`text-label ${view === one ? "font-semibold underline decoration-amber decoration-2 underline-offset-4" : "text-soft"}`}
                onClick={() => setView(one)}
              >
                {
                  {
                    evening: "the evening by the clock",
                    targets: "every target in figures",
                    beside: `side by side (${kept.length})`,
                  }[one]
                }
              </button>
            ))}
          </div>
          {compare.done < 1 && (
            <span role="status" className="ml-auto text-label text-soft">
              {compare.early && "a first look, "}
              {figure(100 * compare.done, 0)} % tried{" "}
              <button type="button" className="underline" onClick={compare.cancel}>
                stop
              </button>
            </span>
          )}
        </div>
        {view === "evening" && chosen && (
          <Evening choice={chosen} known={known} assumed={assumed} startedAt={startedAt} />
        )}
        {view === "beside" && (
          <Beside
            plans={kept}
            fuelUnit={known.fuel_unit}
            onDrop={(id) => setKept(kept.filter((one) => one.id !== id))}
          />
        )}
        {view === "targets" && (
          <Targets
            choices={choices}
            fuelUnit={known.fuel_unit}
            startedAt={startedAt}
            chosen={chosen}
            onPick={setPicked}
          />
        )}
      </section>
      <section aria-label="Plan and assumptions" className="flex min-h-0 flex-col gap-2 lg:overflow-y-auto">
        {chosen && (
          <Chosen
            choice={chosen}
            best={bestChoice}
            known={known}
            assumed={assumed}
            startedAt={startedAt}
            onAssume={(change) => setTyped({ ...typed, ...change })}
            onBeside={(choice) => {
              const id = Math.max(0, ...kept.map((one) => one.id)) + 1;
              setKept([
                ...kept.slice(-3),
                { id, choice, changed: Object.keys(typed).map(plainly), startedAt: startedAt ?? 0 },
              ]);
              setView("beside");
            }}
          />
        )}
        {!chosen && (
          <h1 className="text-answer font-semibold leading-tight">
            {compare.isFetching ? "Working it out" : refusal ? "Not with these figures" : "No target can be done so"}
          </h1>
        )}
        <Assumptions
          known={known}
          typed={typed}
          onTyped={setTyped}
          refusal={refusal}
          withoutIce={compare.data?.without_ice ?? null}
        />
      </section>
    </div>
  );
}

/** The name of an assumption that was changed, as people say it. */
function plainly(key: string): string {
  return key.replace(/_(m3|pa|w|h|c|kwh)$/, "").replaceAll("_", " ");
}

function capital(text: string): string {
  return `${text[0]?.toUpperCase() ?? ""}${text.slice(1)}`;
}

function Chosen(props: {
  choice: Choice;
  best: Choice | undefined;
  known: Shapes["TonightOut"];
  assumed: Assumed;
  startedAt: number | null;
  onBeside: (choice: Choice) => void;
  onAssume: (change: Typed) => void;
}) {
  const { choice, best, known, startedAt } = props;
  const { operation } = useHere();
  const system = useSystem();
  const mayWrite = useMayWrite();
  const client = useQueryClient();
  const navigate = useNavigate();
  const choose = useMutation({
    mutationFn: () =>
      take(
        api.POST("/api/v1/operations/{operation}/tonight/plan", {
          params: { path: { operation: operation.slug } },
          body: { assumptions: props.assumed, target_brix: choice.target_brix },
        }),
      ),
    onSuccess: () => client.invalidateQueries({ queryKey: ["tonight", operation.slug] }),
  });
  const at = (minutes: number | null | undefined) =>
    startedAt === null || minutes == null ? "" : clock(startedAt + minutes * 60_000, operation.zone);
  const title = choice.target_brix > 0 ? `${figure(choice.target_brix, 0)} °Bx` : "No membrane";
  const perVolume = system === "us" ? 3.785411784e-3 : 1e-3;
  if (choice.limit !== null) {
    return (
      <div>
        <h1 className="text-answer font-semibold leading-tight">{title}</h1>
        <p className="font-semibold text-act">
          Not tonight: {choice.limit}
          {choice.limit_min > 0 && choice.limit_min < 1440 && ` at ${at(choice.limit_min)}`}.
        </p>
        {best && <p className="text-soft">The best that can be done is {figure(best.target_brix, 0)} °Bx.</p>}
      </div>
    );
  }
  const planned = known.chosen;
  return (
    <div>
      <h1 className="text-answer font-semibold leading-tight">
        {title}{" "}
        <span className="whitespace-nowrap text-figure font-normal text-soft">
          {choice.cost_per_m3 != null &&
            `${money(choice.cost_per_m3 * perVolume, operation.currency)} a ${system === "us" ? "gallon" : "litre"}`}
        </span>
      </h1>
      <p>
        {choice.target_brix > 0 && <>Membrane on {choice.ro_start_min ? `at ${at(choice.ro_start_min)}` : "now"}. </>}
        <b>Light at {at(choice.light_min)}</b>, last draw {at(choice.boil_end_min)},{" "}
        <b>all done {at(choice.finish_min)}</b> <span className="text-soft">({span(choice.finish_min ?? 0)})</span>.
      </p>
      <p className="text-soft">
        {quantity(choice.syrup_m3 ?? 0, "volume", system)} of syrup from{" "}
        {figure(choice.fuel ?? 0, choice.fuel && choice.fuel < 20 ? 2 : 0)} {known.fuel_unit} of {known.fuel},{" "}
        {figure(choice.labour_h ?? 0, 1)} h of work.
        {choice.in_band && best !== choice && " Within 2 % of the cheapest."}
        {(choice.ways ?? []).length > 0 && ` ${capital((choice.ways ?? []).join(", "))}.`}
      </p>
      <Why choice={choice} best={best} />
      {choice.daring && <p className="font-semibold">It only holds if the machines are no worse than known.</p>}
      {choice.beyond_log && (
        <p className="text-soft">Beyond what the membrane has shown so far: its flow there is the maker's word.</p>
      )}
      <Weather
        thawIn={known.forecast.thaw_in_h}
        finishBy={props.assumed.finish_by_h ?? null}
        onFinishBy={(finish_by_h) => props.onAssume({ finish_by_h })}
      />
      <Coming known={known} assumed={props.assumed} choice={choice} at={at} />
      <div className="mt-1.5 flex flex-wrap items-center gap-2">
        <Button kind="main" disabled={!mayWrite || choose.isPending} onClick={() => choose.mutate()}>
          Make this tonight's plan
        </Button>
        <Button onClick={() => props.onBeside(choice)}>Put beside</Button>
        {planned && (
          <span className="text-label text-soft">
            plan: {planned.target_brix > 0 ? `${figure(planned.target_brix, 0)} °Bx` : "no membrane"} by{" "}
            {planned.made_by}, {clock(planned.made_at, operation.zone)}{" "}
            <button type="button" className="underline" onClick={() => navigate(`/${operation.slug}/boil`)}>
              go to Boil
            </button>
          </span>
        )}
        {choose.error && (
          <span role="alert" className="text-label font-semibold text-act">
            {choose.error.message}
          </span>
        )}
      </div>
      <div className="mt-1.5">
        <Caution>Never leave a fired pan; cut the fire first if the level falls.</Caution>
      </div>
    </div>
  );
}

/** What the lines should still bring, with its spread; or why nobody can say. */
function Coming(props: {
  known: Shapes["TonightOut"];
  assumed: Assumed;
  choice: Choice;
  at: (minutes: number) => string;
}) {
  const { known, assumed, choice, at } = props;
  const system = useSystem();
  const { middle_m3: middle, low_m3: low, high_m3: high, hours, runs, reason } = known.forecast;
  if (middle === null) return reason ? <p className="text-soft">Sap to come: {reason}.</p> : null;
  if (middle <= 0) return <p className="text-soft">No more sap is to be expected before the next frost.</p>;
  return (
    <p className="text-soft">
      Still to come in {span(60 * hours)}: about <b className="text-ink">{quantity(middle, "volume", system, 0)}</b> (
      {quantity(low ?? 0, "volume", system, 0)} to {quantity(high ?? 0, "volume", system, 0)}), by {runs} runs of your
      own.
      {assumed.coming_m3 !== known.assumptions.coming_m3 && " You assume otherwise."}{" "}
      {choice.with_less && <>With the least {ended(choice.with_less, at)}</>}
      {choice.with_less && choice.with_more && ", "}
      {choice.with_more && (
        <span className={choice.with_more.limit === null ? "" : "font-semibold text-ink"}>
          with the most {ended(choice.with_more, at)}
        </span>
      )}
      {(choice.with_less || choice.with_more) && "."}
    </p>
  );
}

/** How the same plan ends when other sap comes. */
function ended(otherwise: Shapes["OtherwiseOut"], at: (minutes: number) => string): string {
  return otherwise.limit === null
    ? `all done ${at(otherwise.finish_min)}`
    : `${otherwise.limit} at ${at(otherwise.limit_min)}`;
}

const LEAST_H = 0.5;
const MOST_H = 24;

/** Frost tonight, and the thaw by which the tanks should be empty; one touch plans for that. */
function Weather(props: { thawIn: number | null; finishBy: number | null; onFinishBy: (hours: number) => void }) {
  const { operation } = useHere();
  const system = useSystem();
  const { data } = useQuery({
    queryKey: ["weather", operation.slug],
    queryFn: () =>
      take(api.GET("/api/v1/operations/{operation}/weather", { params: { path: { operation: operation.slug } } })),
    staleTime: 600_000,
  });
  const hours = props.thawIn;
  const mayPlan = props.finishBy === null && hours !== null && hours >= LEAST_H && hours <= MOST_H;
  return (
    <div className="text-soft">
      {data?.frost_at && (
        <>
          Frost from {clock(data.frost_at, operation.zone)}
          {data.low_c != null && ` to ${quantity(data.low_c, "temperature", system, 0)}`}
          {data.thaw_at && (
            <>
              ; sap again about <b className="text-ink">{clock(data.thaw_at, operation.zone)}</b>
            </>
          )}
          .{" "}
          {mayPlan && (
            <button type="button" className="underline" onClick={() => props.onFinishBy(Math.floor(hours * 10) / 10)}>
              be done by then
            </button>
          )}{" "}
        </>
      )}
      {/* always in this place, so that what is being typed stays when the weather comes in */}
      <Extremes />
    </div>
  );
}

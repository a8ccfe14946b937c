import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useEffect, useMemo, useState } from "react";
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
import type { Choice } from "./choice";
import { Evening } from "./Evening";
import { Targets } from "./Targets";

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
  const [view, setView] = useState<"evening" | "targets">("evening");
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
          stale={compare.isPlaceholderData || refusal !== null}
          onPick={setPicked}
        />
        <div className="flex gap-4 border-t border-rule pt-1" role="tablist" aria-label="Below the balance">
          {(["evening", "targets"] as const).map((one) => (
            <button
              key={one}
              type="button"
              role="tab"
              aria-selected={view === one}
              className={`text-label ${view === one ? "font-semibold underline decoration-amber decoration-2 underline-offset-4" : "text-soft"}`}
              onClick={() => setView(one)}
            >
              {one === "evening" ? "the evening by the clock" : "every target in figures"}
            </button>
          ))}
        </div>
        {view === "evening" && chosen && <Evening choice={chosen} known={known} startedAt={startedAt} />}
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
            onDone={() => setTyped({})}
          />
        )}
        {!chosen && !compare.isFetching && !refusal && <p>No target can be done under these assumptions.</p>}
        <Assumptions known={known} typed={typed} onTyped={setTyped} refusal={refusal} />
      </section>
    </div>
  );
}

/** The comparison for what is assumed, a moment after the last change; the last answer stays meanwhile. */
function useCompare(slug: string, assumed: Assumed) {
  const [settled, setSettled] = useState(assumed);
  useEffect(() => {
    const timer = setTimeout(() => setSettled(assumed), 120);
    return () => clearTimeout(timer);
  }, [assumed]);
  return useQuery({
    queryKey: ["compare", slug, settled],
    queryFn: () =>
      take(
        api.POST("/api/v1/operations/{operation}/tonight/compare", {
          params: { path: { operation: slug } },
          body: settled,
        }),
      ),
    placeholderData: (before) => before,
    staleTime: 60_000,
    retry: false,
  });
}

function Chosen(props: {
  choice: Choice;
  best: Choice | undefined;
  known: Shapes["TonightOut"];
  assumed: Assumed;
  startedAt: number | null;
  onDone: () => void;
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
        {title}
        <span className="text-figure font-normal text-soft">
          {" "}
          {choice.cost_per_m3 != null &&
            `${money(choice.cost_per_m3 * perVolume, operation.currency)} a ${system === "us" ? "gallon" : "litre"}`}
        </span>
      </h1>
      <p>
        {choice.target_brix > 0 && <>Membrane on now. </>}
        <b>Light at {at(choice.light_min)}</b>, last draw {at(choice.boil_end_min)},{" "}
        <b>all done {at(choice.finish_min)}</b> <span className="text-soft">({span(choice.finish_min ?? 0)})</span>.
      </p>
      <p className="text-soft">
        {quantity(choice.syrup_m3 ?? 0, "volume", system)} of syrup from{" "}
        {figure(choice.fuel ?? 0, choice.fuel && choice.fuel < 20 ? 2 : 0)} {known.fuel_unit} of {known.fuel},{" "}
        {figure(choice.labour_h ?? 0, 1)} h of work.
        {choice.in_band && best !== choice && " Within 2 % of the cheapest."}
      </p>
      <Weather />
      <div className="mt-1.5 flex flex-wrap items-center gap-2">
        <Button kind="main" disabled={!mayWrite || choose.isPending} onClick={() => choose.mutate()}>
          Make this tonight's plan
        </Button>
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

/** Frost tonight, and the thaw by which the tanks should be empty. */
function Weather() {
  const { operation } = useHere();
  const system = useSystem();
  const { data } = useQuery({
    queryKey: ["weather", operation.slug],
    queryFn: () =>
      take(api.GET("/api/v1/operations/{operation}/weather", { params: { path: { operation: operation.slug } } })),
    staleTime: 600_000,
  });
  if (!data?.frost_at) return null;
  return (
    <p className="text-soft">
      Frost from {clock(data.frost_at, operation.zone)}
      {data.low_c != null && ` to ${quantity(data.low_c, "temperature", system, 0)}`}
      {data.thaw_at && (
        <>
          ; sap again about <b className="text-ink">{clock(data.thaw_at, operation.zone)}</b>
        </>
      )}
      .
    </p>
  );
}

import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useHere, useMayWrite, useSystem } from "../../app/session";
import { Button, NumberField } from "../../kit";
import { api, Refusal, type Shapes, take } from "../../lib/api";
import { useKept } from "../../lib/keep";
import { figure, quantity } from "../../lib/units";
import { Suspicion } from "./Findings";
import type { Run } from "./run";
import { SugarFlow } from "./SugarFlow";

type Measure = Shapes["MeasureIO"];
const SIDE: Record<Measure["side"], string> = {
  in: "came in",
  out: "went out",
  "held before": "was there",
  "held after": "is left",
  within: "went through",
};

/** Closing a run: what sensors and draws suggest, each value to be corrected, the balance at once. */
export function Closing({ run }: { run: Run }) {
  const { operation } = useHere();
  const suggested = useQuery({
    queryKey: ["measures", operation.slug, run.number],
    queryFn: () =>
      take(
        api.GET("/api/v1/operations/{operation}/runs/{number}/measures", {
          params: { path: { operation: operation.slug, number: run.number } },
        }),
      ),
  });
  if (!suggested.data) return <h1 className="text-answer font-semibold leading-tight">Close run {run.number}</h1>;
  return <Sheet run={run} suggested={suggested.data} />;
}

function Sheet({ run, suggested }: { run: Run; suggested: Measure[] }) {
  const { operation } = useHere();
  const system = useSystem();
  const mayWrite = useMayWrite();
  const client = useQueryClient();
  const path = { operation: operation.slug, number: run.number };
  const [changed, setChanged] = useKept<Record<string, Partial<Measure>>>(
    `zucker.${operation.slug}.closing.${run.number}`,
    {},
  );
  const [took, setTook] = useKept<{ fuel: number | null; labour_h: number | null }>(
    `zucker.${operation.slug}.took.${run.number}`,
    { fuel: run.planned?.fuel ?? null, labour_h: null },
  );
  const measures = suggested.map((measure) => ({ ...measure, ...changed[measure.name] }));
  const balance = useQuery({
    queryKey: ["balance", operation.slug, run.number, measures],
    queryFn: () =>
      take(api.POST("/api/v1/operations/{operation}/runs/{number}/balance", { params: { path }, body: { measures } })),
    placeholderData: (before) => before,
    retry: false,
    enabled: measures.length > 0,
  });
  const close = useMutation({
    mutationFn: () =>
      take(
        api.POST("/api/v1/operations/{operation}/runs/{number}/close", {
          params: { path },
          body: { measures, ...took },
        }),
      ),
    onSuccess: () => {
      for (const key of ["runs", "boil", "line", "tonight"])
        client.invalidateQueries({ queryKey: [key, operation.slug] });
    },
  });
  const refusal = [close.error, balance.error].find((error) => error instanceof Refusal) as Refusal | undefined;
  const fault = (index: number, field: string) =>
    refusal?.faults.find((one) => one.field === `measures.${index}.${field}`)?.message;
  const set = (name: string, value: Partial<Measure>) =>
    setChanged({ ...changed, [name]: { ...changed[name], ...value } });
  return (
    <div>
      <h1 className="text-answer font-semibold leading-tight">
        Close run {run.number}
        {balance.data && (
          <span className="text-figure font-normal text-soft">
            {" "}
            {quantity(Math.abs(balance.data.unaccounted_kg), "mass", system, 0)}{" "}
            {balance.data.unaccounted_kg >= 0 ? "of sugar not accounted for" : "more sugar out than in"}
          </span>
        )}
      </h1>
      {balance.data && (
        <SugarFlow
          lines={balance.data.lines}
          unaccounted={balance.data.unaccounted_kg}
          sd={balance.data.sd_kg}
          explained={balance.data.explained}
          height={270}
        />
      )}
      {balance.data && <Suspicion closing={balance.data} />}
      <ul className="grid gap-x-8 md:grid-cols-2">
        {measures.map((measure, index) => (
          <li
            key={measure.name}
            className="grid grid-cols-[1fr_6.5rem_5rem] items-end gap-x-3 border-t border-rule py-1"
          >
            <span className="self-center">
              {measure.name} <span className="text-label text-soft">{SIDE[measure.side]}</span>
            </span>
            <NumberField
              label="volume"
              dimension="volume"
              si={measure.volume_m3}
              onSi={(si) => si !== null && set(measure.name, { volume_m3: si })}
              error={fault(index, "volume_m3")}
            />
            <NumberField
              label="sugar"
              dimension="brix"
              si={measure.brix}
              onSi={(si) => si !== null && set(measure.name, { brix: si })}
              error={fault(index, "brix")}
            />
          </li>
        ))}
      </ul>
      <div className="mt-2 flex flex-wrap items-end gap-6 border-t border-ink pt-2">
        <div className="w-36">
          <NumberField
            label="fuel burnt"
            dimension="plain"
            unit={run.fuel_unit}
            digits={took.fuel !== null && took.fuel < 20 ? 2 : 0}
            si={took.fuel}
            onSi={(fuel) => setTook({ ...took, fuel })}
            error={refusal?.about("fuel")}
          />
        </div>
        <div className="w-36">
          <NumberField
            label="work"
            dimension="plain"
            unit="h"
            digits={1}
            si={took.labour_h}
            onSi={(labour_h) => setTook({ ...took, labour_h })}
            error={refusal?.about("labour_h")}
          />
        </div>
        <Button kind="main" disabled={!mayWrite || close.isPending || !balance.data} onClick={() => close.mutate()}>
          Close the run
        </Button>
        <span className="text-soft">
          {run.draws} draws, {quantity(run.syrup_m3, "volume", system)} in {figure(run.hours, 1)} h
        </span>
      </div>
      {refusal && (
        <p role="alert" className="mt-1 font-semibold text-act">
          {refusal.faults.map((one) => `${one.field}: ${one.message}`).join("; ")}
        </p>
      )}
    </div>
  );
}

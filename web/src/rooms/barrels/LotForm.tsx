import { useQuery } from "@tanstack/react-query";
import { useHere } from "../../app/session";
import { Button, Choice, NumberField, Pick } from "../../kit";
import { api, Refusal, type Shapes, take } from "../../lib/api";
import { useKept } from "../../lib/keep";
import { day } from "../../lib/time";
import { useBarrelsAction } from "./action";

type Draft = Omit<Shapes["LotIn"], "run" | "volume_m3" | "brix" | "transmittance" | "note"> & {
  run: number | null;
  volume_m3: number | null;
  brix: number | null;
  transmittance: number | null;
};
const FLAVOURS: Shapes["LotIn"]["off_flavour"][] = ["", "buddy", "sour", "scorched", "metallic", "other"];

/** Finished syrup of a run: how much at what density and colour, how it was finished. */
export function LotForm({ onDone }: { onDone: () => void }) {
  const { operation } = useHere();
  const [draft, setDraft] = useKept<Draft>(`zucker.${operation.slug}.lot`, {
    run: null,
    volume_m3: null,
    brix: null,
    transmittance: null,
    off_flavour: "",
    finish: "hydrometer",
    filtered: true,
  });
  const runs = useQuery({
    queryKey: ["runs", operation.slug],
    queryFn: () =>
      take(api.GET("/api/v1/operations/{operation}/runs", { params: { path: { operation: operation.slug } } })),
  });
  const send = useBarrelsAction(
    (body: Shapes["LotIn"]) =>
      take(api.POST("/api/v1/operations/{operation}/lots", { params: { path: { operation: operation.slug } }, body })),
    () => {
      setDraft({ ...draft, run: null, volume_m3: null });
      onDone();
    },
  );
  const refusal = send.error instanceof Refusal ? send.error : null;
  const recent = (runs.data ?? []).filter((one) => one.draws > 0).slice(0, 12);
  const run = draft.run ?? recent[0]?.number ?? null;
  const { volume_m3, brix, transmittance } = draft;
  const ready = run !== null && volume_m3 !== null && brix !== null && transmittance !== null;
  if (runs.data && recent.length === 0) return <p>No run has drawn syrup yet.</p>;
  return (
    <form
      aria-label="New lot"
      className="space-y-2 border-t-2 border-amber pt-2"
      onSubmit={(event) => {
        event.preventDefault();
        if (ready) send.mutate({ ...draft, run, volume_m3, brix, transmittance, note: "" });
      }}
    >
      <Pick
        label="of run"
        value={String(run ?? "")}
        options={recent.map((one) => [String(one.number), `${one.number}, ${day(one.started_at, operation.zone)}`])}
        onValue={(value) => setDraft({ ...draft, run: Number(value) })}
      />
      <div className="grid grid-cols-3 gap-x-5">
        <NumberField
          label="finished, cold"
          dimension="volume"
          si={volume_m3}
          onSi={(si) => setDraft({ ...draft, volume_m3: si })}
          error={refusal?.about("volume_m3")}
        />
        <NumberField
          label="true density"
          dimension="brix"
          si={brix}
          onSi={(si) => setDraft({ ...draft, brix: si })}
          error={refusal?.about("brix")}
        />
        <NumberField
          label="light through"
          dimension="plain"
          unit="%"
          digits={0}
          si={transmittance}
          onSi={(si) => setDraft({ ...draft, transmittance: si })}
          error={refusal?.about("transmittance")}
        />
      </div>
      <Choice
        label="finished by"
        value={draft.finish}
        options={[
          ["hydrometer", "hydrometer"],
          ["thermometer", "thermometer"],
          ["refractometer", "refractometer"],
          ["apron", "apron"],
        ]}
        onValue={(finish) => setDraft({ ...draft, finish })}
      />
      <div className="grid grid-cols-2 items-end gap-x-5">
        <Pick
          label="off-flavour"
          value={draft.off_flavour ?? ""}
          options={FLAVOURS.map((one) => [one ?? "", one || "none"])}
          onValue={(value) => setDraft({ ...draft, off_flavour: value as Draft["off_flavour"] })}
        />
        <label className="flex items-center gap-2">
          <input
            type="checkbox"
            className="size-5 accent-[var(--amber)]"
            checked={draft.filtered}
            onChange={(event) => setDraft({ ...draft, filtered: event.target.checked })}
          />
          filtered hot
        </label>
      </div>
      <div className="flex items-center gap-2">
        <Button kind="main" type="submit" disabled={!ready || send.isPending}>
          Make the lot
        </Button>
        <Button onClick={onDone}>Not now</Button>
      </div>
      {send.error && !["volume_m3", "brix", "transmittance"].some((name) => refusal?.about(name)) && (
        <p role="alert" className="font-semibold text-act">
          {send.error.message}
        </p>
      )}
    </form>
  );
}

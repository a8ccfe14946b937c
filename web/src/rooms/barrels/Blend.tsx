import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { useHere, useSystem } from "../../app/session";
import { Button, NumberField } from "../../kit";
import { api, Refusal, type Shapes, take } from "../../lib/api";
import { figure, quantity } from "../../lib/units";
import { useBarrelsAction } from "./action";
import type { Lot } from "./Barrels";

/** A blend that hits a colour and a density: how much of each lot, and the lot it makes. */
export function Blend({ lots, onDone }: { lots: Lot[]; onDone: () => void }) {
  const { operation } = useHere();
  const system = useSystem();
  const [use, setUse] = useState<number[]>(lots.slice(0, 3).map((lot) => lot.id));
  const [wanted, setWanted] = useState<{ volume: number | null; light: number | null; brix: number | null }>({
    volume: 0.1,
    light: 50,
    brix: 66.9,
  });
  const path = { params: { path: { operation: operation.slug } } };
  const { volume, light, brix } = wanted;
  const ready = volume !== null && light !== null && brix !== null && use.length > 0;
  const recipe = useQuery({
    queryKey: ["recipe", operation.slug, use, wanted],
    queryFn: () =>
      take(
        api.POST("/api/v1/operations/{operation}/blends/recipe", {
          ...path,
          body: { lots: use, volume_m3: volume ?? 0, transmittance: light ?? 0, brix: brix ?? 0 },
        }),
      ),
    enabled: ready,
    retry: false,
    placeholderData: (before) => before,
  });
  const make = useBarrelsAction(
    (parts: Shapes["PartIn"][]) =>
      take(api.POST("/api/v1/operations/{operation}/blends", { ...path, body: { parts, note: "" } })),
    onDone,
  );
  const refusal = recipe.error instanceof Refusal ? recipe.error : null;
  const code = (id: number) => lots.find((lot) => lot.id === id)?.code ?? "";
  const made = refusal ? undefined : recipe.data;
  return (
    <form
      aria-label="Blend"
      className="space-y-2 border-t-2 border-amber pt-2"
      onSubmit={(event) => {
        event.preventDefault();
        if (made) make.mutate(made.parts);
      }}
    >
      <div className="flex flex-wrap gap-x-4 gap-y-1">
        {lots.map((lot) => (
          <label key={lot.id} className="flex items-center gap-1.5">
            <input
              type="checkbox"
              className="size-5 accent-[var(--amber)]"
              checked={use.includes(lot.id)}
              onChange={(event) =>
                setUse(event.target.checked ? [...use, lot.id] : use.filter((one) => one !== lot.id))
              }
            />
            {lot.code}{" "}
            <span className="text-label text-soft">
              {figure(lot.transmittance, 0)} %, {figure(lot.brix, 1)} °Bx
            </span>
          </label>
        ))}
      </div>
      <div className="grid grid-cols-3 gap-x-5">
        <NumberField
          label="to make"
          dimension="volume"
          si={volume}
          onSi={(si) => setWanted({ ...wanted, volume: si })}
          error={refusal?.about("volume_m3")}
        />
        <NumberField
          label="light, at least"
          dimension="plain"
          unit="%"
          digits={0}
          si={light}
          onSi={(si) => setWanted({ ...wanted, light: si })}
          error={refusal?.about("transmittance")}
        />
        <NumberField
          label="density"
          dimension="brix"
          si={brix}
          onSi={(si) => setWanted({ ...wanted, brix: si })}
          error={refusal?.about("brix")}
        />
      </div>
      {made && (
        <div>
          <p>
            {made.parts.map((part) => `${quantity(part.volume_m3, "volume", system)} of ${code(part.lot)}`).join(", ")}
          </p>
          <p>
            make{" "}
            <b>
              {quantity(made.volume_m3, "volume", system)} of {made.grade}
            </b>
            , {figure(made.transmittance, 0)} %, {figure(made.brix, 1)} °Bx.
            {!made.on_density && <b className="text-act"> These lots cannot meet the density; that is the nearest.</b>}
          </p>
        </div>
      )}
      <div className="flex items-center gap-2">
        <Button kind="main" type="submit" disabled={!made || made.parts.length < 2 || make.isPending}>
          Blended
        </Button>
        <Button onClick={onDone}>Not now</Button>
      </div>
      {(make.error ??
        (refusal && !["volume_m3", "transmittance", "brix"].some((name) => refusal.about(name)) ? refusal : null)) && (
        <p role="alert" className="font-semibold text-act">
          {(make.error ?? refusal)?.message}
        </p>
      )}
    </form>
  );
}

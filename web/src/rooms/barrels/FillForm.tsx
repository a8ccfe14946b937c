import { useState } from "react";
import { useHere, useSystem } from "../../app/session";
import { Button, NumberField, Pick, TextField } from "../../kit";
import { api, Refusal, type Shapes, take } from "../../lib/api";
import { quantity } from "../../lib/units";
import { useBarrelsAction } from "./action";
import type { Lot } from "./Barrels";

const GALLON = 3.785411784e-3;
const CONTAINERS: Record<"us" | "metric", [string, number, boolean][]> = {
  us: [
    ["barrel", 40 * GALLON, true],
    ["keg", 15 * GALLON, true],
    ["gallon jug", GALLON, false],
    ["half gallon jug", GALLON / 2, false],
    ["quart jug", GALLON / 4, false],
    ["pint bottle", GALLON / 8, false],
  ],
  metric: [
    ["barrel", 0.15, true],
    ["keg", 0.05, true],
    ["5 L can", 5e-3, false],
    ["1 L bottle", 1e-3, false],
    ["0.5 L bottle", 5e-4, false],
    ["0.25 L bottle", 2.5e-4, false],
  ],
};
const SAND_C = 90.6;
const COOL_C = 82.2;

/** Containers filled from a lot: which, how many, how hot; a barrel by its weights. */
export function FillForm(props: { lot: Lot; lots: Lot[]; onLot: (id: number) => void; onDone: () => void }) {
  const { lot } = props;
  const { operation } = useHere();
  const system = useSystem();
  const known = CONTAINERS[system];
  const [kind, setKind] = useState(known[0]?.[0] ?? "barrel");
  const [container, size, barrel] = known.find(([name]) => name === kind) ?? ["barrel", 0.15, true];
  const [each, setEach] = useState<number | null>(null);
  const [count, setCount] = useState<number | null>(1);
  const [hot, setHot] = useState<number | null>(85);
  const [weights, setWeights] = useState<{ gross: number | null; tare: number | null }>({ gross: null, tare: null });
  const [place, setPlace] = useState("");
  const send = useBarrelsAction(
    (body: Shapes["PackIn"]) =>
      take(api.POST("/api/v1/operations/{operation}/packs", { params: { path: { operation: operation.slug } }, body })),
    props.onDone,
  );
  const refusal = send.error instanceof Refusal ? send.error : null;
  const holds = each ?? size;
  const ready = count !== null && hot !== null && count >= 1;
  return (
    <form
      aria-label="Fill containers"
      className="space-y-2 border-t-2 border-amber pt-2"
      onSubmit={(event) => {
        event.preventDefault();
        if (ready)
          send.mutate({
            lot: lot.id,
            container,
            barrel,
            each_m3: holds,
            count: Math.round(count),
            fill_c: hot,
            place,
            gross_kg: barrel ? weights.gross : null,
            tare_kg: barrel && weights.gross !== null ? weights.tare : null,
          });
      }}
    >
      <div className="grid grid-cols-2 gap-x-5">
        <Pick
          label="from lot"
          value={String(lot.id)}
          options={props.lots.map((one) => [String(one.id), `${one.code}, ${one.grade}`])}
          onValue={(value) => props.onLot(Number(value))}
        />
        <Pick
          label="into"
          value={kind}
          options={known.map(([name]) => [name, name])}
          onValue={(value) => {
            setKind(value);
            setEach(null);
            setCount(1);
          }}
        />
      </div>
      <div className="grid grid-cols-3 gap-x-5">
        <NumberField
          label="each holds, hot"
          dimension="volume"
          digits={system === "us" ? 3 : 2}
          si={holds}
          onSi={setEach}
          error={refusal?.about("each_m3")}
        />
        <NumberField
          label="how many"
          dimension="plain"
          unit=""
          digits={0}
          si={count}
          onSi={setCount}
          error={refusal?.about("count")}
        />
        <NumberField
          label="filled at"
          dimension="temperature"
          digits={0}
          si={hot}
          onSi={setHot}
          error={refusal?.about("fill_c")}
        />
      </div>
      {barrel && (
        <div className="grid grid-cols-2 gap-x-5">
          <NumberField
            label="full, weighed"
            dimension="mass"
            digits={1}
            si={weights.gross}
            onSi={(gross) => setWeights({ ...weights, gross })}
            error={refusal?.about("gross_kg")}
          />
          <NumberField
            label="empty"
            dimension="mass"
            digits={1}
            si={weights.tare}
            onSi={(tare) => setWeights({ ...weights, tare })}
          />
        </div>
      )}
      <TextField label="where it goes" value={place} onValue={setPlace} />
      <p className="text-soft">
        {quantity(lot.left_m3, "volume", system)} of {lot.code} are left, measured cold.
        {hot !== null && hot < COOL_C && (
          <b className="text-act">
            {" "}
            Below {quantity(COOL_C, "temperature", system, 0)} it may not keep: heat it again.
          </b>
        )}
        {hot !== null && hot > SAND_C && (
          <b className="text-act"> Above {quantity(SAND_C, "temperature", system, 0)} new sugar sand falls.</b>
        )}
      </p>
      <div className="flex items-center gap-2">
        <Button kind="main" type="submit" disabled={!ready || send.isPending}>
          Filled
        </Button>
        <Button onClick={props.onDone}>Not now</Button>
      </div>
      {send.error && !["count", "each_m3", "fill_c", "gross_kg"].some((name) => refusal?.about(name)) && (
        <p role="alert" className="font-semibold text-act">
          {send.error.message}
        </p>
      )}
    </form>
  );
}

import { useHere } from "../../app/session";
import { Button, Choice, NumberField } from "../../kit";
import { api, Refusal, type Shapes, take } from "../../lib/api";
import { useKept } from "../../lib/keep";
import { type BoilFacts, useBoilAction } from "./action";

type Draft = {
  volume_m3: number | null;
  instrument: "hydrometer" | "refractometer";
  reading: number | null;
  temp_c: number | null;
};
const NEW: Draft = { volume_m3: null, instrument: "hydrometer", reading: null, temp_c: 98.9 };

/** A draw: how much, and how its density was read. Kept as typed until the server has it. */
export function DrawForm(props: { facts: BoilFacts; run: Shapes["OpenRun"]; onDone: () => void }) {
  const { operation } = useHere();
  const [draft, setDraft] = useKept<Draft>(`zucker.${operation.slug}.draw`, NEW);
  const send = useBoilAction(
    (body: Shapes["DrawIn"]) =>
      take(
        api.POST("/api/v1/operations/{operation}/runs/{number}/draws", {
          params: { path: { operation: operation.slug, number: props.run.number } },
          body,
        }),
      ),
    () => {
      setDraft({ ...NEW, instrument: draft.instrument, temp_c: draft.temp_c });
      props.onDone();
    },
  );
  const refusal = send.error instanceof Refusal ? send.error : null;
  const { volume_m3, reading, temp_c } = draft;
  const ready = volume_m3 !== null && reading !== null && temp_c !== null;
  return (
    <form
      aria-label="Draw"
      className="border-t-2 border-amber pt-2"
      onSubmit={(event) => {
        event.preventDefault();
        if (ready)
          send.mutate({ volume_m3, reading, temp_c, instrument: draft.instrument, set_c: props.facts.drawoff.set_c });
      }}
    >
      <div className="grid grid-cols-2 items-end gap-x-6 gap-y-2 sm:grid-cols-4">
        <NumberField
          big
          label="drew"
          dimension="smallVolume"
          si={volume_m3}
          onSi={(si) => setDraft({ ...draft, volume_m3: si })}
          error={refusal?.about("volume_m3")}
        />
        <NumberField
          big
          label={`the ${draft.instrument} shows`}
          dimension="brix"
          si={reading}
          onSi={(si) => setDraft({ ...draft, reading: si })}
          error={refusal?.about("reading")}
        />
        <NumberField
          big
          label={draft.instrument === "hydrometer" ? "in the cup" : "sample at"}
          dimension="temperature"
          digits={0}
          si={temp_c}
          onSi={(si) => setDraft({ ...draft, temp_c: si })}
          error={refusal?.about("temp_c")}
        />
        <Choice
          label="read with"
          value={draft.instrument}
          options={[
            ["hydrometer", "hydrometer"],
            ["refractometer", "refractometer"],
          ]}
          onValue={(instrument) => setDraft({ ...draft, instrument, temp_c: instrument === "hydrometer" ? 98.9 : 20 })}
        />
      </div>
      <div className="mt-2 flex items-center gap-2">
        <Button kind="main" type="submit" disabled={!ready || send.isPending}>
          Keep this draw
        </Button>
        <Button onClick={props.onDone}>Not now</Button>
        {send.error && (!refusal || !["volume_m3", "reading", "temp_c"].some((name) => refusal.about(name))) && (
          <span role="alert" className="font-semibold text-act">
            Not kept: {send.error.message}
          </span>
        )}
      </div>
    </form>
  );
}

import { useState } from "react";
import { useHere } from "../../app/session";
import { Button, NumberField } from "../../kit";
import { api, Refusal, type Shapes, take } from "../../lib/api";
import { useBoilAction } from "./action";

/** The boiling point of water by the pan's own thermometer: better than any barometer. */
export function BoilingPoint(props: { run: Shapes["OpenRun"]; onDone: () => void }) {
  const { operation } = useHere();
  const [boils, setBoils] = useState<number | null>(props.run.water_boiling_c);
  const send = useBoilAction(
    (water_boiling_c: number) =>
      take(
        api.POST("/api/v1/operations/{operation}/runs/{number}/boiling-point", {
          params: { path: { operation: operation.slug, number: props.run.number } },
          body: { water_boiling_c },
        }),
      ),
    props.onDone,
  );
  const refusal = send.error instanceof Refusal ? send.error : null;
  return (
    <form
      aria-label="Boiling point"
      className="flex flex-wrap items-end gap-4 border-t-2 border-amber pt-2"
      onSubmit={(event) => {
        event.preventDefault();
        if (boils !== null) send.mutate(boils);
      }}
    >
      <div className="w-64">
        <NumberField
          big
          label="water boils in the pan at"
          dimension="temperature"
          si={boils}
          onSi={setBoils}
          error={refusal?.about("water_boiling_c") ?? send.error?.message}
        />
      </div>
      <Button kind="main" type="submit" disabled={boils === null || send.isPending}>
        Draw by this
      </Button>
      <Button onClick={props.onDone}>Not now</Button>
    </form>
  );
}

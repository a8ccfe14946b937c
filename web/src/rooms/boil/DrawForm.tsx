import { useHere } from "../../app/session";
import { Button, Choice, NumberField } from "../../kit";
import type { Shapes } from "../../lib/api";
import { useKept } from "../../lib/keep";
import { type BoilFacts, useBoilLetters } from "./action";

type Draft = {
  volume_m3: number | null;
  instrument: "hydrometer" | "refractometer";
  reading: number | null;
  temp_c: number | null;
};
const FIELDS = ["volume_m3", "reading", "temp_c"];
const NEW: Draft = { volume_m3: null, instrument: "hydrometer", reading: null, temp_c: 98.9 };

/** A draw (how much, and how its density was read) or a cup test alone. Kept as typed until it is written. */
export function DrawForm(props: { cup: boolean; facts: BoilFacts; run: Shapes["OpenRun"]; onDone: () => void }) {
  const { operation } = useHere();
  const [draft, setDraft] = useKept<Draft>(`zucker.${operation.slug}.draw`, NEW);
  const letters = useBoilLetters(props.run.number);
  const { volume_m3, reading, temp_c, instrument } = draft;
  const ready = reading !== null && temp_c !== null && (props.cup || volume_m3 !== null);
  const keep = async () => {
    const cup = { reading, temp_c, instrument, set_c: props.facts.drawoff.set_c };
    const kept = await letters.send(`runs/${props.run.number}/${props.cup ? "cups" : "draws"}`, (token, at) => ({
      ...cup,
      ...(props.cup ? {} : { volume_m3 }),
      token,
      at,
    }));
    if (!kept) return;
    setDraft({ ...NEW, instrument, temp_c });
    props.onDone();
  };
  return (
    <form
      aria-label={props.cup ? "Cup test" : "Draw"}
      className="border-t-2 border-amber pt-2"
      onSubmit={(event) => {
        event.preventDefault();
        if (ready) void keep();
      }}
    >
      <div className="grid grid-cols-2 items-end gap-x-6 gap-y-2 sm:grid-cols-4">
        {!props.cup && (
          <NumberField
            big
            label="drew"
            dimension="smallVolume"
            si={volume_m3}
            error={letters.about("volume_m3")}
            onSi={(si) => setDraft({ ...draft, volume_m3: si })}
          />
        )}
        <NumberField
          big
          label={`the ${instrument} shows`}
          dimension="brix"
          si={reading}
          error={letters.about("reading")}
          onSi={(si) => setDraft({ ...draft, reading: si })}
        />
        <NumberField
          big
          label={instrument === "hydrometer" ? "in the cup" : "sample at"}
          dimension="temperature"
          digits={0}
          si={temp_c}
          error={letters.about("temp_c")}
          onSi={(si) => setDraft({ ...draft, temp_c: si })}
        />
        <Choice
          label="read with"
          value={instrument}
          options={[
            ["hydrometer", "hydrometer"],
            ["refractometer", "refractometer"],
          ]}
          onValue={(one) => setDraft({ ...draft, instrument: one, temp_c: one === "hydrometer" ? 98.9 : 20 })}
        />
      </div>
      <div className="mt-2 flex items-center gap-2">
        <Button kind="main" type="submit" disabled={!ready}>
          {props.cup ? "Keep this cup" : "Keep this draw"}
        </Button>
        <Button onClick={props.onDone}>Not now</Button>
        {letters.fault && !FIELDS.some(letters.about) && (
          <span role="alert" className="font-semibold text-act">
            Not kept: {letters.fault}
          </span>
        )}
      </div>
    </form>
  );
}

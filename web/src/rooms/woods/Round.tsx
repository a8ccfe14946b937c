import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { Link, useParams } from "react-router";
import { useLetters } from "../../app/letters";
import { useHere, useSystem } from "../../app/session";
import { Button, Empty, NumberField, StateMark } from "../../kit";
import { api, type Shapes, take } from "../../lib/api";
import { useKept } from "../../lib/keep";
import { serverNow } from "../../lib/serverTime";
import { age } from "../../lib/time";
import { quantity, read } from "../../lib/units";
import { listen, mayListen } from "./voice";

type Dial = Shapes["RoundGauge"];
type Noted = Record<string, { pa: number; at: string }>;

/** A walk from dial to dial: type or say what each shows; it is kept here and sent when there is coverage. */
export default function Round() {
  const { operation } = useHere();
  const { bush = "" } = useParams();
  const path = { operation: operation.slug, bush };
  const dials = useQuery({
    queryKey: ["round", operation.slug, bush],
    queryFn: () => take(api.GET("/api/v1/operations/{operation}/bushes/{bush}/round", { params: { path } })),
  });
  const [noted, setNoted] = useKept<Noted>(`round ${operation.slug} ${bush}`, {});
  const letters = useLetters("round");
  if (dials.error && !dials.data) return <Empty title="No round here">{dials.error.message}</Empty>;
  if (!dials.data) return null;
  if (dials.data.length === 0) {
    return (
      <Empty title="No dials in this bush">
        A round walks from dial to dial. Mark a gauge as one that is read by hand in the{" "}
        <Link className="underline" to={`/${operation.slug}/bushbook/${bush}/points`}>
          Bush book
        </Link>
        .
      </Empty>
    );
  }
  const count = Object.keys(noted).length;
  const send = async () => {
    const readings = Object.entries(noted).map(([sensor, one]) => ({ sensor, vacuum_pa: one.pa, at: one.at }));
    if (!(await letters.send(`bushes/${bush}/round`, () => ({ readings })))) return;
    setNoted({});
    void dials.refetch();
  };
  return (
    <div className="mx-auto w-full max-w-xl flex-1 overflow-auto px-4 pb-4">
      <h1 className="text-figure font-semibold">Gauge round, {dials.data.length} dials</h1>
      <ol>
        {dials.data.map((dial) => (
          <One
            key={dial.sensor}
            dial={dial}
            pa={noted[dial.sensor]?.pa ?? null}
            onPa={(pa) =>
              setNoted((before) => {
                const { [dial.sensor]: _, ...rest } = before;
                return pa === null ? rest : { ...rest, [dial.sensor]: { pa, at: new Date(serverNow()).toISOString() } };
              })
            }
          />
        ))}
      </ol>
      {letters.fault && (
        <p role="alert" className="font-semibold text-act">
          {letters.fault}
        </p>
      )}
      {letters.waiting.map((letter) => (
        <p key={letter.id} role="status" className="border-l-4 border-amber pl-2">
          {(letter.body.readings as unknown[]).length} readings wait for coverage.
          {letter.refused && <span className="font-semibold text-act"> Not taken: {letter.refused}</span>}
        </p>
      ))}
      <Button kind="main" className="sticky bottom-2 mt-3 min-h-14 w-full" disabled={count === 0} onClick={send}>
        {count === 0 ? "Read a dial" : `Round done: ${count} read`}
      </Button>
    </div>
  );
}

function One({ dial, pa, onPa }: { dial: Dial; pa: number | null; onPa: (pa: number | null) => void }) {
  const system = useSystem();
  const [hearing, setHearing] = useState(false);
  const hear = async () => {
    setHearing(true);
    const said = await listen();
    setHearing(false);
    const value = said === null ? null : read(said, "vacuum", system);
    if (value !== null) onPa(value);
  };
  return (
    <li className="grid grid-cols-[minmax(0,1fr)_8rem] items-end gap-x-4 border-b border-rule py-2">
      <div>
        <p>
          <span className="text-figure font-semibold">{dial.sensor}</span>{" "}
          <span className="text-soft">
            {dial.main || "pump"}, {quantity(dial.distance_m, "length", system)}
          </span>
        </p>
        <p className="text-label text-soft">
          usual {quantity(dial.usual_pa, "vacuum", system)}
          {dial.vacuum_pa !== null && `, read ${quantity(dial.vacuum_pa, "vacuum", system)} ${age(dial.age_s)} ago`}{" "}
          {dial.state !== "silent" && <StateMark state={dial.state} />}
        </p>
        {mayListen() && (
          <button type="button" className="py-1 text-amber underline" onClick={hear}>
            {hearing ? "listening" : "say it"}
          </button>
        )}
      </div>
      <NumberField label={`${dial.sensor} shows`} si={pa} onSi={(value) => onPa(value)} dimension="vacuum" big />
    </li>
  );
}

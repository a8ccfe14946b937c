import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { Link } from "react-router";
import { useHere, useMayWrite, useSystem } from "../../app/session";
import { Button, Choice, NumberField, TextField } from "../../kit";
import { api, Refusal, type Shapes, take } from "../../lib/api";
import { clock, day } from "../../lib/time";
import { figure, money, quantity, symbolOf } from "../../lib/units";
import { useBarrelsAction } from "./action";

type Went = Shapes["MoveIn"]["went"];

/** One pack: where it comes from, back to its runs, and where it went. */
export function PackTrace({ number }: { number: number }) {
  const { operation } = useHere();
  const system = useSystem();
  const path = { params: { path: { operation: operation.slug, number } } };
  const { data, error } = useQuery({
    queryKey: ["pack", operation.slug, number],
    queryFn: () => take(api.GET("/api/v1/operations/{operation}/packs/{number}", path)),
    retry: false,
  });
  if (error) return <p className="p-4">There is no pack {number} here.</p>;
  if (!data) return null;
  const { pack } = data;
  return (
    <div className="grid min-h-0 flex-1 gap-x-8 overflow-auto px-4 pb-3 lg:grid-cols-2">
      <section aria-label={`Pack ${number}`} className="space-y-2">
        <p className="text-label">
          <Link className="underline" to={`/${operation.slug}/barrels`}>
            the rack
          </Link>
        </p>
        <h1 className="text-answer font-semibold leading-tight">
          {pack.container} {pack.number}
          <span className="text-figure font-normal text-soft">
            {" "}
            {pack.grade}, lot {pack.lot}
          </span>
        </h1>
        <p>
          {pack.there} of {pack.count} there{pack.place && `, ${pack.place}`};{" "}
          {quantity(pack.each_m3, "volume", system, 2)} each at {quantity(20, "temperature", system, 0)},{" "}
          {figure(pack.brix, 1)} °Bx, {figure(pack.transmittance, 0)} % of light.
        </p>
        <p className="text-soft">
          Filled {day(pack.filled_at, operation.zone)} {clock(pack.filled_at, operation.zone)} at{" "}
          {quantity(pack.fill_c, "temperature", system, 0)}; it shrank {figure(100 * pack.shrinks, 1)} % on cooling.
          {pack.gross_kg != null &&
            pack.tare_kg != null &&
            ` Net ${quantity(pack.gross_kg - pack.tare_kg, "mass", system, 1)} by weight.`}
        </p>
        <p>
          <a className="underline" href={`/api/v1/operations/${operation.slug}/packs/${number}/labels.pdf`}>
            labels, PDF
          </a>
        </p>
        <Moves pack={pack} />
      </section>
      <section aria-label="Where it comes from">
        <h2 className="text-figure font-semibold">Where it comes from</h2>
        <ul>
          {data.lots.map((lot) => (
            <li key={lot.id} className="border-t border-rule py-1">
              <b className="font-mono">{lot.code}</b> {figure(100 * lot.share, 0)} %, {lot.grade}, {figure(lot.brix, 1)}{" "}
              °Bx, finished by {lot.finish}
              {lot.filtered ? ", filtered" : ", not filtered"} <span className="text-soft">{lot.made_by}</span>
            </li>
          ))}
          {data.runs.map((run) => (
            <li key={run.number} className="border-t border-rule py-1">
              <Link className="underline" to={`/${operation.slug}/ledger/${run.number}`}>
                run {run.number}
              </Link>{" "}
              {figure(100 * run.share, 0)} %, {day(run.started_at, operation.zone)}
              {run.sap_brix != null && `, sap of ${figure(run.sap_brix, 1)} °Bx`}
            </li>
          ))}
        </ul>
        {data.others.length > 0 && (
          <p className="mt-2 text-soft">
            From the same lots:{" "}
            {data.others.map((other) => (
              <Link
                key={other.number}
                className="mr-2 underline"
                to={`/${operation.slug}/barrels/pack/${other.number}`}
              >
                {other.container} {other.number}
              </Link>
            ))}
          </p>
        )}
      </section>
    </div>
  );
}

function Moves({ pack }: { pack: Shapes["PackOut"] }) {
  const { operation } = useHere();
  const mayWrite = useMayWrite();
  const path = { operation: operation.slug, number: pack.number };
  const [went, setWent] = useState<Went>("sold");
  const [count, setCount] = useState<number | null>(1);
  const [place, setPlace] = useState("");
  const [price, setPrice] = useState<number | null>(null);
  const send = useBarrelsAction(
    (body: Shapes["MoveIn"]) =>
      take(api.POST("/api/v1/operations/{operation}/packs/{number}/moves", { params: { path }, body })),
    () => {
      setCount(1);
      setPrice(null);
    },
  );
  const undo = useBarrelsAction((move: number) =>
    take(
      api.DELETE("/api/v1/operations/{operation}/packs/{number}/moves/{move}", { params: { path: { ...path, move } } }),
    ),
  );
  const refusal = send.error instanceof Refusal ? send.error : null;
  return (
    <div>
      <ol>
        {pack.moves.map((move) => (
          <li key={move.id} className="flex gap-3 border-t border-rule py-1">
            <span className="text-soft">{day(move.at, operation.zone)}</span>
            <span className="flex-1">
              {move.count} {move.went}
              {move.place && `, ${move.place}`}
              {move.price != null && `, ${money(move.price, operation.currency)}`}
            </span>
            {mayWrite && (
              <button type="button" className="text-label text-soft underline" onClick={() => undo.mutate(move.id)}>
                undo
              </button>
            )}
          </li>
        ))}
      </ol>
      {mayWrite && pack.there > 0 && (
        <form
          aria-label="Where it went"
          className="space-y-2 border-t border-ink pt-2"
          onSubmit={(event) => {
            event.preventDefault();
            if (count !== null)
              send.mutate({ went, count: Math.round(count), place, price: went === "sold" ? price : null });
          }}
        >
          <Choice
            label="went"
            value={went}
            options={[
              ["sold", "sold"],
              ["moved", "moved"],
              ["given away", "given"],
              ["spilled", "spilled"],
              ["opened", "opened"],
            ]}
            onValue={setWent}
          />
          <div className="grid grid-cols-3 gap-x-5">
            <NumberField
              label="how many"
              dimension="plain"
              unit=""
              digits={0}
              si={count}
              onSi={setCount}
              error={refusal?.about("count")}
            />
            <TextField label="where to" value={place} onValue={setPlace} error={refusal?.about("place")} />
            {went === "sold" && (
              <NumberField
                label="for, in all"
                dimension="plain"
                unit={symbolOf(operation.currency)}
                digits={2}
                si={price}
                onSi={setPrice}
              />
            )}
          </div>
          <Button kind="main" type="submit" disabled={count === null || send.isPending}>
            Note it
          </Button>
          {send.error && !refusal?.about("count") && !refusal?.about("place") && (
            <p role="alert" className="font-semibold text-act">
              {send.error.message}
            </p>
          )}
        </form>
      )}
    </div>
  );
}

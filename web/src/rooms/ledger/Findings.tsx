import { useQuery } from "@tanstack/react-query";
import { useHere, useSystem } from "../../app/session";
import { api, type Shapes, take } from "../../lib/api";
import { figure, quantity } from "../../lib/units";

type Closing = Shapes["ClosingOut"];

/** The reading most likely wrong, or that nothing speaks against any. */
export function Suspicion({ closing }: { closing: Closing }) {
  const { suspects, unchecked, balances } = closing;
  const first = suspects[0];
  const agreed = first && closing.agreed.find((one) => one.name === first.name);
  const system = useSystem();
  const alone = suspects.length === 1;
  return (
    <div className="text-label">
      {first ? (
        <p className="text-body">
          <b className="text-act">
            Look again at {alone ? "" : "one of these: "}
            {suspects.map((one) => `the ${one.quantity} of ${one.name}`).join(", ")}.
          </b>{" "}
          {agreed &&
            `The other readings would have ${first.quantity === "Brix" ? `${figure(agreed.brix, 1)} °Bx` : quantity(agreed.volume_m3, "volume", system)} there.`}
          {!alone && " The balances cannot tell these apart."}
        </p>
      ) : (
        <p className="text-soft">
          {balances > 1
            ? `${balances} balances of sugar and water: no reading stands out.`
            : "One balance of sugar: no reading stands out."}
        </p>
      )}
      {unchecked.length > 0 && (
        <p className="text-soft">
          Nothing checks {unchecked.map((one) => `the ${one.quantity} of ${one.name}`).join(", ")}.
        </p>
      )}
    </div>
  );
}

/** What the runs up to this one have taught about the machines, with intervals. */
export function Taught({ number }: { number: number }) {
  const { operation } = useHere();
  const system = useSystem();
  const { data } = useQuery({
    queryKey: ["taught", operation.slug, number],
    queryFn: () =>
      take(
        api.GET("/api/v1/operations/{operation}/runs/{number}/taught", {
          params: { path: { operation: operation.slug, number } },
        }),
      ),
    staleTime: Number.POSITIVE_INFINITY,
  });
  if (!data)
    return <p className="text-label text-soft">This run taught nothing yet: it has no readings of the machines.</p>;
  const rows: [string, string, string][] = [];
  for (const one of data.membranes) {
    const share = (value: number) => `${figure((100 * value) / one.maker_permeability, 0)} %`;
    rows.push([
      `${one.name}, flow when clean`,
      `${share(one.permeability.value)} of the maker's`,
      `${share(one.permeability.low)} to ${share(one.permeability.high)}`,
    ]);
    rows.push([
      "σ",
      one.told_apart ? figure(one.sigma.value, 2) : "cannot be told",
      `${figure(one.sigma.low, 2)} to ${figure(one.sigma.high, 2)}`,
    ]);
    if (one.health)
      rows.push([
        "against its best three runs",
        `${figure(100 * one.health.value, 0)} %`,
        `${figure(100 * one.health.low, 0)} to ${figure(100 * one.health.high, 0)} %`,
      ]);
  }
  const fire = data.evaporator;
  if (fire) {
    rows.push([
      `${fire.name}, net heat`,
      quantity(fire.heat_w.value, "power", system, 0),
      `${quantity(fire.heat_w.low, "power", system, 0)} to ${quantity(fire.heat_w.high, "power", system, 0)}`,
    ]);
    rows.push([
      "efficiency",
      fire.efficiency.from_prior ? "fuel not measured" : `${figure(100 * fire.efficiency.value, 0)} %`,
      `${figure(100 * fire.efficiency.low, 0)} to ${figure(100 * fire.efficiency.high, 0)} %`,
    ]);
  }
  return (
    <div className="text-label">
      <h2 className="text-body font-semibold">What {data.runs === 1 ? "this run" : `${data.runs} runs`} taught</h2>
      <table className="w-full">
        <tbody>
          {rows.map(([name, value, range]) => (
            <tr key={name} className="border-t border-rule">
              <th className="text-left font-normal">{name}</th>
              <td className="text-right font-semibold">{value}</td>
              <td className="pl-3 text-right text-soft">{range}</td>
            </tr>
          ))}
        </tbody>
      </table>
      {data.membranes.some((one) => one.told) && (
        <p className="text-soft">{data.membranes.find((one) => one.told)?.told}.</p>
      )}
    </div>
  );
}

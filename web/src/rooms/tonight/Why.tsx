import { useHere, useSystem } from "../../app/session";
import { span } from "../../lib/time";
import { figure, money } from "../../lib/units";
import type { Choice } from "./choice";

/** Why this target and not the best, in one sentence. */
export function Why({ choice, best }: { choice: Choice; best: Choice | undefined }) {
  const { operation } = useHere();
  const system = useSystem();
  const perVolume = system === "us" ? 3.785411784e-3 : 1e-3;
  const { why } = choice;
  if (!why || !best || best === choice) return null;
  const cost = (value: number) => money(Math.abs(value) * perVolume, operation.currency);
  const a = `a ${system === "us" ? "gallon" : "litre"}`;
  const name = best.target_brix > 0 ? `${figure(best.target_brix, 0)} °Bx` : "no membrane";
  const parts = [
    ["fuel", why.fuel_cost_more],
    ["work", why.labour_cost_more],
    ["the rest", why.other_cost_more],
  ] as const;
  const most = [...parts].sort((x, y) => Math.abs(y[1]) - Math.abs(x[1]))[0];
  const money_words =
    Math.abs(why.cost_more * perVolume) < 0.005
      ? `costs the same as ${name}`
      : `costs ${cost(why.cost_more)} ${a} ${why.cost_more > 0 ? "more" : "less"} than ${name}${
          most && Math.abs(most[1] * perVolume) >= 0.005
            ? `, by ${most[0]} ${cost(most[1])} ${most[1] > 0 ? "more" : "less"}`
            : ""
        }`;
  const time_words =
    Math.abs(why.later_min) < 5
      ? "ends at the same time"
      : `ends ${span(Math.abs(why.later_min))} ${why.later_min > 0 ? "later" : "earlier"}`;
  return (
    <p>
      {figure(choice.target_brix, 0) === "0" ? "No membrane" : `${figure(choice.target_brix, 0)} °Bx`} {money_words} and{" "}
      {time_words}.
    </p>
  );
}

import { useQueries, useQuery } from "@tanstack/react-query";
import { useHere, useSystem } from "../../app/session";
import { Button, Empty } from "../../kit";
import { api, type Shapes, take } from "../../lib/api";
import { serverNow } from "../../lib/serverTime";
import { clock, day } from "../../lib/time";
import { quantity } from "../../lib/units";
import { Strip } from "./Strip";
import { percent, STATE } from "./words";

const SEARCHED = ["suspected", "narrowing", "waiting"];
const MOST = 3;

/** The open hunts on one page of paper: where, the strip, what to test, and lines to write on. */
export function Sheet() {
  const { session, operation } = useHere();
  const path = { operation: operation.slug };
  const cases = useQuery({
    queryKey: ["hunts", operation.slug],
    queryFn: () => take(api.GET("/api/v1/operations/{operation}/hunts", { params: { path } })),
  });
  const open = (cases.data ?? []).filter((one) => SEARCHED.includes(one.state)).slice(0, MOST);
  const hunts = useQueries({
    queries: open.map((one) => ({
      queryKey: ["hunt", operation.slug, one.number],
      queryFn: () =>
        take(
          api.GET("/api/v1/operations/{operation}/hunts/{number}", {
            params: { path: { ...path, number: one.number } },
          }),
        ),
    })),
  });
  if (!cases.data) return null;
  if (open.length === 0)
    return <Empty title="No hunt is open">A walk sheet lists the open hunts with what to test on each.</Empty>;
  const now = serverNow();
  return (
    <article className="sheet mx-auto w-full max-w-4xl px-4 pb-4" aria-label="Walk sheet">
      <header className="flex items-baseline gap-4 border-b-2 border-ink">
        <h1 className="text-figure font-semibold">Walk sheet, {operation.name}</h1>
        <span className="text-label text-soft">
          {day(now, operation.zone)} {clock(now, operation.zone)}, {session.username}
        </span>
        <Button className="no-print ml-auto" onClick={() => print()}>
          Print
        </Button>
      </header>
      {hunts.map((one) => one.data && <OnPaper key={one.data.number} hunt={one.data} />)}
      <p className="mt-3 text-label">
        I walk: ________________________ due back: ____________ told: ________________________. Look up for hung limbs;
        tensioned wire whips; no ladder alone. Follow local code.
      </p>
    </article>
  );
}

function OnPaper({ hunt }: { hunt: Shapes["HuntOut"] }) {
  const system = useSystem();
  const likely = [...hunt.strip].sort((a, b) => b.chance - a.chance).slice(0, 8);
  return (
    <section className="mt-3 break-inside-avoid border-b border-ink pb-2">
      <h2 className="font-semibold">
        {hunt.number}. {hunt.main || hunt.bush}, {STATE[hunt.state]}: within{" "}
        {quantity(hunt.leak.metres, "length", system)}, {hunt.leak.size_scfm.toFixed(1)} SCFM
      </h2>
      <Strip places={hunt.strip} next={hunt.advice[0]?.at} position={hunt.position} />
      <div className="grid grid-cols-2 items-start gap-x-6 text-label">
        <table>
          <caption className="text-left font-semibold">Likeliest places</caption>
          <tbody>
            {likely.map((place) => (
              <tr key={place.tag} className="border-t border-rule">
                <td className="py-0.5">☐ {place.tag}</td>
                <td>{place.laterals > 0 ? `${place.laterals} laterals` : place.kind}</td>
                <td className="text-right font-mono">{percent(place.chance)}</td>
                <td className="text-right">{quantity(place.distance_m, "length", system)}</td>
              </tr>
            ))}
          </tbody>
        </table>
        <table>
          <caption className="text-left font-semibold">To do, and what it would mean</caption>
          <tbody>
            {hunt.advice.map((one) => (
              <tr key={`${one.action} ${one.at}`} className="border-t border-rule align-top">
                <td className="py-0.5 pr-2 font-semibold">
                  ☐ {one.action === "shut" ? "shut" : "look over"} {one.at}
                </td>
                <td>{one.outcomes.map((o) => meaning(o, (m) => quantity(m, "length", system))).join("; ")}</td>
              </tr>
            ))}
          </tbody>
        </table>
      </div>
      <p className="mt-2 text-label">
        Found: ______________________ at: ______________ parts: ______________________ mended: ________
      </p>
    </section>
  );
}

function meaning(outcome: Shapes["OutcomeOut"], length: (m: number) => string): string {
  const names: Record<string, string> = { rose: "it rises", stayed: "it stays", nothing: "nothing there" };
  return outcome.name === "found" ? "found: mend it" : `${names[outcome.name]}: ${length(outcome.metres)} left`;
}

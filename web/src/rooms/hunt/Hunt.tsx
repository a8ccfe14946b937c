import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { Link, useNavigate, useParams } from "react-router";
import { useHere, useMayWrite, useSystem } from "../../app/session";
import { Button } from "../../kit";
import { api, type Refusal, type Shapes, take } from "../../lib/api";
import { clock, day, span } from "../../lib/time";
import { money, quantity } from "../../lib/units";
import { ByHand } from "./ByHand";
import { BackToAll, Case } from "./Case";
import { Contacts } from "./Contacts";
import { OutAlone } from "./OutAlone";
import { Sheet } from "./Sheet";
import { useForTheWoods } from "./woods";
import { CAUSE, factText, INSTEAD, percent, STATE } from "./words";

/** Where is it, and what do I test next? */
export default function Hunt() {
  const { number } = useParams();
  if (number === "sheet") return <Sheet />;
  if (number && /^\d+$/.test(number)) {
    return (
      <>
        <BackToAll />
        <Case number={Number(number)} />
      </>
    );
  }
  return <All />;
}

function All() {
  const { operation } = useHere();
  const mayWrite = useMayWrite();
  const path = { params: { path: { operation: operation.slug } } };
  const alarms = useQuery({
    queryKey: ["alarms", operation.slug],
    queryFn: () => take(api.GET("/api/v1/operations/{operation}/alarms", path)),
    refetchInterval: 10_000,
  });
  const cases = useQuery({
    queryKey: ["hunts", operation.slug],
    queryFn: () => take(api.GET("/api/v1/operations/{operation}/hunts", path)),
    refetchInterval: 10_000,
  });
  useForTheWoods(cases.data);
  if (!alarms.data || !cases.data) return null;
  const open = alarms.data.filter((alarm) => alarm.closed_at === null);
  const leaks = open.filter((alarm) => alarm.cause === "leak");
  const rest = open.filter((alarm) => alarm.cause !== "leak");
  return (
    <div className="grid min-h-0 flex-1 content-start gap-x-8 gap-y-4 overflow-auto px-4 pb-2 lg:grid-cols-2">
      <section aria-label="What is wrong now">
        <h1 className="text-answer font-semibold leading-tight">
          {leaks.length === 0 ? "No leak shows" : leaks.length === 1 ? "One leak shows" : `${leaks.length} leaks show`}
        </h1>
        {open.length === 0 && (
          <p className="mt-1 text-soft">
            When a gauge falls below its usual and stays there, it shows here with its likeliest cause; a leak is hunted
            from here, test by test.
          </p>
        )}
        <ul className="mt-1">
          {[...leaks, ...rest].map((alarm) => (
            <AlarmLine key={alarm.id} alarm={alarm} />
          ))}
        </ul>
      </section>
      <section aria-label="Hunts">
        <h2 className="border-b border-ink text-figure font-semibold">Hunts</h2>
        {cases.data.length === 0 && <p className="mt-1 text-soft">None yet. “Hunt it” opens one.</p>}
        {cases.data.length > 0 && (
          <Link className="text-label text-soft underline" to={`/${operation.slug}/hunt/sheet`}>
            walk sheet on paper
          </Link>
        )}
        <CaseTable cases={cases.data} />
        {mayWrite && <ByHand />}
        <OutAlone />
        {operation.role === "owner" && <Contacts />}
      </section>
    </div>
  );
}

function AlarmLine({ alarm }: { alarm: Shapes["AlarmOut"] }) {
  const { operation } = useHere();
  const system = useSystem();
  const navigate = useNavigate();
  const client = useQueryClient();
  const path = { operation: operation.slug };
  const open = useMutation<Shapes["HuntOut"], Refusal>({
    mutationFn: () =>
      take(api.POST("/api/v1/operations/{operation}/hunts", { params: { path }, body: { alarm: alarm.id } })),
    onSuccess: (hunt) => navigate(`/${operation.slug}/hunt/${hunt.number}`),
  });
  const seen = useMutation<Shapes["AlarmOut"], Refusal>({
    mutationFn: () =>
      take(
        api.POST("/api/v1/operations/{operation}/alarms/{alarm}/seen", {
          params: { path: { ...path, alarm: alarm.id } },
        }),
      ),
    onSuccess: () => client.invalidateQueries({ queryKey: ["alarms", operation.slug] }),
  });
  const short = (pa: number) => quantity(pa, "vacuum", system);
  const telling = alarm.facts.filter((fact) => fact.favours.length === 0 || fact.favours.includes(alarm.cause));
  const [, second] = Object.entries(alarm.causes);
  return (
    <li className="border-t border-rule py-2">
      <p className="text-body">
        <span className="text-figure font-semibold">{alarm.place || alarm.bush}</span>{" "}
        <span className={alarm.cause === "leak" ? "font-semibold text-act" : "font-semibold"}>
          {CAUSE[alarm.cause] ?? alarm.cause}
        </span>
        <span className="text-soft">
          , {percent(alarm.causes[alarm.cause] ?? 0)}
          {second && second[1] > 0.05 && `, or ${CAUSE[second[0]] ?? second[0]}, ${percent(second[1])}`}
        </span>
      </p>
      <p className="text-label text-soft">
        since {day(alarm.opened_at, operation.zone)} {clock(alarm.opened_at, operation.zone)}
        {alarm.money_lost > 0 &&
          `, ${quantity(alarm.sap_lost_m3, "volume", system)} of sap lost, ${money(alarm.money_lost, operation.currency)}`}
        : {telling.map((fact) => factText(fact, system, short)).join("; ")}.
      </p>
      {INSTEAD[alarm.cause] && <p>{INSTEAD[alarm.cause]}</p>}
      <div className="mt-1 flex flex-wrap items-center gap-2 text-label">
        {alarm.case ? (
          <Link
            className="bg-amber px-3 py-1.5 font-semibold text-on-amber"
            to={`/${operation.slug}/hunt/${alarm.case}`}
          >
            Go on with hunt {alarm.case}
          </Link>
        ) : (
          <Button
            kind={alarm.cause === "leak" ? "main" : "plain"}
            disabled={open.isPending}
            onClick={() => open.mutate()}
          >
            {open.isPending ? "Locating" : alarm.cause === "leak" ? "Hunt it" : "Hunt it all the same"}
          </Button>
        )}
        {alarm.acknowledged_at ? (
          <span className="text-soft">
            seen by {alarm.acknowledged_by} at {clock(alarm.acknowledged_at, operation.zone)}
          </span>
        ) : (
          <Button onClick={() => seen.mutate()}>Seen</Button>
        )}
      </div>
      {(open.error ?? seen.error) && (
        <p role="alert" className="text-label font-semibold text-act">
          {(open.error ?? seen.error)?.message}
        </p>
      )}
    </li>
  );
}

function CaseTable({ cases }: { cases: Shapes["CaseOut"][] }) {
  const { operation } = useHere();
  return (
    <table className="w-full text-label">
      <caption className="sr-only">Hunts, the open ones first</caption>
      <tbody>
        {cases.map((one) => (
          <tr key={one.number} className="border-t border-rule">
            <td className="py-1 font-mono">{one.number}</td>
            <td>
              <Link className="font-semibold underline" to={`/${operation.slug}/hunt/${one.number}`}>
                {one.main || one.bush}
              </Link>
            </td>
            <td>{STATE[one.state] ?? one.state}</td>
            <td className="max-sm:hidden">{one.found_at ? `${one.found_cause} at ${one.found_at}` : ""}</td>
            <td className="text-right">{one.steps > 0 ? `${one.steps} tests, ${span(one.minutes)}` : ""}</td>
            <td className="text-right text-soft">{day(one.opened_at, operation.zone)}</td>
          </tr>
        ))}
      </tbody>
    </table>
  );
}

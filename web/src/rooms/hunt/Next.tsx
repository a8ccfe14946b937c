import { useState } from "react";
import { useHere, useSystem } from "../../app/session";
import { Button, Choice, TextField } from "../../kit";
import type { Shapes } from "../../lib/api";
import { useKept } from "../../lib/keep";
import { span } from "../../lib/time";
import { quantity } from "../../lib/units";
import type { Steps, Write } from "./steps";
import { FOUND_CAUSES, percent } from "./words";

type Advice = Shapes["AdviceOut"];

/** What to do now, why, and one tap for each way it can end. */
export function Next({ hunt, steps }: { hunt: Shapes["HuntOut"]; steps: Steps }) {
  const { write, fault } = steps;
  const [other, setOther] = useState(0);
  const [finding, setFinding] = useState(false);
  // what was done here and waits to be sent need not be advised again
  const done = new Set(steps.waiting.filter((one) => one.body.kind !== "going").map((one) => one.body.place));
  const left = hunt.advice.filter((one) => !done.has(one.at));
  const advice = left[Math.min(other, left.length - 1)];
  if (!advice) {
    return hunt.advice.length === 0 ? null : (
      <p className="border-y-2 border-ink py-2">All that was advised here is done. New advice comes with coverage.</p>
    );
  }
  return (
    <section aria-label="What to do next" className="border-y-2 border-ink py-2">
      <h2 className="text-figure font-semibold leading-tight">
        <span className="text-amber">{other ? "Or: " : "Next: "}</span>
        {advice.action === "shut" ? `shut the valve ${advice.at}` : `look over ${advice.at} and its laterals`}
      </h2>
      <Why advice={advice} hunt={hunt} />
      {finding ? (
        // the form stays open while fresher advice comes in
        <Found place={advice.at} write={write} onBack={() => setFinding(false)} />
      ) : advice.action === "shut" ? (
        <ShutOff key={advice.at} hunt={hunt} valve={advice.at} write={write} fault={fault} />
      ) : (
        <Look place={advice.at} write={write} onFound={() => setFinding(true)} />
      )}
      <div className="mt-2 flex flex-wrap gap-2 text-label">
        {left.length > 1 && (
          <Button onClick={() => setOther((other + 1) % left.length)}>
            {other + 1 < left.length ? "Something else" : "Back to the best"}
          </Button>
        )}
        <Button onClick={() => write("not_found", null, {})}>Not found: wait for a harder run</Button>
      </div>
    </section>
  );
}

function Why({ advice, hunt }: { advice: Advice; hunt: Shapes["HuntOut"] }) {
  const system = useSystem();
  return (
    <>
      <p className="text-soft">
        {span(advice.minutes)}, {quantity(advice.walk_m, "length", system)} from {hunt.position}.{" "}
        {advice.action === "look"
          ? `One chance in ${Math.max(1, Math.round(1 / Math.max(advice.chance, 0.001)))} that it is found there.${hunt.listen ? "" : " Too windy to listen: look for even bubbles."}`
          : "It tells the most for its minutes."}
      </p>
      <table className="mt-1 w-full text-label">
        <caption className="sr-only">What each outcome would mean</caption>
        <tbody>
          {advice.outcomes.map((outcome) => (
            <tr key={outcome.name} className="border-t border-rule align-baseline">
              <th className="py-0.5 pr-3 text-left font-semibold">{outcomeName(outcome, system)}</th>
              <td className="whitespace-nowrap pr-3 text-right font-mono">{percent(outcome.chance)}</td>
              <td className="text-soft">{meaning(outcome, advice, system)}</td>
            </tr>
          ))}
        </tbody>
      </table>
    </>
  );
}

function outcomeName(outcome: Shapes["OutcomeOut"], system: "us" | "metric"): string {
  const rise = outcome.rise_pa === null ? "" : quantity(outcome.rise_pa, "vacuum", system);
  return (
    {
      rose: `${outcome.gauge} rises ${rise}`,
      stayed: `it rises ${rise} or less`,
      found: "found",
      nothing: "nothing there",
    }[outcome.name] ?? outcome.name
  );
}

function meaning(outcome: Shapes["OutcomeOut"], advice: Advice, system: "us" | "metric"): string {
  const left = `${quantity(outcome.metres, "length", system)} of line left`;
  const hold =
    outcome.hold_pa_s === null ? "" : `; behind it ${quantity(outcome.hold_pa_s * 60, "vacuum", system)} lost a minute`;
  return (
    {
      rose: `behind ${advice.at}, ${left}${hold}`,
      stayed: `not behind it, ${left}${hold}`,
      found: "mend it",
      nothing: left,
    }[outcome.name] ?? ""
  );
}

/** Shut, wait, open: the gauges are read by themselves; without live gauges one word is enough. */
function ShutOff(props: { hunt: Shapes["HuntOut"]; valve: string; write: Write; fault: string | null }) {
  const { operation } = useHere();
  const [began, setBegan] = useKept<string | null>(`shut ${operation.slug} ${props.hunt.number} ${props.valve}`, null);
  const end = (facts: Shapes["StepFacts"]) => props.write("shut", props.valve, facts, () => setBegan(null));
  if (began === null) {
    return (
      <div className="mt-2 flex flex-wrap gap-2 max-sm:*:min-h-14 max-sm:*:flex-1">
        <Button kind="main" onClick={() => props.write("going", props.valve, {}, (at) => setBegan(at))}>
          Shut now
        </Button>
        <Button onClick={() => end({ rose: true })}>Done: it rose</Button>
        <Button onClick={() => end({ rose: false })}>Done: it stayed</Button>
      </div>
    );
  }
  return (
    <div className="mt-2">
      <p role="status" className="font-semibold">
        {props.valve} is shut. Wait four to five minutes, then open it again.
      </p>
      <div className="mt-1 flex flex-wrap gap-2 max-sm:*:min-h-14 max-sm:*:flex-1">
        <Button kind="main" onClick={() => end({ began_at: began })}>
          Open again: read the gauges
        </Button>
        <Button onClick={() => end({ rose: true })}>It rose</Button>
        <Button onClick={() => end({ rose: false })}>It stayed</Button>
        <Button onClick={() => setBegan(null)}>Never mind</Button>
      </div>
      {props.fault && (
        <p role="alert" className="mt-1 text-label font-semibold text-act">
          {props.fault}
        </p>
      )}
    </div>
  );
}

function Look({ place, write, onFound }: { place: string; write: Write; onFound: () => void }) {
  return (
    <div className="mt-2 flex flex-wrap gap-2 max-sm:*:min-h-14 max-sm:*:flex-1">
      <Button kind="main" onClick={onFound}>
        Found it
      </Button>
      <Button onClick={() => write("look", place, {})}>Nothing there</Button>
    </div>
  );
}

/** Where and what it was. */
export function Found({ place, write, onBack }: { place: string; write: Write; onBack: () => void }) {
  const [at, setAt] = useKept("found at", place);
  const [cause, setCause] = useKept("found cause", "chew");
  const [parts, setParts] = useKept("found parts", "");
  return (
    <form
      className="mt-2 space-y-2"
      onSubmit={(event) => {
        event.preventDefault();
        write("found", at, parts ? { cause, parts } : { cause }, () => setParts(""));
      }}
    >
      <Choice label="What it was" value={cause} options={FOUND_CAUSES} onValue={setCause} />
      <div className="grid gap-3 sm:grid-cols-2">
        <TextField label="Where: saddle, valve or lateral end" value={at} onValue={setAt} />
        <TextField label="Parts used" value={parts} onValue={setParts} />
      </div>
      <div className="flex gap-2">
        <Button kind="main" type="submit">
          Note it as found
        </Button>
        <Button onClick={onBack}>Back</Button>
      </div>
    </form>
  );
}

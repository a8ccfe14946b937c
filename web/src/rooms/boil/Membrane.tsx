import { useQuery } from "@tanstack/react-query";
import { scaleLinear, scaleTime } from "d3-scale";
import { useState } from "react";
import { useHere, useMayWrite, useSystem } from "../../app/session";
import { Button, Caution, Empty, NumberField, TextField } from "../../kit";
import { api, type Shapes, take } from "../../lib/api";
import { useKept } from "../../lib/keep";
import { clock, day, span } from "../../lib/time";
import { figure, number, quantity, unitOf } from "../../lib/units";
import { useBoilAction, useBoilLetters } from "./action";

type Machine = Shapes["MembraneOut"];

/** The membrane's session: readings beside what it should give, its wash step by step, its health. */
export function Membrane({ run }: { run: Shapes["OpenRun"] | null }) {
  const { operation } = useHere();
  const { data } = useQuery({
    queryKey: ["membrane", operation.slug],
    queryFn: () =>
      take(api.GET("/api/v1/operations/{operation}/membrane", { params: { path: { operation: operation.slug } } })),
    refetchInterval: 15_000,
  });
  if (!data) return null;
  if (data.machines.length === 0) return <Empty title="No membrane here">This operation boils its sap as it is.</Empty>;
  return (
    <div className="min-h-0 flex-1 space-y-4 overflow-auto">
      {data.machines.map((machine) => (
        <One key={machine.id} machine={machine} session={data} run={run} />
      ))}
    </div>
  );
}

function One(props: { machine: Machine; session: Shapes["MembraneSessionOut"]; run: Shapes["OpenRun"] | null }) {
  const { machine, session, run } = props;
  const mayWrite = useMayWrite();
  const system = useSystem();
  const [open, setOpen] = useState<"line" | "wash" | "test" | null>(null);
  const share = `${figure(100 * machine.ratio, 0)} %`;
  return (
    <section aria-label={machine.name}>
      <h2 className="text-figure font-semibold">
        {machine.name}: flow at {share} of clean
        <span className="font-normal text-soft">
          {machine.wash_due
            ? ""
            : `, wash due under ${figure(100 * machine.wash_below, 0)} %, ${quantity(machine.since_wash_m3, "volume", system)} since the last`}
        </span>
      </h2>
      {machine.wash_due && (
        <p className="font-semibold text-act">
          Wash it: its flow has fallen below {figure(100 * machine.wash_below, 0)} % of clean at the same conditions.
        </p>
      )}
      {mayWrite && open === null && (
        <div className="mt-2 grid grid-cols-2 gap-2 sm:grid-cols-4">
          <Power machine={machine} run={run} />
          <Button kind="big" disabled={run === null} onClick={() => setOpen("line")}>
            Readings
          </Button>
          <Button kind="big" onClick={() => setOpen("wash")}>
            Wash
          </Button>
          <Button kind="big" onClick={() => setOpen("test")}>
            Clean water
          </Button>
        </div>
      )}
      {open === "line" && run && (
        <Readings machine={machine} now={session.now} run={run} onDone={() => setOpen(null)} />
      )}
      {open === "wash" && <Wash machine={machine} session={session} onDone={() => setOpen(null)} />}
      {open === "test" && <CleanWater machine={machine} onDone={() => setOpen(null)} />}
      <div className="mt-3 grid gap-6 md:grid-cols-[minmax(0,1fr)_18rem]">
        <Lines machine={machine} />
        <Trend machine={machine} />
      </div>
      <div className="mt-2">
        <Caution>High pressure: release it before a housing is opened. Permeate is not tested drinking water.</Caution>
      </div>
    </section>
  );
}

/** On or off, timed by itself; the log of the run tells since when it runs. */
function Power({ machine, run }: { machine: Machine; run: Shapes["OpenRun"] | null }) {
  const { operation } = useHere();
  const letters = useBoilLetters(run?.number ?? 0);
  const on = machine.running === true;
  const press = () =>
    void letters.send(`runs/${run?.number}/entries`, (token, at) => ({
      kind: on ? "membrane-off" : "membrane-on",
      text: machine.name,
      token,
      at,
    }));
  return (
    <Button kind="big" disabled={run === null} onClick={press}>
      {on ? "Off" : "On"}
      {on && machine.running_since && (
        <span className="block text-label font-normal text-soft">
          on since {clock(machine.running_since, operation.zone)}
        </span>
      )}
    </Button>
  );
}

type LineDraft = {
  feed_brix: number | null;
  concentrate_brix: number | null;
  temp_c: number | null;
  pressure_pa: number | null;
  permeate_m3_s: number | null;
};

/** One line of the log; what sensors know is filled in. */
function Readings(props: {
  machine: Machine;
  now: Shapes["MembraneNowOut"];
  run: Shapes["OpenRun"];
  onDone: () => void;
}) {
  const { machine, now, run } = props;
  const [typed, setTyped] = useKept<Partial<LineDraft>>(`zucker.membrane.${machine.id}`, {});
  const letters = useBoilLetters(run.number);
  const draft: LineDraft = { ...now, ...typed };
  const ready = Object.values(draft).every((value) => value !== null);
  const field = (key: keyof LineDraft, label: string, dimension: "brix" | "temperature" | "pressure" | "flow") => (
    <NumberField
      big
      label={label}
      dimension={dimension}
      si={draft[key]}
      error={letters.about(key)}
      onSi={(si) => setTyped({ ...typed, [key]: si })}
    />
  );
  const keep = async () => {
    const kept = await letters.send(`runs/${run.number}/membrane-lines`, (token, at) => ({
      ...draft,
      machine: machine.id,
      token,
      at,
    }));
    if (!kept) return;
    setTyped({});
    props.onDone();
  };
  return (
    <form
      aria-label="Membrane readings"
      className="border-t-2 border-amber pt-2"
      onSubmit={(event) => {
        event.preventDefault();
        if (ready) void keep();
      }}
    >
      <div className="grid grid-cols-2 gap-x-6 gap-y-2 sm:grid-cols-5">
        {field("feed_brix", "sap", "brix")}
        {field("concentrate_brix", "concentrate", "brix")}
        {field("permeate_m3_s", "permeate", "flow")}
        {field("pressure_pa", "pressure", "pressure")}
        {field("temp_c", "sap at", "temperature")}
      </div>
      <Foot
        ready={ready}
        word="Keep these readings"
        fault={Object.keys(draft).some(letters.about) ? null : letters.fault}
        onDone={props.onDone}
      />
    </form>
  );
}

const STEPS = ["rinse", "alkali", "acid", "soak", "flush", "done"] as const;
type Step = (typeof STEPS)[number];
const STEP_WORDS: Record<Step, string> = {
  rinse: "rinsed",
  alkali: "alkali in",
  acid: "acid in",
  soak: "soaking",
  flush: "flushed to neutral",
  done: "wash done",
};

/** The wash, step by step, with what it takes; each step timed by itself. */
function Wash(props: { machine: Machine; session: Shapes["MembraneSessionOut"]; onDone: () => void }) {
  const { machine, session } = props;
  const { operation } = useHere();
  const system = useSystem();
  const [facts, setFacts] = useState<{ chemical: string; temp_c: number | null; ph: number | null }>({
    chemical: "",
    temp_c: null,
    ph: null,
  });
  const letters = useBoilLetters(-machine.id);
  const log = (step: Step) =>
    void letters.send(`machines/${machine.id}/wash-steps`, (token, at) => ({
      step,
      chemical: step === "alkali" || step === "acid" ? facts.chemical : "",
      temp_c: facts.temp_c,
      ph: step === "flush" ? facts.ph : null,
      token,
      at,
    }));
  const { wash } = machine;
  const kept = session.permeate_m3;
  return (
    <div className="border-t-2 border-amber pt-2">
      <p>
        Rinse {quantity(wash.rinse_m3, "volume", system)}, fill {quantity(wash.fill_m3, "volume", system)}, flush{" "}
        {quantity(wash.flush_m3, "volume", system)}: <b>{quantity(wash.permeate_m3, "volume", system)} of permeate</b>,
        about {span(wash.minutes)}.{" "}
        {kept !== null && (
          <span className={kept < wash.permeate_m3 ? "font-semibold text-act" : "text-soft"}>
            {quantity(kept, "volume", system)} in the tank
            {kept < wash.permeate_m3 && `: ${quantity(wash.permeate_m3 - kept, "volume", system)} short`}.
          </span>
        )}
      </p>
      <div className="mt-1 grid grid-cols-3 gap-x-6 sm:max-w-xl">
        <TextField
          label="chemical"
          value={facts.chemical}
          error={letters.about("chemical")}
          onValue={(chemical) => setFacts({ ...facts, chemical })}
        />
        <NumberField
          label="wash at"
          dimension="temperature"
          digits={0}
          si={facts.temp_c}
          error={letters.about("temp_c")}
          onSi={(temp_c) => setFacts({ ...facts, temp_c })}
        />
        <NumberField
          label="drain"
          dimension="plain"
          unit="pH"
          digits={1}
          si={facts.ph}
          error={letters.about("ph")}
          onSi={(ph) => setFacts({ ...facts, ph })}
        />
      </div>
      <div className="mt-2 grid grid-cols-3 gap-2 sm:grid-cols-6">
        {STEPS.map((step) => (
          <Button key={step} kind="big" onClick={() => log(step)}>
            {STEP_WORDS[step]}
          </Button>
        ))}
      </div>
      {letters.fault && !["chemical", "temp_c", "ph"].some(letters.about) && (
        <p role="alert" className="font-semibold text-act">
          Not kept: {letters.fault}
        </p>
      )}
      <ol className="mt-2">
        {machine.steps.map((step) => (
          <li key={step.id} className="flex gap-3 border-t border-rule py-1">
            <span className="font-mono text-label text-soft">{clock(step.at, operation.zone)}</span>
            <span>
              {STEP_WORDS[step.step as Step] ?? step.step} {step.chemical}
              <span className="text-soft">
                {step.temp_c != null && `, ${quantity(step.temp_c, "temperature", system, 0)}`}
                {step.ph != null && `, pH ${figure(step.ph, 1)}`} {step.by}
              </span>
            </span>
            <Undo kind="wash-steps" line={step.id} />
          </li>
        ))}
      </ol>
      <div className="mt-2 flex items-center gap-4">
        <Button onClick={props.onDone}>Done here</Button>
        <Caution>
          Goggles and gloves. Alkali and acid are never mixed: rinse in between, to neutral. Follow the maker and local
          rules for the drain.
        </Caution>
      </div>
    </div>
  );
}

function CleanWater(props: { machine: Machine; onDone: () => void }) {
  const { machine } = props;
  const [draft, setDraft] = useState<{ flow_m3_s: number | null; temp_c: number | null; pressure_pa: number | null }>({
    flow_m3_s: null,
    temp_c: null,
    pressure_pa: machine.pressure_pa,
  });
  const letters = useBoilLetters(-machine.id);
  const ready = Object.values(draft).every((value) => value !== null);
  const keep = async () => {
    const kept = await letters.send(`machines/${machine.id}/clean-water`, (token, at) => ({ ...draft, token, at }));
    if (kept) props.onDone();
  };
  return (
    <form
      aria-label="Clean-water test"
      className="border-t-2 border-amber pt-2"
      onSubmit={(event) => {
        event.preventDefault();
        if (ready) void keep();
      }}
    >
      <div className="grid grid-cols-3 gap-x-6">
        <NumberField
          big
          label="permeate"
          dimension="flow"
          si={draft.flow_m3_s}
          error={letters.about("flow_m3_s")}
          onSi={(flow_m3_s) => setDraft({ ...draft, flow_m3_s })}
        />
        <NumberField
          big
          label="water at"
          dimension="temperature"
          si={draft.temp_c}
          error={letters.about("temp_c")}
          onSi={(temp_c) => setDraft({ ...draft, temp_c })}
        />
        <NumberField
          big
          label="pressure"
          dimension="pressure"
          si={draft.pressure_pa}
          error={letters.about("pressure_pa")}
          onSi={(pressure_pa) => setDraft({ ...draft, pressure_pa })}
        />
      </div>
      <Foot
        ready={ready}
        word="Keep this test"
        fault={Object.keys(draft).some(letters.about) ? null : letters.fault}
        onDone={props.onDone}
      />
    </form>
  );
}

function Foot(props: { ready: boolean; word: string; fault: string | null; onDone: () => void }) {
  return (
    <div className="mt-2 flex items-center gap-2">
      <Button kind="main" type="submit" disabled={!props.ready}>
        {props.word}
      </Button>
      <Button onClick={props.onDone}>Not now</Button>
      {props.fault && (
        <span role="alert" className="font-semibold text-act">
          Not kept: {props.fault}
        </span>
      )}
    </div>
  );
}

/** The log of the open run: each line beside what the clean machine would give. */
function Lines({ machine }: { machine: Machine }) {
  const { operation } = useHere();
  const system = useSystem();
  if (machine.lines.length === 0)
    return (
      <p className="text-soft">
        Readings every half hour or so, once a run is open, teach what this machine can do. They stand here beside what
        it should give.
      </p>
    );
  return (
    <table className="w-full text-right font-mono text-label">
      <caption className="sr-only">Readings of this run</caption>
      <thead className="font-sans text-soft">
        <tr className="*:font-normal">
          <th className="text-left">at</th>
          <th>sap</th>
          <th>to, °Bx</th>
          <th>{unitOf("pressure", system)}</th>
          <th>{unitOf("temperature", system)}</th>
          <th>permeate, {unitOf("flow", system)}</th>
          <th>of clean</th>
          <th />
        </tr>
      </thead>
      <tbody>
        {[...machine.lines].reverse().map((line) => (
          <tr key={line.id} className="border-t border-rule">
            <th className="py-1 text-left font-normal">{clock(line.at, operation.zone)}</th>
            <td>{figure(line.feed_brix, 1)}</td>
            <td>{figure(line.concentrate_brix, 1)}</td>
            <td>{number(line.pressure_pa, "pressure", system)}</td>
            <td>{number(line.temp_c, "temperature", system, 0)}</td>
            <td>{number(line.permeate_m3_s, "flow", system)}</td>
            <td className={line.ratio != null && line.ratio < machine.wash_below ? "font-semibold text-act" : ""}>
              {line.ratio == null ? "" : `${figure(100 * line.ratio, 0)} %`}
            </td>
            <td>
              <Undo kind="membrane-lines" line={line.id} />
            </td>
          </tr>
        ))}
      </tbody>
    </table>
  );
}

function Undo(props: { kind: "membrane-lines" | "wash-steps" | "clean-water"; line: number }) {
  const { operation } = useHere();
  const mayWrite = useMayWrite();
  const undo = useBoilAction(() =>
    take(
      api.DELETE("/api/v1/operations/{operation}/membrane/{kind}/{line}", {
        params: { path: { operation: operation.slug, kind: props.kind, line: props.line } },
      }),
    ),
  );
  if (!mayWrite) return null;
  return (
    <button type="button" className="font-sans text-label text-soft underline" onClick={() => undo.mutate(undefined)}>
      undo
    </button>
  );
}

const WIDTH = 280;
const HEIGHT = 120;

/** Health by clean water, over the months. */
function Trend({ machine }: { machine: Machine }) {
  const { operation } = useHere();
  const { tests } = machine;
  const last = tests.at(-1);
  if (!last) return <p className="text-soft">A clean-water test after a wash shows how the membrane ages.</p>;
  const times = tests.map((test) => new Date(test.at));
  const x = scaleTime([times[0] as Date, times.at(-1) as Date], [8, WIDTH - 60]);
  const low = Math.min(...tests.map((test) => test.health), 0.8);
  const y = scaleLinear([low - 0.03, Math.max(...tests.map((test) => test.health), 1)], [HEIGHT - 18, 12]);
  const at = (index: number) => (tests.length > 1 ? x(times[index] as Date) : WIDTH / 2);
  return (
    <svg
      viewBox={`0 0 ${WIDTH} ${HEIGHT}`}
      className="w-full"
      role="img"
      aria-label={`Clean-water flow ${figure(100 * last.health, 0)} % of new`}
    >
      <line x1="8" x2={WIDTH - 60} y1={y(1)} y2={y(1)} stroke="var(--rule)" />
      <text x={WIDTH - 54} y={y(1) + 4} fontSize="12" className="text-soft">
        new
      </text>
      {tests.map((test, k) => (
        <circle key={test.id} cx={at(k)} cy={y(test.health)} r="3.5" fill="var(--fine-0)" />
      ))}
      <text x={Math.min(at(tests.length - 1) + 7, WIDTH - 50)} y={y(last.health) + 4} fontSize="14" fontWeight="600">
        {figure(100 * last.health, 0)} %
      </text>
      <text x="8" y={HEIGHT - 3} fontSize="12" className="text-soft">
        clean water, {day(last.at, operation.zone)}
      </text>
    </svg>
  );
}

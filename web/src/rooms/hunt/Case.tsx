import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { Link } from "react-router";
import { useHere, useSystem } from "../../app/session";
import { Button, Caution, TextField } from "../../kit";
import { api, type Shapes, take } from "../../lib/api";
import { useKept } from "../../lib/keep";
import { clock, span } from "../../lib/time";
import { money, quantity } from "../../lib/units";
import { Profile } from "../woods/Profile";
import { Found, Next } from "./Next";
import { Photo } from "./Photo";
import { StepLog } from "./StepLog";
import { Strip } from "./Strip";
import { type Steps, stateWith, useSteps } from "./steps";
import { WaitingList } from "./Waiting";
import { CAUSE, INSTEAD, percent, STATE } from "./words";

/** One hunt: where it is, what to test next, what was done, whether the repair holds. */
export function Case({ number }: { number: number }) {
  const { operation } = useHere();
  const { data: hunt } = useQuery({
    queryKey: ["hunt", operation.slug, number],
    queryFn: () =>
      take(
        api.GET("/api/v1/operations/{operation}/hunts/{number}", {
          params: { path: { operation: operation.slug, number } },
        }),
      ),
    refetchInterval: 10_000,
  });
  const steps = useSteps(number);
  if (!hunt) return null;
  // without coverage the hunt goes by what was written here; the server's word comes later
  const state = stateWith(hunt.state, steps.waiting);
  const searching = ["suspected", "narrowing", "waiting"].includes(state);
  return (
    <div className="grid min-h-0 flex-1 content-start gap-x-6 gap-y-2 overflow-auto px-4 pb-2 lg:grid-cols-[minmax(0,1.45fr)_minmax(22rem,1fr)] lg:grid-rows-[auto_1fr]">
      <section aria-label="Where it is" className="min-w-0 max-lg:order-2 lg:col-start-1 lg:row-span-2 lg:row-start-1">
        <Answer hunt={hunt} />
        <Strip places={hunt.strip} next={searching ? hunt.advice[0]?.at : undefined} position={hunt.position} />
        <Evidence hunt={hunt} />
        {hunt.main && <Profile main={hunt.main} />}
      </section>
      <section
        aria-label="What to do"
        className="flex min-w-0 flex-col gap-2 max-lg:order-first max-lg:mt-1 lg:col-start-2"
      >
        {searching && <Next hunt={hunt} steps={steps} />}
        {searching && <Elsewhere hunt={hunt} write={steps.write} />}
        {state === "found" && <Mend hunt={hunt} write={steps.write} />}
        {state === "repaired" && (
          <p className="border-y-2 border-ink py-2">
            <span className="text-figure font-semibold">Mended. The gauges prove it.</span>
            <br />
            <span className="text-soft">
              Proven when the vacuum has stood within its spread for 20 minutes; if it has not come back after 45, this
              hunt opens again by itself.
            </span>
          </p>
        )}
        {steps.fault && (
          <p role="alert" className="font-semibold text-act">
            {steps.fault}
          </p>
        )}
      </section>
      <section aria-label="What was done" className="flex min-w-0 flex-col gap-2 max-lg:order-last lg:col-start-2">
        <h2 className="border-b border-rule font-semibold">
          What was done <span className="font-normal text-soft">{span(hunt.minutes)}</span>
        </h2>
        <WaitingList letters={steps.waiting} />
        <StepLog hunt={hunt} undo={steps.undo} />
        <NoteLine write={steps.write} photo={steps.photo} place={hunt.position} />
        <div className="mt-auto">
          <Caution>
            Say where you walk and when you are due back. Look up for hung limbs; tensioned wire whips. No ladder alone.
          </Caution>
        </div>
      </section>
    </div>
  );
}

function Answer({ hunt }: { hunt: Shapes["HuntOut"] }) {
  const { operation } = useHere();
  const system = useSystem();
  const { leak } = hunt;
  const cost = `${money(hunt.money_s * 3600, operation.currency)} an hour`;
  if (hunt.state === "proven" || hunt.state === "repaired" || hunt.state === "found") {
    return (
      <div className="pb-1">
        <h1 className="text-answer font-semibold leading-tight">
          {hunt.main || hunt.bush}: {hunt.found_cause} at {hunt.found_at}
        </h1>
        <p className="text-soft">
          {STATE[hunt.state]}; it was costing {cost}
          {hunt.alarm &&
            `, ${money(hunt.alarm.money_lost, operation.currency)} since ${clock(hunt.alarm.opened_at, operation.zone)}`}
          .
        </p>
      </div>
    );
  }
  return (
    <div className="pb-1">
      <h1 className="text-answer font-semibold leading-tight">
        Within {quantity(leak.metres, "length", system)}{" "}
        <span className="text-figure font-normal text-soft">
          of {leak.branches[0]?.main || hunt.main || "the conductor"}
          {leak.branches[0] && `, ${percent(leak.branches[0].chance)} sure of the line`}
        </span>
      </h1>
      <p>
        A leak of {leak.size_scfm.toFixed(1)} SCFM ({leak.size_low.toFixed(1)} to {leak.size_high.toFixed(1)}), costing{" "}
        {quantity(hunt.sap_m3_s, "flow", system, 1)} of sap, {cost}.{" "}
        <span className="text-soft">Within a lateral it looks the same as at its saddle.</span>
      </p>
    </div>
  );
}

function Evidence({ hunt }: { hunt: Shapes["HuntOut"] }) {
  if (!hunt.alarm) return null;
  const likely = Object.entries(hunt.alarm.causes)
    .sort((a, b) => b[1] - a[1])
    .filter(([, share]) => share > 0.02);
  return (
    <p className="mt-1 text-label text-soft">
      The readings say: {likely.map(([cause, share]) => `${CAUSE[cause] ?? cause} ${percent(share)}`).join(", ")}.
      {hunt.alarm.cause !== "leak" && ` ${INSTEAD[hunt.alarm.cause] ?? ""}`}
      {hunt.others.length > 0 && ` Others: ${hunt.others.map((o) => `${o.who} goes to ${o.place}`).join(", ")}.`}
    </p>
  );
}

type WriteProp = { hunt: Shapes["HuntOut"]; write: Steps["write"] };

/** It was found somewhere else than the program thought. */
function Elsewhere({ hunt, write }: WriteProp) {
  const [open, setOpen] = useState(false);
  const place = hunt.strip.reduce((a, b) => (b.chance > a.chance ? b : a), hunt.strip[0] ?? { tag: "", chance: 0 }).tag;
  if (!open) {
    return (
      <Button className="self-start text-label" onClick={() => setOpen(true)}>
        Found it somewhere else
      </Button>
    );
  }
  return <Found place={place} write={write} onBack={() => setOpen(false)} />;
}

function Mend({ hunt, write }: WriteProp) {
  return (
    <div className="border-y-2 border-ink py-2">
      <h2 className="text-figure font-semibold">
        <span className="text-amber">Next:</span> mend it at {hunt.found_at}
      </h2>
      <p className="text-soft">Then the gauges are watched until the vacuum is back.</p>
      <Button kind="main" className="mt-2" onClick={() => write("repaired", hunt.found_at, {})}>
        Mended
      </Button>
    </div>
  );
}

function NoteLine({ write, photo, place }: { write: Steps["write"]; photo: Steps["photo"]; place: string }) {
  const [text, setText] = useKept("hunt note", "");
  return (
    <form
      className="flex items-end gap-2"
      onSubmit={(event) => {
        event.preventDefault();
        if (text.trim()) write("note", null, { text }, () => setText((now) => (now === text ? "" : now)));
      }}
    >
      <div className="flex-1">
        <TextField label="A note" value={text} onValue={setText} />
      </div>
      <Button type="submit" className="max-sm:min-h-12">
        Write
      </Button>
      <Photo
        onPicture={(picture) => {
          photo(picture, place, text);
          setText("");
        }}
      />
    </form>
  );
}

export function BackToAll() {
  const { operation } = useHere();
  return (
    <p className="flex gap-4 px-4 text-label text-soft max-sm:min-h-10 max-sm:items-center">
      <Link to={`/${operation.slug}/hunt`} className="underline">
        all hunts
      </Link>
      <Link to={`/${operation.slug}/hunt/sheet`} className="underline">
        walk sheet on paper
      </Link>
    </p>
  );
}

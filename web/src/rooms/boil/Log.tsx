import { Link } from "react-router";
import { useHere, useMayWrite, useSystem } from "../../app/session";
import { Button } from "../../kit";
import { api, type Shapes, take } from "../../lib/api";
import { useKept } from "../../lib/keep";
import { clock } from "../../lib/time";
import { figure, quantity } from "../../lib/units";
import { type BoilFacts, useBoilAction } from "./action";

type Item = { at: string; key: string; what: React.ReactNode; undo: () => void };

/** The run's log, newest first: draws with what to do about them, firings, notes. */
export function Log({ facts, run }: { facts: BoilFacts; run: Shapes["OpenRun"] }) {
  const { operation } = useHere();
  const mayWrite = useMayWrite();
  const path = { operation: operation.slug, number: run.number };
  const undoDraw = useBoilAction((draw: number) =>
    take(
      api.DELETE("/api/v1/operations/{operation}/runs/{number}/draws/{draw}", { params: { path: { ...path, draw } } }),
    ),
  );
  const undoEntry = useBoilAction((entry: number) =>
    take(
      api.DELETE("/api/v1/operations/{operation}/runs/{number}/entries/{entry}", {
        params: { path: { ...path, entry } },
      }),
    ),
  );
  const words: Record<string, string> = { fired: "fired", level: "level seen", defoamer: "defoamer" };
  const items: Item[] = [
    ...facts.draws.map((draw) => ({
      at: draw.at,
      key: `d${draw.id}`,
      what: <Draw draw={draw} target={facts.drawoff.target_brix} />,
      undo: () => undoDraw.mutate(draw.id),
    })),
    ...facts.entries.map((entry) => ({
      at: entry.at,
      key: `e${entry.id}`,
      what: entry.kind === "note" ? entry.text : words[entry.kind],
      undo: () => undoEntry.mutate(entry.id),
    })),
  ].sort((a, b) => b.at.localeCompare(a.at));
  return (
    <>
      <h2 className="flex items-baseline justify-between">
        <span className="text-figure font-semibold">Run {run.number}</span>
        <span className="text-label text-soft">
          since {clock(run.started_at, operation.zone)}{" "}
          <Link className="underline" to={`/${operation.slug}/ledger/${run.number}`}>
            close it
          </Link>
        </span>
      </h2>
      {mayWrite && <Note path={path} />}
      <ol className="mt-1 min-h-0 flex-1 overflow-auto">
        {items.map((item) => (
          <li key={item.key} className="flex gap-3 border-t border-rule py-1.5">
            <span className="font-mono text-label text-soft">{clock(item.at, operation.zone)}</span>
            <div className="min-w-0 flex-1">{item.what}</div>
            {mayWrite && (
              <button type="button" className="self-start text-label text-soft underline" onClick={item.undo}>
                undo
              </button>
            )}
          </li>
        ))}
      </ol>
      {items.length === 0 && (
        <p className="mt-4 text-soft">Draws, firings and notes appear here, timed by themselves.</p>
      )}
    </>
  );
}

function Draw({ draw, target }: { draw: Shapes["DrawOut"]; target: number }) {
  const system = useSystem();
  const gap = figure(Math.abs(draw.gap_brix), 1);
  const advice = {
    on: `on target (${figure(target, 1)})`,
    light: `${gap} light: set the draw-off higher; boil ${quantity(draw.boil_off_kg ?? 0, "mass", system)} off this draw`,
    heavy: `${gap} heavy: set it lower; ${quantity(draw.thin_m3 ?? 0, "smallVolume", system, 2)} of water thins this draw, else ${figure(100 * (draw.given_away ?? 0), 1)} % is given away`,
  }[draw.verdict as "on" | "light" | "heavy"];
  return (
    <div>
      <p>
        <b>{quantity(draw.volume_m3, "smallVolume", system)}</b> at{" "}
        <b>
          {figure(draw.true_brix, 1)} °Bx <span className="font-normal text-soft">± {figure(draw.brix_sd, 1)}</span>
        </b>
      </p>
      <p className={`text-label ${draw.verdict === "on" ? "text-soft" : "font-semibold text-amber"}`}>{advice}</p>
      <p className="text-label text-soft">
        {draw.instrument} {figure(draw.reading, 1)} at {quantity(draw.temp_c, "temperature", system, 0)}, draw-off{" "}
        {quantity(draw.set_c, "temperature", system)}
        {draw.by ? `, ${draw.by}` : ""}
      </p>
    </div>
  );
}

function Note({ path }: { path: { operation: string; number: number } }) {
  const [text, setText] = useKept(`zucker.${path.operation}.note`, "");
  const send = useBoilAction(
    (note: string) =>
      take(
        api.POST("/api/v1/operations/{operation}/runs/{number}/entries", {
          params: { path },
          body: { kind: "note", text: note },
        }),
      ),
    () => setText(""),
  );
  return (
    <form
      className="mt-1 flex items-end gap-2"
      onSubmit={(event) => {
        event.preventDefault();
        if (text.trim()) send.mutate(text);
      }}
    >
      <input
        aria-label="Note"
        placeholder="a note"
        value={text}
        onChange={(event) => setText(event.target.value)}
        className="min-w-0 flex-1 border-b border-rule bg-transparent py-1"
      />
      <Button type="submit" disabled={!text.trim() || send.isPending}>
        Note it
      </Button>
      {send.error && (
        <span role="alert" className="text-label font-semibold text-act">
          {send.error.message}
        </span>
      )}
    </form>
  );
}

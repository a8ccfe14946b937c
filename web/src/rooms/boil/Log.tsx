import { Link } from "react-router";
import { useHere, useMayWrite, useSystem } from "../../app/session";
import { Button } from "../../kit";
import { api, type Shapes, take } from "../../lib/api";
import { useKept } from "../../lib/keep";
import { takeBack } from "../../lib/outbox";
import { clock } from "../../lib/time";
import { figure, quantity, type System } from "../../lib/units";
import { type BoilFacts, useBoilAction, useBoilLetters, useUnsettled } from "./action";

type Item = { at: string; key: string; what: React.ReactNode; undo: () => void };

/** The run's log, newest first: draws with what to do about them, firings, notes. */
export function Log({ facts, run }: { facts: BoilFacts; run: Shapes["OpenRun"] }) {
  const { operation } = useHere();
  const mayWrite = useMayWrite();
  const system = useSystem();
  const path = { operation: operation.slug, number: run.number };
  const unsettled = useUnsettled(run.number, facts);
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
  const undoReading = useBoilAction((line: number) =>
    take(
      api.DELETE("/api/v1/operations/{operation}/membrane/{kind}/{line}", {
        params: { path: { operation: operation.slug, kind: "membrane-lines", line } },
      }),
    ),
  );
  const words: Record<string, string> = {
    fired: "fired",
    lit: "fire lit",
    out: "fire out",
    level: "level seen",
    defoamer: "defoamer",
  };
  const entryWords = (entry: Shapes["EntryOut"]) => {
    if (entry.kind === "note") return entry.text;
    if (entry.kind === "alarm") return `seen: ${entry.text.toLowerCase()}`;
    if (entry.kind.startsWith("membrane-")) return `${entry.text} ${entry.kind === "membrane-on" ? "on" : "off"}`;
    if (entry.kind === "cup" && entry.true_brix != null) return `cup test ${figure(entry.true_brix, 1)} °Bx`;
    return words[entry.kind] ?? entry.kind;
  };
  const waiting = unsettled.map((letter) => ({
    at: letter.at,
    key: `w${letter.id}`,
    what: (
      <span className="text-soft">
        {words[String(letter.body.kind)] ?? waitingWords(letter.path, letter.body, system)}
        {letter.refused ? `, refused: ${letter.refused}` : letter.tried ? ", kept here, not sent yet" : ""}
      </span>
    ),
    undo: async () => {
      const line = (await takeBack(letter.id)) as { id: number } | null;
      // it was on its way already: then it is undone as a line of the server's
      if (line && letter.path.endsWith("/draws")) undoDraw.mutate(line.id);
      else if (line && letter.path.endsWith("/membrane-lines")) undoReading.mutate(line.id);
      else if (line) undoEntry.mutate(line.id);
    },
  }));
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
      what: entryWords(entry),
      undo: () => undoEntry.mutate(entry.id),
    })),
    ...waiting,
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
      {mayWrite && <Note run={run} />}
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

/** What a line that waits would say. */
function waitingWords(path: string, body: Record<string, unknown>, system: System): string {
  if (path.endsWith("/draws")) return `draw, ${quantity(Number(body.volume_m3), "smallVolume", system)}`;
  if (path.endsWith("/cups")) return "cup test";
  if (path.endsWith("/membrane-lines")) return "membrane readings";
  if (body.kind === "membrane-on" || body.kind === "membrane-off")
    return `${body.text} ${body.kind === "membrane-on" ? "on" : "off"}`;
  return body.kind === "note" ? String(body.text) : String(body.kind);
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

function Note({ run }: { run: Shapes["OpenRun"] }) {
  const { operation } = useHere();
  const [text, setText] = useKept(`zucker.${operation.slug}.note`, "");
  const letters = useBoilLetters(run.number);
  const keep = async () => {
    // it is kept on this device from here on; only what was refused comes back to be put right
    setText("");
    const kept = await letters.send(`runs/${run.number}/entries`, (token, at) => ({ kind: "note", text, token, at }));
    if (!kept) setText(text);
  };
  return (
    <form
      className="mt-1 flex items-end gap-2"
      onSubmit={(event) => {
        event.preventDefault();
        if (text.trim()) void keep();
      }}
    >
      <input
        aria-label="Note"
        placeholder="a note"
        value={text}
        onChange={(event) => setText(event.target.value)}
        className="min-w-0 flex-1 border-b border-rule bg-transparent py-1"
      />
      <Button type="submit" disabled={!text.trim()}>
        Note it
      </Button>
      {letters.fault && (
        <span role="alert" className="text-label font-semibold text-act">
          {letters.fault}
        </span>
      )}
    </form>
  );
}

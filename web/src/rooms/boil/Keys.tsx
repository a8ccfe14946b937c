import { useLayoutEffect, useState } from "react";
import { useHere, useMayWrite } from "../../app/session";
import { Button } from "../../kit";
import type { Shapes } from "../../lib/api";
import { type BoilFacts, useBoilLetters } from "./action";
import { BoilingPoint } from "./BoilingPoint";
import { DrawForm } from "./DrawForm";

type Kind = "lit" | "out" | "fired" | "level" | "defoamer";

/** Big keys, timed by themselves and kept though the server is away. Letters on a keyboard press them too. */
export function Keys({ facts, run }: { facts: BoilFacts; run: Shapes["OpenRun"] }) {
  const { operation } = useHere();
  const mayWrite = useMayWrite();
  const letters = useBoilLetters(run.number);
  const [open, setOpen] = useState<"draw" | "cup" | "water" | null>(null);
  const log = (kind: Kind) =>
    void letters.send(`runs/${run.number}/entries`, (token, at) => ({ kind, text: "", token, at }));
  const wood = facts.fuel === "wood";
  const lit = facts.entries.filter((entry) => entry.kind === "lit" || entry.kind === "out").at(-1)?.kind === "lit";
  const fire: [string, string, () => void] = lit ? ["o", "Fire out", () => log("out")] : ["i", "Lit", () => log("lit")];
  const keys: [string, string, () => void][] = [
    ["w", "Drew", () => setOpen("draw")],
    ["c", "Cup test", () => setOpen("cup")],
    ...(wood ? ([["f", "Fired", () => log("fired")]] as [string, string, () => void][]) : []),
    fire,
    ["l", "Level seen", () => log("level")],
    ["u", "Defoamer", () => log("defoamer")],
    ["y", "Water boils", () => setOpen("water")],
  ];
  useKeyboard(mayWrite && open === null ? keys : []);
  if (!mayWrite) return <p className="text-soft">You may look, not write.</p>;
  if (open === "draw" || open === "cup")
    return <DrawForm key={open} cup={open === "cup"} facts={facts} run={run} onDone={() => setOpen(null)} />;
  if (open === "water") return <BoilingPoint run={run} onDone={() => setOpen(null)} />;
  return (
    <div>
      <div className="grid grid-cols-3 gap-2 sm:auto-cols-fr sm:grid-flow-col sm:grid-cols-none">
        {keys.map(([letter, word, press]) => (
          <Button
            key={word}
            kind="big"
            className={`!px-1 ${word === "Drew" ? "border-amber" : ""}`}
            aria-label={word}
            aria-keyshortcuts={letter}
            onClick={press}
          >
            {word} <kbd className="hidden text-label font-normal leading-none text-soft lg:block">{letter}</kbd>
          </Button>
        ))}
      </div>
      {letters.fault && (
        <p role="alert" className="mt-1 font-semibold text-act">
          Not kept: {letters.fault}. Press again.
        </p>
      )}
      {letters.waiting.length > 0 && (
        <p role="status" className="mt-1 text-soft">
          {letters.waiting.length === 1 ? "One line is" : `${letters.waiting.length} lines are`} kept here and sent when{" "}
          {operation.name} answers.
        </p>
      )}
    </div>
  );
}

/** Press a key's letter anywhere but in a field. */
function useKeyboard(keys: [string, string, () => void][]) {
  // in force as soon as the keys are seen
  useLayoutEffect(() => {
    const press = (event: KeyboardEvent) => {
      const target = event.target as HTMLElement;
      if (event.metaKey || event.ctrlKey || event.altKey || target.closest("input, textarea, select, [role=dialog]"))
        return;
      const found = keys.find(([letter]) => letter === event.key);
      if (!found) return;
      event.preventDefault();
      event.stopImmediatePropagation();
      found[2]();
    };
    // before the letters that lead to other rooms
    window.addEventListener("keydown", press, { capture: true });
    return () => window.removeEventListener("keydown", press, { capture: true });
  });
}

import { useHere, useSystem } from "../../app/session";
import type { Shapes } from "../../lib/api";
import { clock } from "../../lib/time";
import { quantity, type System } from "../../lib/units";

/** What was done, the latest first; the last step can be taken back. */
export function StepLog({ hunt, undo }: { hunt: Shapes["HuntOut"]; undo: (step: number) => void }) {
  const { operation } = useHere();
  const system = useSystem();
  const counting = hunt.steps_log.filter((step) => !step.undone);
  const last = counting.at(-1);
  if (hunt.steps_log.length === 0) {
    return <p className="text-label text-soft">Nothing done yet. Every test and look is written here by itself.</p>;
  }
  return (
    <ol className="space-y-0.5 text-label">
      {[...hunt.steps_log].reverse().map((step) => (
        <li key={step.id} className={`flex gap-x-2 ${step.undone ? "text-soft line-through" : ""}`}>
          <span className="font-mono text-soft">{clock(step.at, operation.zone)}</span>
          <span className="min-w-0 flex-1">
            {said(step, system)}
            {step.by && <span className="text-soft"> {step.by}</span>}
            {step.photo && (
              <a href={`/api/v1/operations/${operation.slug}/hunts/${hunt.number}/photos/${step.id}`}>
                <img
                  src={`/api/v1/operations/${operation.slug}/hunts/${hunt.number}/photos/${step.id}`}
                  alt={`at ${step.place || "this hunt"}`}
                  className="mt-0.5 max-h-24"
                />
              </a>
            )}
          </span>
          {last?.id === step.id && !["proven", "reopened", "back"].includes(step.kind) && (
            <button type="button" className="text-amber underline" onClick={() => undo(step.id)}>
              undo
            </button>
          )}
        </li>
      ))}
    </ol>
  );
}

function said(step: Shapes["StepOut"], system: System): string {
  const facts = step.facts as Record<string, unknown>;
  if (step.kind === "shut") {
    const rises = facts.rises_pa as Record<string, number> | undefined;
    if (rises) {
      const [gauge, rise] = Object.entries(rises).reduce((a, b) => (b[1] > a[1] ? b : a));
      return `Shut ${step.place}: ${gauge} ${rise >= 0 ? "rose" : "fell"} ${quantity(Math.abs(rise), "vacuum", system, 2)}`;
    }
    return `Shut ${step.place}: the vacuum ${facts.rose ? "rose" : "stayed"}`;
  }
  const fell = typeof facts.fall_pa === "number" ? quantity(facts.fall_pa, "vacuum", system) : "";
  return (
    {
      going: `Going to ${step.place}`,
      look: `Looked over ${step.place}: nothing`,
      note: String(facts.text ?? ""),
      photo: facts.text ? String(facts.text) : "Photo",
      found: `Found at ${step.place}: ${facts.cause}${facts.parts ? `, ${facts.parts}` : ""}`,
      repaired: "Mended",
      not_found: "Not found; comes back when sap runs harder",
      dropped: "Given up",
      proven: `Proven: ${facts.gauge} back within ${fell} of its usual for 20 minutes`,
      reopened: `Not mended: ${facts.gauge} still ${fell} under its usual`,
      back: "Sap runs harder: look again",
    }[step.kind] ?? step.kind
  );
}

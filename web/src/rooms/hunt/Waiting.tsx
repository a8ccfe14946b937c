import { useHere } from "../../app/session";
import { takeBack, tryAgain } from "../../lib/outbox";
import type { Waiting as Letter } from "../../lib/store";
import { clock } from "../../lib/time";

const SAID: Record<string, (letter: Letter) => string> = {
  going: (l) => `Going to ${l.body.place}`,
  shut: (l) => `Shut ${l.body.place}`,
  look: (l) => `Looked over ${l.body.place}: nothing`,
  note: (l) => String((l.body.facts as { text?: string }).text ?? ""),
  found: (l) => `Found at ${l.body.place}: ${(l.body.facts as { cause?: string }).cause}`,
  repaired: () => "Mended",
  not_found: () => "Not found; comes back when sap runs harder",
  dropped: () => "Given up",
};

/** What was written here and the server does not know yet; what it would not take, with its reason. */
export function WaitingList({ letters }: { letters: Letter[] }) {
  const { operation } = useHere();
  if (letters.length === 0) return null;
  return (
    <ol className="space-y-0.5 border-l-4 border-amber pl-2 text-label" aria-label="Not sent yet">
      {[...letters].reverse().map((letter) => (
        <li key={letter.id} className="flex flex-wrap gap-x-2">
          <span className="font-mono text-soft">{clock(letter.at, operation.zone)}</span>
          <span className="min-w-0 flex-1">
            {letter.photo ? "Photo" : (SAID[String(letter.body.kind)]?.(letter) ?? String(letter.body.kind))}{" "}
            {letter.refused ? (
              <span role="alert" className="font-semibold text-act">
                not taken: {letter.refused}
              </span>
            ) : (
              <span className="text-soft">waits for coverage</span>
            )}
          </span>
          {letter.refused && (
            <button type="button" className="text-amber underline" onClick={() => tryAgain(letter)}>
              try again
            </button>
          )}
          <button type="button" className="text-amber underline" onClick={() => takeBack(letter.id)}>
            {letter.refused ? "drop it" : "take back"}
          </button>
        </li>
      ))}
    </ol>
  );
}

import { useQuery } from "@tanstack/react-query";
import { useHere, useSystem } from "../../app/session";
import { Button, NumberField, Pick, Scroll } from "../../kit";
import { api, type Shapes, take } from "../../lib/api";
import { useKept } from "../../lib/keep";
import { quantity } from "../../lib/units";
import type { Book } from "./book";

const PART: Record<string, string> = {
  drops: "drops",
  lateral: "laterals",
  mainline: "mainline",
  conductor: "conductor",
};
const KINDS: [string, string][] = [
  ["lateral", "laterals"],
  ["mainline", "mainlines"],
  ["conductor", "conductors"],
];

/** What is due for renewal, and how to cut the new pipe from spools. */
export function Ages({ book }: { book: Book }) {
  const { operation } = useHere();
  const system = useSystem();
  const path = { operation: operation.slug, bush: book.slug };
  const year = new Date().getFullYear();
  const due = useQuery({
    queryKey: ["due", operation.slug, book.slug, year],
    queryFn: () =>
      take(
        api.GET("/api/v1/operations/{operation}/bushes/{bush}/due", { params: { path, query: { until: year + 3 } } }),
      ),
  });
  const rows = due.data ?? [];
  const late = rows.filter((one) => one.year <= year);
  const metres = (part: string) => late.filter((one) => one.part === part).reduce((sum, one) => sum + one.length_m, 0);
  const drops = late.reduce((sum, one) => sum + one.taps, 0);
  const owed = [
    drops > 0 && `${drops.toLocaleString("en-US")} drops`,
    ...(["lateral", "mainline", "conductor"] as const).map(
      (part) => metres(part) > 0 && `${quantity(metres(part), "length", system)} of ${PART[part]}`,
    ),
  ].filter(Boolean);
  return (
    <div className="grid min-h-0 flex-1 gap-x-8 lg:grid-cols-2">
      <section aria-label="What is due" className="flex min-h-0 flex-col">
        <h1 className="text-figure font-semibold">
          {owed.length > 0 ? `Due now: ${owed.join(", ")}` : "Nothing is due now"}
        </h1>
        <p className="pb-1 text-label text-soft">
          Drops every 5 years, laterals 10, mainlines 20, conductors 25: trade practice, not law. Pipe without a year is
          left out.
        </p>
        <Scroll label="Due for renewal, by year" className="min-h-0 flex-1">
          <table className="w-full border-collapse text-label">
            <caption className="sr-only">Due for renewal</caption>
            <tbody>
              {rows.map((one) => (
                <tr key={`${one.main} ${one.part} ${one.year}`} className="border-t border-rule">
                  <td className={`py-0.5 font-mono ${one.year <= year ? "font-semibold" : "text-soft"}`}>{one.year}</td>
                  <td className="font-mono">{one.main || "conductor"}</td>
                  <td>{PART[one.part] ?? one.part}</td>
                  <td className="text-right font-mono">
                    {one.length_m > 0 ? quantity(one.length_m, "length", system) : `${one.taps} taps`}
                  </td>
                  <td className="pl-3 text-soft">{one.year < year ? `${year - one.year} years late` : ""}</td>
                </tr>
              ))}
            </tbody>
          </table>
        </Scroll>
      </section>
      <Cuts book={book} path={path} />
    </div>
  );
}

function Cuts({ book, path }: { book: Book; path: { operation: string; bush: string } }) {
  const system = useSystem();
  const [kind, setKind] = useKept<"lateral" | "mainline" | "conductor">("cut kind", "lateral");
  const [main, setMain] = useKept("cut main", "");
  const [spool, setSpool] = useKept<number | null>("cut spool", system === "us" ? 152.4 : 150);
  const cuts = useQuery({
    queryKey: ["cuts", path.operation, path.bush, kind, main, spool],
    queryFn: () =>
      take(
        api.GET("/api/v1/operations/{operation}/bushes/{bush}/cuts", {
          params: { path, query: { kind, main: main ? [main] : [], spool_m: spool ?? 0 } },
        }),
      ),
    enabled: spool !== null,
  });
  const list = cuts.data ?? [];
  const left = list.reduce((sum, one) => sum + one.left_m, 0);
  return (
    <section aria-label="Cut list" className="sheet flex min-h-0 flex-col">
      <h2 className="text-figure font-semibold">
        {list.length} spools{" "}
        <span className="font-normal text-soft">for all of it, {quantity(left, "length", system)} left over</span>
      </h2>
      <div className="flex flex-wrap items-end gap-4 pb-2">
        <Pick label="renew" value={kind} options={KINDS} onValue={(value) => setKind(value as typeof kind)} />
        <Pick
          label="on"
          value={main}
          onValue={setMain}
          options={[["", "all lines"], ...book.mains.map((m): [string, string] => [m.main, m.main])]}
        />
        <div className="w-28">
          <NumberField
            label="one spool holds"
            si={spool}
            onSi={setSpool}
            dimension="length"
            error={cuts.error ? cuts.error.message : undefined}
          />
        </div>
        <Button className="no-print" onClick={() => print()}>
          Print
        </Button>
      </div>
      <Scroll label="Spools" className="min-h-0 flex-1">
        <ol className="text-label">
          {list.map((cut, k) => (
            // biome-ignore lint/suspicious/noArrayIndexKey: spools have no name but their number
            <Spool key={k} number={k + 1} cut={cut} />
          ))}
        </ol>
      </Scroll>
    </section>
  );
}

function Spool({ number, cut }: { number: number; cut: Shapes["CutRow"] }) {
  const system = useSystem();
  let reached = 0;
  return (
    <li className="border-t border-rule py-0.5">
      <svg viewBox={`0 0 ${cut.spool_m} 6`} preserveAspectRatio="none" className="block h-2 w-full" aria-hidden="true">
        <rect width={cut.spool_m} height="6" fill="var(--rule)" />
        {cut.pieces.map((piece) => {
          const from = reached;
          reached += piece.length_m;
          return (
            <rect
              key={piece.line}
              x={from}
              width={Math.max(piece.length_m - cut.spool_m / 300, 0.1)}
              height="6"
              fill="var(--ink)"
            />
          );
        })}
      </svg>
      <span className="font-mono font-semibold">{number}</span>{" "}
      {cut.pieces.map((piece) => `${piece.line} ${quantity(piece.length_m, "length", system)}`).join(", ")}
      <span className="text-soft">, left {quantity(cut.left_m, "length", system)}</span>
    </li>
  );
}

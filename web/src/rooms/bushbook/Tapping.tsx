import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { useLetters } from "../../app/letters";
import { useHere, useMayWrite, useSystem } from "../../app/session";
import { Button, Caution, NumberField, Pick, Scroll, TextField } from "../../kit";
import { api, type Refusal, type Shapes, take } from "../../lib/api";
import { useKept } from "../../lib/keep";
import { clock, day } from "../../lib/time";
import type { Book } from "./book";

type Progress = Shapes["TappingOut"];
const SPOUTS: [string, string][] = [
  ["new", "new spout"],
  ["check-valve", "check-valve spout"],
  ["stainless", "stainless"],
];

/** How far the tapping has come, by line and by person; each entry in one line, kept without coverage. */
export function Tapping({ book }: { book: Book }) {
  const { operation } = useHere();
  const mayWrite = useMayWrite();
  const client = useQueryClient();
  const path = { operation: operation.slug, bush: book.slug };
  const key = ["tapping", operation.slug, book.slug];
  const { data } = useQuery({
    queryKey: key,
    queryFn: () => take(api.GET("/api/v1/operations/{operation}/bushes/{bush}/tapping", { params: { path } })),
  });
  const undo = useMutation<Progress, Refusal, number>({
    mutationFn: (tapping) =>
      take(
        api.DELETE("/api/v1/operations/{operation}/bushes/{bush}/tapping/{tapping}", {
          params: { path: { ...path, tapping } },
        }),
      ),
    onSuccess: (shown) => client.setQueryData(key, shown),
  });
  if (!data) return null;
  const share = data.planned ? data.done / data.planned : 0;
  return (
    <div className="grid min-h-0 flex-1 gap-x-8 lg:grid-cols-[minmax(0,1fr)_21rem]">
      <section aria-label="Progress" className="flex min-h-0 flex-col">
        <h1 className="text-answer font-semibold leading-tight">
          {data.done.toLocaleString("en-US")}{" "}
          <span className="text-figure font-normal text-soft">
            of {data.planned.toLocaleString("en-US")} taps set
            {data.days_left !== null && data.a_day && share < 1
              ? `, ${Math.ceil(data.days_left)} more working days at ${Math.round(data.a_day)} a day`
              : ""}
          </span>
        </h1>
        <p className="pb-1 text-label text-soft">
          {data.people.map((one) => `${one.who} ${one.taps.toLocaleString("en-US")}`).join(", ") ||
            "Nothing noted this year."}
        </p>
        <Scroll label="Tapping, line by line" className="min-h-0 flex-1">
          <table className="w-full border-collapse text-label">
            <caption className="sr-only">Tapping by line</caption>
            <tbody>
              {data.lines.map((line) => (
                <tr key={line.main} className="border-t border-rule">
                  <th className="py-0.5 text-left font-mono">{line.main}</th>
                  <td className="w-1/2">
                    <svg
                      viewBox="0 0 100 4"
                      preserveAspectRatio="none"
                      className="block h-2.5 w-full"
                      aria-hidden="true"
                    >
                      <rect width="100" height="4" fill="var(--rule)" />
                      <rect
                        width={Math.min(100, (100 * line.done) / Math.max(line.planned, 1))}
                        height="4"
                        fill="var(--ink)"
                      />
                      <rect
                        width={Math.min(100, (100 * line.soft) / Math.max(line.planned, 1))}
                        height="4"
                        fill="var(--amber)"
                      />
                    </svg>
                  </td>
                  <td className="text-right font-mono">
                    {line.done} of {line.planned}
                  </td>
                  <td className="pl-3 text-soft">{line.soft > 0 ? `${line.soft} soft` : ""}</td>
                </tr>
              ))}
            </tbody>
          </table>
        </Scroll>
      </section>
      <section aria-label="Note taps" className="space-y-2">
        {mayWrite && <Entry book={book} />}
        <ol className="text-label">
          {data.entries.slice(0, 12).map((one) => (
            <li key={one.id} className="flex gap-x-2 border-b border-rule py-0.5">
              <span className="text-soft">
                {day(one.at, operation.zone)} {clock(one.at, operation.zone)}
              </span>
              <span className="min-w-0 flex-1">
                {one.taps} on {one.lateral || one.main}
                {one.soft > 0 && `, ${one.soft} soft`}
                {one.note && `, ${one.note}`} <span className="text-soft">{one.by}</span>
              </span>
              {mayWrite && (
                <button type="button" className="text-amber underline" onClick={() => undo.mutate(one.id)}>
                  undo
                </button>
              )}
            </li>
          ))}
        </ol>
        <Caution>Level ground, sharp bit, eyes clear of limbs. Nobody taps from a ladder alone.</Caution>
      </section>
    </div>
  );
}

function Entry({ book }: { book: Book }) {
  const system = useSystem();
  const [main, setMain] = useKept("tap main", book.mains[0]?.main ?? "");
  const [lateral, setLateral] = useKept("tap lateral", "");
  const [taps, setTaps] = useState<number | null>(null);
  const [soft, setSoft] = useState<number | null>(0);
  const [depth, setDepth] = useKept<number | null>("tap depth", 0.045);
  const [spout, setSpout] = useKept("tap spout", "new");
  const [note, setNote] = useKept("tap note", "");
  const [round, setRound] = useState(0);
  const letters = useLetters("tapping");
  const known = book.mains.some((one) => one.main === main) ? main : (book.mains[0]?.main ?? "");
  const laterals = book.lines.filter((line) => line.kind === "lateral" && line.main === known);
  const keep = async () => {
    const body = {
      main: known,
      lateral: lateral || null,
      taps: Math.round(taps ?? 0),
      soft: Math.round(soft ?? 0),
      depth_m: depth,
      spout,
      note,
    };
    if (!(await letters.send(`bushes/${book.slug}/tapping`, (token, at) => ({ ...body, token, at })))) return;
    setTaps(null);
    setSoft(0);
    setNote("");
    setRound((n) => n + 1);
  };
  return (
    <form
      key={round}
      aria-label="Taps"
      className="space-y-2"
      onSubmit={(event) => {
        event.preventDefault();
        void keep();
      }}
    >
      <div className="grid grid-cols-2 gap-3">
        <Pick label="line" value={known} onValue={setMain} options={book.mains.map((one) => [one.main, one.main])} />
        <Pick
          label="lateral, if one"
          value={laterals.some((one) => one.tag === lateral) ? lateral : ""}
          onValue={setLateral}
          options={[["", "several"], ...laterals.map((one): [string, string] => [one.tag, one.tag])]}
        />
        <NumberField label="taps set" si={taps} onSi={setTaps} dimension="plain" unit="" digits={0} />
        <NumberField label="of them soft or dark" si={soft} onSi={setSoft} dimension="plain" unit="" digits={0} />
        <NumberField
          label="depth of the holes"
          si={depth}
          onSi={setDepth}
          dimension="plain"
          unit={system === "us" ? "in" : "mm"}
          scale={system === "us" ? 1 / 0.0254 : 1000}
          digits={system === "us" ? 2 : 0}
        />
        <Pick label="spouts" value={spout} onValue={setSpout} options={SPOUTS} />
      </div>
      <TextField label="note" value={note} onValue={setNote} />
      {letters.fault && (
        <p role="alert" className="text-label font-semibold text-act">
          {letters.fault}
        </p>
      )}
      {letters.waiting.length > 0 && (
        <p role="status" className="border-l-4 border-amber pl-2 text-label">
          {letters.waiting.length} waiting for coverage
        </p>
      )}
      <Button kind="main" type="submit" className="max-sm:min-h-14 max-sm:w-full">
        Note them
      </Button>
    </form>
  );
}

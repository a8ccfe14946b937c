import { useState } from "react";
import { useHere, useSystem } from "../../app/session";
import { Button, NumberField, Pick, Scroll, TextField } from "../../kit";
import { useKept } from "../../lib/keep";
import { number, quantity, unitOf } from "../../lib/units";
import { type Book, REMARK, useChange } from "./book";

type Line = Book["lines"][number];
const KINDS: [string, string][] = [
  ["all", "all pipes"],
  ["conductor", "conductors"],
  ["mainline", "mainlines"],
  ["lateral", "laterals"],
];

/** Every piece of pipe, to be corrected one by one. */
export function Lines({ book }: { book: Book }) {
  const { operation } = useHere();
  const system = useSystem();
  const [kind, setKind] = useKept("book kind", "lateral");
  const [find, setFind] = useState("");
  const [chosen, setChosen] = useState<string | null>(null);
  const shown = book.lines.filter(
    (line) => (kind === "all" || line.kind === kind) && line.tag.toLowerCase().includes(find.trim().toLowerCase()),
  );
  const remarked = new Map(book.remarks.map((one) => [one.line, REMARK[one.name] ?? one.name]));
  const line = book.lines.find((one) => one.tag === chosen);
  const mayEdit = operation.role === "owner";
  return (
    <div className="grid min-h-0 flex-1 gap-x-6 lg:grid-cols-[minmax(0,1fr)_19rem]">
      <div className="flex min-h-0 flex-col">
        <div className="flex gap-4 pb-1">
          <div className="w-36">
            <Pick label="show" value={kind} options={KINDS} onValue={setKind} />
          </div>
          <div className="w-48">
            <TextField label="find a tag" value={find} onValue={setFind} />
          </div>
          <h1 className="ml-auto self-end font-semibold">{shown.length} pieces of pipe</h1>
        </div>
        <Scroll label="The pipes" className="min-h-0 flex-1">
          <table className="w-full border-collapse text-label">
            <caption className="sr-only">Pipes</caption>
            <thead className="sticky top-0 bg-paper text-left text-soft">
              <tr className="*:font-normal">
                <th className="py-1">tag</th>
                <th className="max-sm:hidden">from, to</th>
                <th className="text-right">inside</th>
                <th className="text-right">{unitOf("length", system)}</th>
                <th className="text-right">taps</th>
                <th className="text-right">pipe</th>
                <th className="text-right">drops</th>
                <th className="pl-3 max-sm:hidden">a look at</th>
              </tr>
            </thead>
            <tbody className="font-mono">
              {shown.slice(0, 600).map((one) => (
                <tr key={one.tag} className={`border-t border-rule ${one.tag === chosen ? "bg-sheet" : ""}`}>
                  <td className="py-px">
                    <button
                      type="button"
                      className="font-semibold hover:underline"
                      aria-pressed={one.tag === chosen}
                      onClick={() => setChosen(one.tag)}
                    >
                      {one.tag}
                    </button>
                  </td>
                  <td className="text-soft max-sm:hidden">
                    {one.from_tag} {one.to_tag}
                  </td>
                  <td className="text-right">{inside(one.inner_diameter_m, system)}</td>
                  <td className="text-right">{number(one.length_m, "length", system)}</td>
                  <td className="text-right">{one.taps || ""}</td>
                  <td className="text-right">{one.installed ?? ""}</td>
                  <td className="text-right">{one.taps ? (one.drops_installed ?? "") : ""}</td>
                  <td className="pl-3 font-sans max-sm:hidden">{remarked.get(one.tag)}</td>
                </tr>
              ))}
            </tbody>
          </table>
        </Scroll>
      </div>
      <aside aria-label="Change a pipe" className="max-lg:mt-2">
        {line ? (
          <Edit key={line.tag} bush={book.slug} line={line} mayEdit={mayEdit} onDone={() => setChosen(null)} />
        ) : (
          <p className="text-soft">
            Choose a pipe to see and change it. The whole bush is checked before anything is kept.
          </p>
        )}
      </aside>
    </div>
  );
}

function inside(m: number, system: "us" | "metric"): string {
  return system === "us" ? `${(m / 0.0254).toFixed(2)} in` : `${(m * 1000).toFixed(1)} mm`;
}

function Edit({ bush, line, mayEdit, onDone }: { bush: string; line: Line; mayEdit: boolean; onDone: () => void }) {
  const system = useSystem();
  const [mm, setMm] = useState<number | null>(line.inner_diameter_m * 1000);
  const [length, setLength] = useState<number | null>(line.length_m);
  const [taps, setTaps] = useState<number | null>(line.taps);
  const [installed, setInstalled] = useState(line.installed ? String(line.installed) : "");
  const [drops, setDrops] = useState(line.drops_installed ? String(line.drops_installed) : "");
  const change = useChange(bush, onDone);
  const fault = change.error;
  const year = (text: string) => (text.trim() === "" ? null : Number(text));
  return (
    <form
      className="space-y-2"
      onSubmit={(event) => {
        event.preventDefault();
        const set = {
          inner_diameter_mm: mm ?? Number.NaN,
          length_m: length ?? Number.NaN,
          taps: Math.round(taps ?? Number.NaN),
          installed: year(installed),
          drops_installed: year(drops),
        };
        change.mutate([{ what: "line", tag: line.tag, set }]);
      }}
    >
      <h2 className="text-figure font-semibold">{line.tag}</h2>
      <p className="text-label text-soft">
        {line.kind}
        {line.main && ` of ${line.main}`}, {quantity(line.length_m, "length", system)}
      </p>
      <NumberField
        label="inner diameter"
        si={mm}
        onSi={setMm}
        dimension="plain"
        unit="mm"
        digits={2}
        error={fault?.about("inner_diameter_mm")}
      />
      <NumberField
        label="length"
        si={length}
        onSi={setLength}
        dimension="length"
        digits={1}
        error={fault?.about("length_m")}
      />
      {line.kind === "lateral" && (
        <NumberField
          label="taps"
          si={taps}
          onSi={setTaps}
          dimension="plain"
          unit=""
          digits={0}
          error={fault?.about("taps")}
        />
      )}
      <TextField
        label="pipe hung in the year"
        value={installed}
        onValue={setInstalled}
        error={fault?.about("installed")}
      />
      {line.kind === "lateral" && (
        <TextField
          label="drops hung in the year"
          value={drops}
          onValue={setDrops}
          error={fault?.about("drops_installed")}
        />
      )}
      {fault && (
        <p role="alert" className="text-label font-semibold text-act">
          {fault.message}
        </p>
      )}
      {mayEdit && (
        <div className="flex gap-2">
          <Button kind="main" type="submit" disabled={change.isPending}>
            Keep
          </Button>
          <Button onClick={onDone}>Leave it</Button>
          {line.kind === "lateral" && (
            <Button
              onClick={() =>
                change.mutate([
                  { what: "line", tag: line.tag, remove: true },
                  { what: "point", tag: line.to_tag, remove: true },
                ])
              }
              disabled={change.isPending}
            >
              Remove
            </Button>
          )}
        </div>
      )}
    </form>
  );
}

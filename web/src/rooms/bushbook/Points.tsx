import { useState } from "react";
import { useHere, useSystem } from "../../app/session";
import { Button, Choice, NumberField, Pick, Scroll, TextField } from "../../kit";
import { useKept } from "../../lib/keep";
import { number, unitOf } from "../../lib/units";
import { type Book, useChange } from "./book";

type Point = Book["points"][number];
const KINDS: [string, string][] = ["pump", "releaser", "junction", "saddle", "valve", "end", "tank"].map((k) => [k, k]);

/** Valves, junctions, saddles, ends, and the gauges that hang there. */
export function Points({ book }: { book: Book }) {
  const { operation } = useHere();
  const system = useSystem();
  const [kind, setKind] = useKept("book points", "gauges");
  const [find, setFind] = useState("");
  const [chosen, setChosen] = useState<string | null>(null);
  const shown = book.points.filter(
    (point) =>
      (kind === "all" || (kind === "gauges" ? point.sensor !== null : point.kind === kind)) &&
      `${point.tag} ${point.sensor ?? ""}`.toLowerCase().includes(find.trim().toLowerCase()),
  );
  const point = book.points.find((one) => one.tag === chosen);
  return (
    <div className="grid min-h-0 flex-1 gap-x-6 lg:grid-cols-[minmax(0,1fr)_19rem]">
      <div className="flex min-h-0 flex-col">
        <div className="flex gap-4 pb-1">
          <div className="w-36">
            <Pick
              label="show"
              value={kind}
              options={[["gauges", "with a gauge"], ["all", "all points"], ...KINDS]}
              onValue={setKind}
            />
          </div>
          <div className="w-48">
            <TextField label="find a tag" value={find} onValue={setFind} />
          </div>
          <h1 className="ml-auto self-end font-semibold">{shown.length} points</h1>
        </div>
        <Scroll label="The points" className="min-h-0 flex-1">
          <table className="w-full border-collapse text-label">
            <caption className="sr-only">Points</caption>
            <thead className="sticky top-0 bg-paper text-left text-soft">
              <tr className="*:font-normal">
                <th className="py-1">tag</th>
                <th>kind</th>
                <th className="text-right">elevation, {unitOf("length", system)}</th>
                <th className="pl-4">gauge</th>
                <th>how read</th>
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
                  <td className="font-sans">{one.kind}</td>
                  <td className="text-right">
                    {one.elevation_m === null ? "" : number(one.elevation_m, "length", system)}
                  </td>
                  <td className="pl-4">{one.sensor ?? ""}</td>
                  <td className="font-sans text-soft">
                    {one.sensor ? (one.by_hand ? "dial, by hand" : "sends by itself") : ""}
                  </td>
                </tr>
              ))}
            </tbody>
          </table>
        </Scroll>
      </div>
      <aside aria-label="Change a point" className="max-lg:mt-2">
        {point ? (
          <Edit
            key={point.tag}
            bush={book.slug}
            point={point}
            mayEdit={operation.role === "owner"}
            onDone={() => setChosen(null)}
          />
        ) : (
          <p className="text-soft">Choose a point to see and change it, or to hang a gauge there.</p>
        )}
      </aside>
    </div>
  );
}

function Edit({ bush, point, mayEdit, onDone }: { bush: string; point: Point; mayEdit: boolean; onDone: () => void }) {
  const [tag, setTag] = useState(point.tag);
  const [kind, setKind] = useState(point.kind);
  const [height, setHeight] = useState<number | null>(point.elevation_m);
  const [sensor, setSensor] = useState(point.sensor ?? "");
  const [hand, setHand] = useState<"live" | "hand">(point.by_hand ? "hand" : "live");
  const change = useChange(bush, onDone);
  const fault = change.error;
  return (
    <form
      className="space-y-2"
      onSubmit={(event) => {
        event.preventDefault();
        const set = {
          tag,
          kind,
          elevation_m: height,
          sensor: sensor.trim() || null,
          gauge: hand === "hand" ? ("hand" as const) : null,
        };
        change.mutate([{ what: "point", tag: point.tag, set }]);
      }}
    >
      <h2 className="text-figure font-semibold">{point.tag}</h2>
      <TextField label="tag" value={tag} onValue={setTag} error={fault?.about("tag")} />
      <Pick label="kind" value={kind} onValue={setKind} options={KINDS} />
      <NumberField
        label="elevation"
        si={height}
        onSi={setHeight}
        dimension="length"
        digits={1}
        error={fault?.about("elevation_m")}
      />
      <TextField label="gauge hung there (its tag)" value={sensor} onValue={setSensor} error={fault?.about("sensor")} />
      <Choice
        label="how it is read"
        value={hand}
        onValue={setHand}
        options={[
          ["live", "sends by itself"],
          ["hand", "dial, by hand"],
        ]}
      />
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
        </div>
      )}
    </form>
  );
}

import { useMutation } from "@tanstack/react-query";
import { useNavigate } from "react-router";
import { useHere, useSystem } from "../../app/session";
import { Button, Choice, Empty, NumberField, TextField } from "../../kit";
import { api, type Refusal, take } from "../../lib/api";
import { useKept } from "../../lib/keep";
import { shown } from "../../lib/units";
import { type Book, useLinesChanged } from "./book";
import { Import } from "./Files";

type Row = {
  name: string;
  length_m: number | null;
  taps: number | null;
  mm: number | null;
  at_m: number | null;
  grade: number | null;
  gauge: string;
};
const blank = (n: number): Row => ({
  name: `M${n}`,
  length_m: null,
  taps: null,
  mm: 25.4,
  at_m: 30 * n,
  grade: 0.04,
  gauge: `M${n}E`,
});

/** A bush from a list: a pump, the mainlines with lengths, sizes and taps, a gauge at each end. No map needed. */
export function Sketch({ bush, book }: { bush: string; book?: Book }) {
  const { operation } = useHere();
  const system = useSystem();
  const navigate = useNavigate();
  const changed = useLinesChanged(bush);
  const key = `sketch ${operation.slug} ${bush}`;
  const [rows, setRows] = useKept<Row[]>(`${key} rows`, [blank(1)]);
  const [ultimate, setUltimate] = useKept<number | null>(`${key} ultimate`, null);
  const [cfm, setCfm] = useKept<number | null>(`${key} cfm`, null);
  const [at, setAt] = useKept<number | null>(`${key} at`, null);
  const [pumpGauge, setPumpGauge] = useKept(`${key} gauge`, "P");
  const [hand, setHand] = useKept<"hand" | "live">(`${key} hand`, "hand");
  const draw = useMutation<Book, Refusal>({
    mutationFn: () =>
      take(
        api.PUT("/api/v1/operations/{operation}/bushes/{bush}/sketch", {
          params: { path: { operation: operation.slug, bush } },
          body: {
            pump: {
              ultimate_inhg: shown(ultimate ?? 0, "vacuum", "us"),
              flow_cfm: cfm ?? 0,
              at_inhg: shown(at ?? 0, "vacuum", "us"),
            },
            pump_gauge: pumpGauge.trim() || null,
            conductor_mm: 50.8,
            by_hand: hand === "hand",
            mains: rows.map((row) => ({
              name: row.name,
              length_m: row.length_m ?? 0,
              taps: Math.round(row.taps ?? 0),
              inner_diameter_mm: row.mm ?? 0,
              at_m: row.at_m ?? 0,
              grade: row.grade ?? 0,
              gauge: row.gauge.trim() || null,
            })),
          },
        }),
      ),
    onSuccess: () => {
      changed();
      navigate(`/${operation.slug}/${hand === "hand" ? `round/${bush}` : "woods"}`);
    },
  });
  if (operation.role !== "owner") return <Empty title="No lines yet">An owner lists or imports them.</Empty>;
  const set = (k: number, change: Partial<Row>) =>
    setRows((all) => all.map((row, i) => (i === k ? { ...row, ...change } : row)));
  const fault = draw.error;
  const about = (row: Row, field: string) =>
    fault?.faults.some((one) => one.field === `${row.name}.${field}`) ? fault.message : undefined;
  return (
    <div className="min-h-0 flex-1 overflow-auto">
      <h1 className="text-answer font-semibold leading-tight">
        {book ? "The list" : "Your mainlines"}{" "}
        <span className="text-figure font-normal text-soft">lengths by pacing are good enough to begin with</span>
      </h1>
      <form
        onSubmit={(event) => {
          event.preventDefault();
          draw.mutate();
        }}
      >
        <fieldset className="mt-2 grid max-w-4xl grid-cols-2 gap-4 sm:grid-cols-4">
          <legend className="font-semibold">The pump</legend>
          <NumberField
            label="vacuum with all shut"
            si={ultimate}
            onSi={setUltimate}
            dimension="vacuum"
            error={fault?.about("ultimate_inhg")}
          />
          <NumberField
            label="air it moves"
            si={cfm}
            onSi={setCfm}
            dimension="plain"
            unit="CFM"
            digits={0}
            error={fault?.about("flow_cfm")}
          />
          <NumberField label="rated at" si={at} onSi={setAt} dimension="vacuum" error={fault?.about("at_inhg")} />
          <TextField label="tag of its gauge" value={pumpGauge} onValue={setPumpGauge} />
        </fieldset>
        <div className="mt-3 overflow-x-auto">
          <table className="w-full min-w-[48rem] border-collapse text-label">
            <caption className="text-left font-semibold">The mainlines, from the pump outwards</caption>
            <tbody>
              {rows.map((row, k) => (
                // biome-ignore lint/suspicious/noArrayIndexKey: a row's name changes while it is typed
                <tr key={k} className="border-t border-rule align-bottom *:px-2 *:py-1">
                  <td>
                    <TextField
                      label="name"
                      value={row.name}
                      onValue={(name) => set(k, { name })}
                      error={fault?.faults.some((f) => f.field === row.name) ? fault.message : undefined}
                    />
                  </td>
                  <td>
                    <NumberField
                      label="length"
                      si={row.length_m}
                      onSi={(length_m) => set(k, { length_m })}
                      dimension="length"
                      error={about(row, "length_m")}
                    />
                  </td>
                  <td>
                    <NumberField
                      label="taps"
                      si={row.taps}
                      onSi={(taps) => set(k, { taps })}
                      dimension="plain"
                      unit=""
                      digits={0}
                      error={about(row, "taps")}
                    />
                  </td>
                  <td>
                    <NumberField
                      label="inside"
                      si={row.mm}
                      onSi={(mm) => set(k, { mm })}
                      dimension="plain"
                      scale={system === "us" ? 1 / 25.4 : 1}
                      unit={system === "us" ? "in" : "mm"}
                      digits={2}
                      error={about(row, "inner_diameter_mm")}
                    />
                  </td>
                  <td>
                    <NumberField
                      label="leaves the conductor at"
                      si={row.at_m}
                      onSi={(at_m) => set(k, { at_m })}
                      dimension="length"
                      error={about(row, "at_m")}
                    />
                  </td>
                  <td>
                    <NumberField
                      label="grade"
                      si={row.grade}
                      onSi={(grade) => set(k, { grade })}
                      dimension="plain"
                      scale={100}
                      unit="%"
                      digits={0}
                      error={about(row, "grade")}
                    />
                  </td>
                  <td>
                    <TextField label="gauge at its end" value={row.gauge} onValue={(gauge) => set(k, { gauge })} />
                  </td>
                  <td>
                    <button
                      type="button"
                      className="text-amber underline"
                      onClick={() => setRows((all) => all.filter((_, i) => i !== k))}
                    >
                      remove {row.name}
                    </button>
                  </td>
                </tr>
              ))}
            </tbody>
          </table>
        </div>
        <div className="mt-2 flex flex-wrap items-end gap-4">
          <Button
            onClick={() =>
              setRows((all) => [
                ...all,
                { ...blank(all.length + 1), mm: all.at(-1)?.mm ?? 25.4, grade: all.at(-1)?.grade ?? 0.04 },
              ])
            }
          >
            One more mainline
          </Button>
          <Choice
            label="the gauges"
            value={hand}
            onValue={setHand}
            options={[
              ["hand", "are read by eye"],
              ["live", "send by themselves"],
            ]}
            inline
          />
          <Button kind="main" type="submit" disabled={draw.isPending || rows.length === 0}>
            Draw it
          </Button>
        </div>
        {fault && (
          <p role="alert" className="mt-2 font-semibold text-act">
            {fault.message}
          </p>
        )}
      </form>
      {!book && (
        <div className="mt-6 border-t border-ink pt-2">
          <Import bush={bush} />
        </div>
      )}
    </div>
  );
}

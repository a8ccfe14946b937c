import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { Link } from "react-router";
import { useHere, useMayWrite, useSystem } from "../../app/session";
import { Button, Pick } from "../../kit";
import { api, type Shapes, take } from "../../lib/api";
import { figure, quantity } from "../../lib/units";

type Found = Shapes["PastRunsOut"];
type Columns = Record<string, Shapes["ColumnIn"]>;

const FIGURES: [string, string][] = [
  ["date", "date"],
  ["syrup", "syrup made"],
  ["sap", "sap"],
  ["sap_brix", "its Brix"],
  ["fuel", "fuel"],
  ["hours", "hours"],
  ["taps", "taps"],
  ["target_brix", "concentrate, °Bx"],
];
const VOLUMES = ["gal", "L", "m³"];
const NONE = "not in the file";

/** Runs of earlier years from a notebook's CSV: which column is which, what would be taken, what is refused and why. */
export function PastRuns() {
  const { operation } = useHere();
  const system = useSystem();
  const mayWrite = useMayWrite();
  const client = useQueryClient();
  const [text, setText] = useState("");
  const [columns, setColumns] = useState<Columns | null>(null);
  const path = { params: { path: { operation: operation.slug } } };
  const look = useMutation({
    mutationFn: (body: { text: string; columns: Columns | null }) =>
      take(api.POST("/api/v1/operations/{operation}/past-runs/look", { ...path, body })),
    onSuccess: (answer) => setColumns(answer.columns as Columns),
  });
  const keep = useMutation({
    mutationFn: () => take(api.POST("/api/v1/operations/{operation}/past-runs", { ...path, body: { text, columns } })),
    onSuccess: () => {
      for (const room of ["runs", "season"]) client.invalidateQueries({ queryKey: [room, operation.slug] });
    },
  });
  const found: Found | undefined = keep.data ?? look.data;
  const choose = (figureName: string, column: string, unit?: string) => {
    const next = { ...(columns ?? {}) };
    if (column === NONE) delete next[figureName];
    else
      next[figureName] = {
        column,
        unit: unit ?? next[figureName]?.unit ?? (["sap", "syrup"].includes(figureName) ? "gal" : ""),
      };
    setColumns(next);
    keep.reset();
    look.mutate({ text, columns: next });
  };
  const read = (content: string) => {
    setText(content);
    setColumns(null);
    keep.reset();
    if (content.trim()) look.mutate({ text: content, columns: null });
  };
  return (
    <div className="min-h-0 overflow-auto">
      <h1 className="text-answer font-semibold">Runs of earlier years</h1>
      <p className="text-soft">
        A CSV file with a header line; any column names. What your notebook has is enough: a date and the syrup made.
      </p>
      <div className="mt-2 flex flex-wrap items-center gap-4">
        <label className="cursor-pointer rounded-sm border border-rule px-3 py-1.5 hover:border-ink">
          Choose a file
          <input
            type="file"
            accept=".csv,text/csv,text/plain"
            className="sr-only"
            onChange={async (event) => {
              const file = event.target.files?.[0];
              if (file) read(await file.text());
            }}
          />
        </label>
        <span className="text-soft">or paste it</span>
      </div>
      <textarea
        aria-label="CSV"
        rows={4}
        value={text}
        onChange={(event) => read(event.target.value)}
        className="mt-1 w-full border border-rule bg-transparent p-1 font-mono text-label"
      />
      {(look.error ?? keep.error) && (
        <p role="alert" className="font-semibold text-act">
          {(look.error ?? keep.error)?.message}
        </p>
      )}
      {found && (
        <>
          <div className="mt-2 grid grid-cols-2 gap-x-6 gap-y-1 sm:grid-cols-4">
            {FIGURES.map(([name, word]) => (
              <div key={name}>
                <Pick
                  label={word}
                  value={columns?.[name]?.column ?? NONE}
                  options={[NONE, ...found.headers.filter(Boolean)].map((header) => [header, header])}
                  onValue={(column) => choose(name, column)}
                />
                {(name === "sap" || name === "syrup") && columns?.[name] && (
                  <Pick
                    label="in"
                    value={columns[name]?.unit || "gal"}
                    options={VOLUMES.map((unit) => [unit, unit])}
                    onValue={(unit) => choose(name, columns[name]?.column ?? NONE, unit)}
                  />
                )}
              </div>
            ))}
          </div>
          <p className="mt-2 font-semibold">
            {keep.data
              ? `${keep.data.taken} runs taken over${keep.data.rows.length > keep.data.taken ? `, ${keep.data.rows.length - keep.data.taken} were here already or lie ahead` : ""}.`
              : `${found.rows.length} runs can be taken.`}{" "}
            {found.refused.length > 0 && <span className="text-act">{found.refused.length} lines are refused.</span>}
          </p>
          {!keep.data && (
            <Button
              kind="main"
              disabled={!mayWrite || keep.isPending || found.rows.length === 0}
              onClick={() => keep.mutate()}
            >
              Take them over
            </Button>
          )}{" "}
          <Link className="underline" to={`/${operation.slug}/ledger`}>
            back to the Ledger
          </Link>
          <div className="mt-2 grid gap-8 md:grid-cols-2">
            <table className="text-right font-mono text-label">
              <caption className="text-left font-sans text-soft">as they would be kept</caption>
              <tbody>
                {found.rows.slice(0, 40).map((row) => (
                  <tr key={row.line} className="border-t border-rule">
                    <th className="text-left font-normal">{row.date}</th>
                    <td>{row.sap_m3 == null ? "" : quantity(row.sap_m3, "volume", system)}</td>
                    <td>{row.sap_brix == null ? "" : `${figure(row.sap_brix, 1)} °Bx`}</td>
                    <td>{quantity(row.syrup_m3, "volume", system)}</td>
                  </tr>
                ))}
              </tbody>
            </table>
            {found.refused.length > 0 && (
              <ul className="text-label">
                {found.refused.map((row) => (
                  <li key={row.line} className="border-t border-rule">
                    <b>line {row.line}</b>, {row.field}: {row.message}
                  </li>
                ))}
              </ul>
            )}
          </div>
        </>
      )}
    </div>
  );
}

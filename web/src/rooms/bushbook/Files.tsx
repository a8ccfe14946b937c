import { useMutation } from "@tanstack/react-query";
import { useRef, useState } from "react";
import { useHere } from "../../app/session";
import { Button, NumberField, Pick, Scroll, TextField } from "../../kit";
import { api, type Refusal, type Shapes, take } from "../../lib/api";
import { useKept } from "../../lib/keep";
import { shown } from "../../lib/units";
import { useLinesChanged } from "./book";

type Report = Shapes["ImportOut"];
type Format = "geojson" | "gpx" | "kml" | "csv";
const FORMATS: [Format, string][] = [
  ["geojson", "GeoJSON: everything"],
  ["gpx", "GPX: for a phone or a GPS"],
  ["kml", "KML: for a globe"],
  ["csv", "CSV: for a spreadsheet"],
];

/** Lines out as files, and in: what is wrong by feature, what would change, then keep it. */
export function Files({ bush }: { bush: string }) {
  const { operation } = useHere();
  return (
    <div className="grid gap-x-10 gap-y-4 overflow-auto lg:grid-cols-[20rem_minmax(0,1fr)]">
      <section aria-label="Out">
        <h1 className="text-figure font-semibold">Lines out as a file</h1>
        <ul>
          {FORMATS.map(([format, text]) => (
            <li key={format} className="border-t border-rule py-1">
              <a
                className="text-amber underline"
                download
                href={`/api/v1/operations/${operation.slug}/bushes/${bush}/export?format=${format}`}
              >
                {text}
              </a>
            </li>
          ))}
        </ul>
      </section>
      {operation.role === "owner" && <Import bush={bush} />}
    </div>
  );
}

export function Import({ bush }: { bush: string }) {
  const { operation } = useHere();
  const changed = useLinesChanged(bush);
  const input = useRef<HTMLInputElement>(null);
  const [file, setFile] = useState<{ name: string; format: Format; text: string } | null>(null);
  const [mainline, setMainline] = useState<number | null>(25.4);
  const [lateral, setLateral] = useState<number | null>(7.75);
  const [conductor, setConductor] = useState<number | null>(38.1);
  const read = useMutation<Report, Refusal, { format: Format; text: string; apply: boolean }>({
    mutationFn: (body) =>
      take(
        api.POST("/api/v1/operations/{operation}/bushes/{bush}/import", {
          params: { path: { operation: operation.slug, bush } },
          body: {
            ...body,
            sizes: { mainline_mm: mainline ?? 0, lateral_mm: lateral ?? 0, conductor_mm: conductor ?? 0 },
          },
        }),
      ),
    onSuccess: (report) => report.applied && changed(),
  });
  const choose = async (chosen: File) => {
    const ending = chosen.name.toLowerCase().split(".").pop() ?? "";
    const format = (ending === "json" ? "geojson" : ending) as Format;
    const text = await chosen.text();
    setFile({ name: chosen.name, format, text });
    read.mutate({ format, text, apply: false });
  };
  const report = read.data;
  return (
    <section aria-label="In">
      <h2 className="text-figure font-semibold">Lines in from a file</h2>
      <p className="text-label text-soft">
        A survey in GeoJSON, KML or CSV, or what a phone walked as GPX: points by name, ways as tracks. Ends within 12 m
        of a point join it; ways are turned to lead away from the pump. Nothing is kept before you say so.
      </p>
      <div className="mt-2 flex flex-wrap items-end gap-4">
        <input
          ref={input}
          type="file"
          className="sr-only"
          aria-label="File of lines"
          accept=".geojson,.json,.gpx,.kml,.csv"
          onChange={(event) => {
            const [chosen] = event.target.files ?? [];
            if (chosen) void choose(chosen);
            event.target.value = "";
          }}
        />
        <Button kind="main" onClick={() => input.current?.click()}>
          Choose a file
        </Button>
        {(
          [
            ["mainlines inside, if not said", mainline, setMainline],
            ["laterals", lateral, setLateral],
            ["conductors", conductor, setConductor],
          ] as const
        ).map(([label, value, set]) => (
          <div key={label} className="w-32">
            <NumberField label={label} si={value} onSi={set} dimension="plain" unit="mm" digits={2} />
          </div>
        ))}
      </div>
      <Walked
        bush={bush}
        onFile={(text) => {
          setFile({ name: "walked", format: "geojson", text });
          read.mutate({ format: "geojson", text, apply: false });
        }}
      />
      {read.error && (
        <p role="alert" className="mt-2 font-semibold text-act">
          {file?.name}: {read.error.message}
        </p>
      )}
      {report && file && (
        <Told
          report={report}
          name={file.name}
          busy={read.isPending}
          onKeep={() => read.mutate({ format: file.format, text: file.text, apply: true })}
        />
      )}
    </section>
  );
}

const POINTS: [string, string][] = ["pump", "junction", "valve", "saddle", "end"].map((kind) => [kind, kind]);
type Place = { tag: string; kind: string; lon: number; lat: number; elevation_m: number | null };

/** Lines walked with the phone's position: a point wherever one stands, each joined to the one before or to another. */
function Walked({ bush, onFile }: { bush: string; onFile: (text: string) => void }) {
  const { operation } = useHere();
  const key = `walked ${operation.slug} ${bush}`;
  const [places, setPlaces] = useKept<(Place & { from: string })[]>(key, []);
  const [tag, setTag] = useState("");
  const [kind, setKind] = useState("saddle");
  const [from, setFrom] = useState("");
  const [told, setTold] = useState<string | null>(null);
  const [ultimate, setUltimate] = useKept<number | null>(`${key} ultimate`, null);
  const [cfm, setCfm] = useKept<number | null>(`${key} cfm`, null);
  const [at, setAt] = useKept<number | null>(`${key} at`, null);
  const inHg = (pa: number | null) => (pa === null ? undefined : shown(pa, "vacuum", "us"));
  const curve = { ultimate_inhg: inHg(ultimate), flow_cfm: cfm ?? undefined, at_inhg: inHg(at) };
  const name = tag.trim() || `W${places.length + 1}`;
  const below = from || places.at(-1)?.tag || "";
  const stand = () =>
    navigator.geolocation.getCurrentPosition(
      ({ coords }) => {
        if (places.some((one) => one.tag === name)) return setTold(`there is a point ${name} already`);
        const place = { tag: name, kind, lon: coords.longitude, lat: coords.latitude, elevation_m: coords.altitude };
        setPlaces((all) => [...all, { ...place, from: below }]);
        setTag("");
        setFrom("");
        setTold(`${name}: within ${Math.round(coords.accuracy)} m`);
      },
      (error) => setTold(`no position: ${error.message}`),
      { enableHighAccuracy: true, timeout: 20_000 },
    );
  const done = () => {
    const where = new Map(places.map((one) => [one.tag, [one.lon, one.lat]]));
    const points = places.map(({ lon, lat, from: _, elevation_m, ...rest }) => ({
      type: "Feature",
      geometry: { type: "Point", coordinates: [lon, lat] },
      properties: { ...rest, ...(rest.kind === "pump" ? curve : {}), ...(elevation_m === null ? {} : { elevation_m }) },
    }));
    const ways = places
      .filter((one) => one.from)
      .map((one) => ({
        type: "Feature",
        geometry: { type: "LineString", coordinates: [where.get(one.from), [one.lon, one.lat]] },
        properties: {
          tag: `${one.from} ${one.tag}`.replaceAll(" ", "/"),
          kind: "mainline",
          from: one.from,
          to: one.tag,
        },
      }));
    onFile(JSON.stringify({ type: "FeatureCollection", features: [...points, ...ways] }));
  };
  return (
    <details className="mt-3 border-t border-rule pt-2">
      <summary className="cursor-pointer font-semibold">Or walk the lines with this phone</summary>
      <p className="text-label text-soft">
        Stand at the pump first, then at each valve, junction and end. Points are kept on the phone until you take them
        in; pump and sizes can be corrected afterwards.
      </p>
      <div className="mt-1 flex flex-wrap items-end gap-3">
        <div className="w-32">
          <TextField label="tag of this place" value={tag} onValue={setTag} />
        </div>
        <Pick label="it is a" value={kind} onValue={setKind} options={POINTS} />
        {places.length > 0 && (
          <Pick
            label="the pipe comes from"
            value={below}
            onValue={setFrom}
            options={places.map((one) => [one.tag, one.tag])}
          />
        )}
        <Button className="max-sm:min-h-14" onClick={stand}>
          I stand at it
        </Button>
      </div>
      {told && (
        <p role="status" className="text-label">
          {told}
        </p>
      )}
      <ol className="text-label">
        {places.map((one) => (
          <li key={one.tag} className="flex gap-x-3 border-t border-rule py-0.5">
            <span className="font-mono font-semibold">{one.tag}</span> {one.kind}
            {one.from && <span className="text-soft">from {one.from}</span>}
            <button
              type="button"
              className="ml-auto text-amber underline"
              onClick={() => setPlaces((all) => all.filter((other) => other.tag !== one.tag))}
            >
              remove
            </button>
          </li>
        ))}
      </ol>
      {places.some((one) => one.kind === "pump") && (
        <div className="mt-2 grid max-w-md grid-cols-3 gap-3">
          <NumberField label="pump, all shut" si={ultimate} onSi={setUltimate} dimension="vacuum" />
          <NumberField label="air it moves" si={cfm} onSi={setCfm} dimension="plain" unit="CFM" digits={0} />
          <NumberField label="rated at" si={at} onSi={setAt} dimension="vacuum" />
        </div>
      )}
      {places.length > 1 && (
        <Button kind="main" className="mt-2" onClick={done}>
          Take in {places.length} points
        </Button>
      )}
    </details>
  );
}

function Told({ report, name, busy, onKeep }: { report: Report; name: string; busy: boolean; onKeep: () => void }) {
  const few = (tags: string[]) =>
    `${tags.slice(0, 12).join(", ")}${tags.length > 12 ? ` and ${tags.length - 12} more` : ""}`;
  return (
    <div className="mt-3">
      <p className="font-semibold">
        {name}: {report.points} points, {report.lines} lines, {report.taps.toLocaleString("en-US")} taps
      </p>
      {report.faults.length > 0 && (
        <>
          <p role="alert" className="font-semibold text-act">
            {report.faults.length} features cannot be taken; nothing was kept.
          </p>
          <Scroll label="Faults" className="max-h-64">
            <ul className="text-label">
              {report.faults.map((fault) => (
                <li key={`${fault.feature} ${fault.message}`} className="border-t border-rule py-0.5">
                  <span className="font-mono font-semibold">{fault.feature}</span> {fault.message}
                </li>
              ))}
            </ul>
          </Scroll>
        </>
      )}
      {report.faults.length === 0 && (
        <dl className="text-label">
          {(
            [
              ["new", report.added],
              ["changed", report.changed],
              ["gone", report.removed],
              ["to look at", report.warnings],
            ] as const
          ).map(([word, tags]) => (
            <div key={word} className="flex gap-x-2 border-t border-rule py-0.5">
              <dt className="w-20 shrink-0 text-soft">{word}</dt>
              <dd>
                {tags.length}
                {tags.length > 0 && `: ${few(tags)}`}
              </dd>
            </div>
          ))}
        </dl>
      )}
      {report.applied ? (
        <p role="status" className="mt-2 font-semibold">
          Kept.
        </p>
      ) : (
        report.faults.length === 0 && (
          <Button kind="main" className="mt-2" disabled={busy} onClick={onKeep}>
            Keep it: replace the lines
          </Button>
        )
      )}
    </div>
  );
}

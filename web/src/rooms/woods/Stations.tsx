import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { useHere, useMayWrite } from "../../app/session";
import { Button, Caution } from "../../kit";
import { api, type Refusal, type Shapes, take } from "../../lib/api";
import { clock } from "../../lib/time";

type Station = Shapes["StationOut"];

/** The pump stations: do they run, and ask them to start or stop. */
export function Stations() {
  const { operation } = useHere();
  const { data } = useQuery({
    queryKey: ["stations", operation.slug],
    queryFn: () =>
      take(api.GET("/api/v1/operations/{operation}/stations", { params: { path: { operation: operation.slug } } })),
    refetchInterval: 5_000,
  });
  if (!data || data.length === 0) return null;
  return (
    <ul aria-label="Pump stations" className="flex flex-wrap gap-x-8 border-t border-rule pt-1 text-label">
      {data.map((station) => (
        <One key={station.tag} station={station} />
      ))}
    </ul>
  );
}

function One({ station }: { station: Station }) {
  const { operation } = useHere();
  const mayWrite = useMayWrite();
  const client = useQueryClient();
  const [sure, setSure] = useState(false);
  const action = station.running ? "stop" : "start";
  const ask = useMutation<Station, Refusal>({
    mutationFn: () =>
      take(
        api.POST("/api/v1/operations/{operation}/stations/{tag}/requests", {
          params: { path: { operation: operation.slug, tag: station.tag } },
          body: { action },
        }),
      ),
    onSettled: () => {
      setSure(false);
      client.invalidateQueries({ queryKey: ["stations", operation.slug] });
    },
  });
  const [last] = station.requests;
  const waits = last?.state === "asked";
  return (
    <li className="min-w-0">
      <div className="flex flex-wrap items-baseline gap-x-2">
        <span className="font-mono font-semibold">{station.tag}</span>
        <span className={station.running && !station.silent ? "" : "font-semibold"}>
          {station.silent
            ? `silent since ${clock(station.heard_at, operation.zone)}`
            : station.running
              ? "runs"
              : "stands"}
        </span>
        {station.local && <span className="font-semibold">local control</span>}
        {station.hours !== null && (
          <span className="text-soft">{Math.round(station.hours).toLocaleString("en-US")} h</span>
        )}
        {last && (
          <span className={last.state === "asked" || last.state === "done" ? "text-soft" : "font-semibold text-act"}>
            {last.by} asked to {last.action} at {clock(last.at, operation.zone)}:{" "}
            {last.state === "asked" ? "waiting" : last.state}
            {last.reason && `, ${last.reason}`}
          </span>
        )}
        {mayWrite && !sure && (
          <button
            type="button"
            className="text-amber underline disabled:text-soft"
            disabled={waits}
            onClick={() => setSure(true)}
          >
            ask to {action}
          </button>
        )}
      </div>
      {sure && (
        <div className="flex flex-wrap items-center gap-2 py-1">
          <Button kind="main" disabled={ask.isPending} onClick={() => ask.mutate()}>
            {action === "start" ? `Start ${station.tag}: nobody is at it` : `Stop ${station.tag}`}
          </Button>
          <Button onClick={() => setSure(false)}>Leave it</Button>
          <div className="min-w-48 flex-1">
            <Caution>Guards on, hands off: whoever works at the pump switches it to local first.</Caution>
          </div>
        </div>
      )}
      {ask.error && (
        <p role="alert" className="font-semibold text-act">
          {ask.error.message}
        </p>
      )}
    </li>
  );
}

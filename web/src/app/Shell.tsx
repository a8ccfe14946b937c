import { useQuery, useQueryClient } from "@tanstack/react-query";
import { type ReactNode, useEffect, useLayoutEffect, useState } from "react";
import { Link, useLocation, useNavigate } from "react-router";
import { Button } from "../kit";
import { api, take } from "../lib/api";
import { forgetAnswers } from "../lib/offline";
import { seeServerTime } from "../lib/serverTime";
import { clock, day } from "../lib/time";
import { Line } from "./Line";
import { Overdue } from "./Overdue";
import { useOutbox } from "./outbox";
import { useHere, usePreferences, useTheme } from "./session";
import { Unsent } from "./Unsent";

/** Keys that are in force everywhere; `?` lists them. */
export const KEYS: [string, string, string][] = [
  ["1", "Woods", "woods"],
  ["2", "Tonight, from the sap tank", "tonight"],
  ["3", "The membrane's session", "boil/membrane"],
  ["4", "Boil", "boil"],
  ["5", "Barrels", "barrels"],
  ["g", "Ledger", "ledger"],
  ["s", "Season", "season"],
  ["t", "Lists", "lists"],
  ["h", "Hunt", "hunt"],
  ["k", "Bush book", "bushbook"],
  ["d", "Drill", "drill"],
  ["b", "Bench", "bench"],
];

export function Shell({ children }: { children: ReactNode }) {
  const { session, operation } = useHere();
  const room = useLocation().pathname.split("/")[2] ?? "";
  const line = useQuery({
    queryKey: ["line", operation.slug],
    queryFn: () =>
      take(api.GET("/api/v1/operations/{operation}/line", { params: { path: { operation: operation.slug } } })),
    refetchInterval: 10_000,
  });
  const time = useServerTime();
  const hour = time ? Number(clock(time, operation.zone).slice(0, 2)) : 12;
  useTheme(session.theme ?? "device", room === "boil" && (hour >= 19 || hour < 6));
  useOutbox(session.username ?? "");
  const [keysOpen, setKeysOpen] = useState(false);
  useKeys(() => setKeysOpen((open) => !open));
  return (
    <>
      <header className="no-print">
        <TopBar time={time} room={room} onKeys={() => setKeysOpen((open) => !open)} />
        <Line facts={line.data} room={room} />
      </header>
      {line.isError && (
        <p role="status" className="bg-act px-4 py-1 text-label font-semibold text-paper">
          No connection. This is the last picture; it comes back by itself. <Unsent />
        </p>
      )}
      <Overdue />
      {keysOpen && <KeyList onClose={() => setKeysOpen(false)} />}
      <main className="flex min-h-0 flex-1 flex-col">{children}</main>
    </>
  );
}

function TopBar({ time, room, onKeys }: { time: number | null; room: string; onKeys: () => void }) {
  const { session, operation } = useHere();
  const preferences = usePreferences();
  const client = useQueryClient();
  const units = session.units === "metric" ? "metric" : "us";
  const nextTheme = { device: "day", day: "night", night: "device" } as const;
  const theme = (session.theme ?? "device") as keyof typeof nextTheme;
  const plain = "px-1.5 py-1 text-label text-soft hover:text-ink";
  return (
    <div className="flex items-center gap-x-3 px-4 pt-2 max-lg:flex-wrap">
      <span className="font-semibold tracking-tight">Zucker</span>
      <span className="truncate text-soft max-sm:hidden">{operation.name}</span>
      {(session.operations?.length ?? 0) > 1 &&
        session.operations?.map((one) => (
          <Link key={one.slug} to={`/${one.slug}/${room}`} className={plain}>
            {one.name}
          </Link>
        ))}
      <span className="ml-auto whitespace-nowrap text-label text-soft">
        {time !== null && (
          <>
            <span className="max-sm:hidden">{day(time, operation.zone)} </span>
            <span className="font-mono text-ink">{clock(time, operation.zone)}</span>
          </>
        )}
      </span>
      {[
        ["Hunt", "hunt", ""],
        ["Bush book", "bushbook", ""],
        ["Lists", "lists", ""],
        ["Ledger", "ledger", ""],
        ["Season", "season", "max-sm:hidden"],
        ["Drill", "drill", "max-sm:hidden"],
        ["Bench", "bench", ""],
      ].map(([name, path, where]) => (
        <Link
          key={name}
          to={`/${operation.slug}/${path}`}
          aria-current={room === path ? "page" : undefined}
          className={`${plain} ${where} whitespace-nowrap aria-[current]:font-semibold aria-[current]:text-ink`}
        >
          {name}
        </Link>
      ))}
      <button
        type="button"
        className={`${plain} whitespace-nowrap`}
        onClick={() => preferences.mutate({ units: units === "us" ? "metric" : "us" })}
        title="Switch units"
      >
        {units === "us" ? "inHg, gal, °F" : "kPa, L, °C"}
      </button>
      <button
        type="button"
        className={`${plain} max-sm:hidden`}
        onClick={() => preferences.mutate({ theme: nextTheme[theme] })}
        title="Switch light"
      >
        {{ device: "light: by device", day: "light: day", night: "light: night" }[theme]}
      </button>
      <button type="button" className={`${plain} max-sm:hidden`} onClick={onKeys} aria-label="Keys in force">
        ?
      </button>
      <button
        type="button"
        className={`${plain} whitespace-nowrap`}
        onClick={async () => {
          await take(api.DELETE("/api/v1/session"));
          await forgetAnswers();
          client.clear();
          location.assign("/");
        }}
      >
        sign out
      </button>
    </div>
  );
}

function KeyList({ onClose }: { onClose: () => void }) {
  return (
    <section aria-label="Keys" className="border-y border-rule bg-sheet px-4 py-3">
      <dl className="flex flex-wrap gap-x-8 gap-y-1">
        {[...KEYS, ["?", "this list", ""]].map(([key, text]) => (
          <div key={key} className="flex gap-2">
            <dt className="font-mono font-semibold">{key}</dt>
            <dd>{text}</dd>
          </div>
        ))}
      </dl>
      <Button className="mt-2" onClick={onClose}>
        Close
      </Button>
    </section>
  );
}

function useKeys(onList: () => void) {
  const { operation } = useHere();
  const navigate = useNavigate();
  // in force as soon as the room is seen
  useLayoutEffect(() => {
    const listen = (event: KeyboardEvent) => {
      const target = event.target as HTMLElement;
      if (event.ctrlKey || event.metaKey || event.altKey || /^(INPUT|TEXTAREA|SELECT)$/.test(target.tagName)) return;
      if (event.key === "?") return onList();
      const found = KEYS.find(([key]) => key === event.key);
      if (found) navigate(`/${operation.slug}/${found[2]}`);
    };
    addEventListener("keydown", listen);
    return () => removeEventListener("keydown", listen);
  }, [navigate, onList, operation.slug]);
}

/** The server's clock, which a demo can set and speed up. */
export function useServerTime(): number | null {
  const { data, dataUpdatedAt } = useQuery({
    queryKey: ["clock"],
    queryFn: () => take(api.GET("/api/v1/clock")),
    refetchInterval: 30_000,
  });
  useEffect(() => {
    if (data) seeServerTime(data.now, data.pace, dataUpdatedAt);
  }, [data, dataUpdatedAt]);
  const [, tick] = useState(0);
  useEffect(() => {
    const timer = setInterval(() => tick((n) => n + 1), 1000);
    return () => clearInterval(timer);
  }, []);
  return data ? Date.parse(data.now) + (Date.now() - dataUpdatedAt) * data.pace : null;
}

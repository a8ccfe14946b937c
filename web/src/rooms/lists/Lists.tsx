import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { Link, useParams } from "react-router";
import { useHere, useMayWrite, useSystem } from "../../app/session";
import { api, take } from "../../lib/api";
import { clock } from "../../lib/time";
import { quantity } from "../../lib/units";

/** Lists made from the equipment there is: what to do, ticked with who and when, for today. */
export default function Lists() {
  const { operation } = useHere();
  const system = useSystem();
  const mayWrite = useMayWrite();
  const client = useQueryClient();
  const { list: asked } = useParams();
  const path = { params: { path: { operation: operation.slug } } };
  const key = ["lists", operation.slug];
  const { data } = useQuery({
    queryKey: key,
    queryFn: () => take(api.GET("/api/v1/operations/{operation}/lists", path)),
    refetchInterval: 30_000,
  });
  // what was ticked here shows at once; the last answer, or its refusal, takes its place
  const [onTheWay, setOnTheWay] = useState<Record<string, boolean>>({});
  const tick = useMutation({
    // one after another, so that the last tick is the one that stands
    mutationKey: key,
    scope: { id: key.join(" ") },
    mutationFn: (body: { list: string; item: string; done: boolean }) =>
      take(api.PUT("/api/v1/operations/{operation}/lists", { ...path, body })),
    onSuccess: (answer) => {
      if (client.isMutating({ mutationKey: key }) === 1) client.setQueryData(key, answer);
    },
    onError: () => client.invalidateQueries({ queryKey: key }),
    onSettled: () => {
      if (client.isMutating({ mutationKey: key }) === 1) setOnTheWay({});
    },
  });
  if (!data) return null;
  const chosen = data.find((one) => one.name.replaceAll(" ", "-") === asked) ?? data[0];
  if (!chosen) return null;
  const left = chosen.items.filter((item) => !item.done_at).length;
  return (
    <div className="grid min-h-0 flex-1 gap-x-8 overflow-auto px-4 pb-3 md:grid-cols-[12rem_minmax(0,44rem)]">
      <nav aria-label="Lists" className="flex gap-x-4 overflow-auto py-2 md:flex-col md:gap-y-1">
        {data.map((one) => (
          <Link
            key={one.name}
            to={`/${operation.slug}/lists/${one.name.replaceAll(" ", "-")}`}
            aria-current={one === chosen ? "page" : undefined}
            className={`whitespace-nowrap py-1 ${one === chosen ? "font-semibold underline decoration-amber decoration-2 underline-offset-4" : "text-soft"}`}
          >
            {one.name}{" "}
            <span className="text-label">
              {one.items.filter((item) => item.done_at).length}/{one.items.length}
            </span>
          </Link>
        ))}
      </nav>
      <section aria-label={chosen.name}>
        <h1 className="text-answer font-semibold leading-tight">
          {chosen.name[0]?.toUpperCase()}
          {chosen.name.slice(1)}
          <span className="text-figure font-normal text-soft">{left ? `: ${left} to do` : ": all done"}</span>
        </h1>
        <ul>
          {chosen.items.map((item) => (
            <li key={item.key} className="border-t border-rule">
              <label className="flex min-h-14 cursor-pointer items-center gap-4 py-1.5">
                <input
                  type="checkbox"
                  className="size-7 accent-[var(--amber)]"
                  checked={onTheWay[`${chosen.name} ${item.key}`] ?? item.done_at !== null}
                  disabled={!mayWrite}
                  onChange={(event) => {
                    const done = event.target.checked;
                    setOnTheWay((before) => ({ ...before, [`${chosen.name} ${item.key}`]: done }));
                    tick.mutate({ list: chosen.name, item: item.key, done });
                  }}
                />
                <span className="flex-1">
                  <span className={item.done_at ? "text-soft" : "font-semibold"}>{item.text}</span>
                  {item.permeate_m3 != null && (
                    <span className="text-soft">, {quantity(item.permeate_m3, "volume", system)} of permeate</span>
                  )}
                  {item.caution && <span className="block text-label text-soft">{item.caution}</span>}
                </span>
                {item.done_at && (
                  <span className="text-label text-soft">
                    {item.done_by}, {clock(item.done_at, operation.zone)}
                  </span>
                )}
              </label>
            </li>
          ))}
        </ul>
        {tick.error && (
          <p role="alert" className="font-semibold text-act">
            {tick.error.message}
          </p>
        )}
        <p className="mt-2 text-label text-soft">
          Ticks count for the day, until four in the morning. Follow the makers' manuals and local code; ask a licensed
          electrician, gas or boiler fitter.
        </p>
      </section>
    </div>
  );
}

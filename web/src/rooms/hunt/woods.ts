import { useQueryClient } from "@tanstack/react-query";
import { useEffect } from "react";
import { useHere } from "../../app/session";
import { api, type Shapes, take } from "../../lib/api";

const CLOSED = ["proven", "dropped"];

/** Fetches every open hunt with its strip and its line's profile while there is coverage, so that they are at hand without. */
export function useForTheWoods(cases: Shapes["CaseOut"][] | undefined) {
  const { operation } = useHere();
  const client = useQueryClient();
  const open = (cases ?? [])
    .filter((one) => !CLOSED.includes(one.state))
    .map((one) => `${one.number} ${one.main}`)
    .join(",");
  useEffect(() => {
    for (const one of open.split(",").filter(Boolean)) {
      const [number = "", main] = one.split(" ");
      const path = { operation: operation.slug, number: Number(number) };
      client.prefetchQuery({
        queryKey: ["hunt", operation.slug, path.number],
        queryFn: () => take(api.GET("/api/v1/operations/{operation}/hunts/{number}", { params: { path } })),
      });
      if (main) {
        client.prefetchQuery({
          queryKey: ["profile", operation.slug, main],
          queryFn: () =>
            take(
              api.GET("/api/v1/operations/{operation}/woods/mains/{main}/profile", {
                params: { path: { operation: operation.slug, main } },
              }),
            ),
        });
      }
    }
    client.prefetchQuery({
      queryKey: ["map", operation.slug],
      queryFn: () =>
        take(api.GET("/api/v1/operations/{operation}/woods/map", { params: { path: { operation: operation.slug } } })),
    });
  }, [client, open, operation.slug]);
}

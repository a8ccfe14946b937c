import { useQuery } from "@tanstack/react-query";
import { api, take } from "../lib/api";
import { useHere } from "./session";

/** Who is out alone, and who came back lately. */
export function useWalks() {
  const { operation } = useHere();
  return useQuery({
    queryKey: ["walks", operation.slug],
    queryFn: () =>
      take(api.GET("/api/v1/operations/{operation}/walks", { params: { path: { operation: operation.slug } } })),
    refetchInterval: 30_000,
  });
}

import { useQuery } from "@tanstack/react-query";
import { Link } from "react-router";
import { useHere, useSystem } from "../../app/session";
import { api, take } from "../../lib/api";
import { quantity } from "../../lib/units";

/** What the gauges cannot tell apart, and where one more would help most. */
export function Gauges({ bush }: { bush: string }) {
  const { operation } = useHere();
  const system = useSystem();
  const { data, error } = useQuery({
    queryKey: ["gauges", operation.slug, bush],
    queryFn: () =>
      take(
        api.GET("/api/v1/operations/{operation}/bushes/{bush}/gauges", {
          params: { path: { operation: operation.slug, bush } },
        }),
      ),
    staleTime: 3_600_000,
  });
  if (error) return <p className="text-act">{error.message}</p>;
  if (!data)
    return (
      <p role="status" className="py-4 text-soft">
        Every place is being tried. This takes some seconds.
      </p>
    );
  const [best] = data.next;
  const long = Math.max(...data.next.map((one) => one.blurred_m), data.blurred_m ?? 1, 1);
  return (
    <div className="max-w-3xl">
      <h1 className="text-answer font-semibold leading-tight">
        {best ? `Hang the next gauge at ${best.node}` : "Every place has its gauge"}
      </h1>
      <p>
        {data.blurred_m !== null &&
          `With today's gauges a leak of 1 SCFM stays hidden in ${quantity(data.blurred_m, "length", system)} of line on average. `}
        {best && `With one more at ${best.node}, in ${quantity(best.blurred_m, "length", system)}.`}
      </p>
      <table className="mt-3 w-full border-collapse text-label">
        <caption className="text-left font-semibold">Length of line in which a leak then stays hidden</caption>
        <tbody>
          {[...(data.blurred_m === null ? [] : [{ node: "as it is", blurred_m: data.blurred_m }]), ...data.next].map(
            (one) => (
              <tr key={one.node} className="border-t border-rule">
                <th className="w-32 py-1 text-left font-mono">{one.node}</th>
                <td>
                  <svg viewBox="0 0 100 4" preserveAspectRatio="none" className="block h-2.5 w-full" aria-hidden="true">
                    <rect
                      width={(100 * one.blurred_m) / long}
                      height="4"
                      fill={one.node === "as it is" ? "var(--soft)" : "var(--amber)"}
                    />
                  </svg>
                </td>
                <td className="w-24 text-right font-mono">{quantity(one.blurred_m, "length", system)}</td>
              </tr>
            ),
          )}
        </tbody>
      </table>
      {data.groups.length > 0 && (
        <p className="mt-3 text-label">
          Look alike to the present gauges: {data.groups.map((group) => group.join(" and ")).join("; ")}.
        </p>
      )}
      <p className="mt-2 text-label text-soft">
        Hang it under{" "}
        <Link className="underline" to={`/${operation.slug}/bushbook/${bush}/points`}>
          Points and gauges
        </Link>
        .
      </p>
    </div>
  );
}

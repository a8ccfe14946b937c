import { useQuery } from "@tanstack/react-query";
import { useHere } from "../../app/session";
import { Scroll } from "../../kit";
import { api, take } from "../../lib/api";
import { clock, day } from "../../lib/time";

/** What was changed in the lines, when, by whom, and what stood there before. */
export function Changes({ bush }: { bush: string }) {
  const { operation } = useHere();
  const { data } = useQuery({
    queryKey: ["changes", operation.slug, bush],
    queryFn: () =>
      take(
        api.GET("/api/v1/operations/{operation}/bushes/{bush}/changes", {
          params: { path: { operation: operation.slug, bush } },
        }),
      ),
  });
  if (!data) return null;
  if (data.length === 0) return <p className="py-2 text-soft">Nothing has been changed since the first survey.</p>;
  return (
    <>
      <h1 className="text-figure font-semibold">{data.length} changes</h1>
      <Scroll label="All changes" className="min-h-0 flex-1">
        <table className="w-full border-collapse text-label">
          <caption className="sr-only">Changes, the latest first</caption>
          <tbody>
            {data.map((one) => (
              <tr key={`${one.at} ${one.tag} ${one.what}`} className="border-t border-rule align-baseline">
                <td className="py-0.5 pr-3 text-soft">
                  {day(one.at, operation.zone)} {clock(one.at, operation.zone)}
                </td>
                <td className="pr-3">{one.by ?? "the program"}</td>
                <td className="pr-3 font-mono font-semibold">{one.tag}</td>
                <td className="pr-3">{one.what}</td>
                <td>{one.fields.map((field) => `${field.name}: ${field.before} to ${field.after}`).join("; ")}</td>
              </tr>
            ))}
          </tbody>
        </table>
      </Scroll>
    </>
  );
}

import { useQuery } from "@tanstack/react-query";
import { useHere } from "../../app/session";
import { api, take } from "../../lib/api";
import { clock, span } from "../../lib/time";

/** The morning thaw: which lines have woken, which not yet, in what order they usually do. */
export function Waking({ onChoose }: { onChoose: (main: string) => void }) {
  const { operation } = useHere();
  const { data } = useQuery({
    queryKey: ["waking", operation.slug],
    queryFn: () =>
      take(api.GET("/api/v1/operations/{operation}/woods/waking", { params: { path: { operation: operation.slug } } })),
    refetchInterval: 60_000,
  });
  if (!data) return null;
  const asleep = data.filter((line) => line.state === "asleep");
  const slept = data.filter((line) => line.state !== "never slept");
  const words: Record<string, string> = { asleep: "asleep", awake: "awake", "never slept": "never slept" };
  return (
    <div className="min-h-0 flex-1 overflow-auto">
      <p className="py-1 text-label">
        {slept.length === 0
          ? "No line slept last night."
          : asleep.length === 0
            ? `All ${slept.length} lines that slept are awake.`
            : `Still asleep: ${asleep.map((line) => line.main).join(", ")}. Nobody needs to walk there before the sun has come to it.`}
      </p>
      <table className="w-full border-collapse text-label">
        <caption className="sr-only">Lines by waking</caption>
        <thead className="sticky top-0 bg-paper text-left text-soft">
          <tr className="*:font-normal">
            <th className="py-1">line</th>
            <th>this morning</th>
            <th className="text-right">woke</th>
            <th className="text-right">usual place</th>
            <th className="text-right">behind the first</th>
          </tr>
        </thead>
        <tbody>
          {data.map((line) => (
            <tr key={line.main} className="border-t border-rule">
              <td className="py-px">
                <button
                  type="button"
                  className="pl-1.5 font-mono font-semibold hover:underline"
                  onClick={() => onChoose(line.main)}
                >
                  {line.main}
                </button>
              </td>
              <td className={line.state === "asleep" ? "font-semibold" : "text-soft"}>
                {words[line.state] ?? line.state}
              </td>
              <td className="text-right font-mono">{line.woke_at ? clock(line.woke_at, operation.zone) : ""}</td>
              <td className="text-right font-mono">
                {line.usual_order ? `${line.usual_order}.` : ""}
                {line.mornings > 0 && <span className="text-soft"> ({line.mornings} mornings)</span>}
              </td>
              <td className="text-right font-mono">
                {line.usual_after_min !== null ? span(line.usual_after_min) : ""}
              </td>
            </tr>
          ))}
        </tbody>
      </table>
    </div>
  );
}

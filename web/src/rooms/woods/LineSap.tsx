import { useQuery } from "@tanstack/react-query";
import { useHere, useSystem } from "../../app/session";
import { Choice } from "../../kit";
import { api, take } from "../../lib/api";
import { useKept } from "../../lib/keep";
import { number, unitOf } from "../../lib/units";

type Days = "1" | "7" | "30";

/** What each line gave a tap and day, and which lag without a leak. */
export function LineSap({ onChoose }: { onChoose: (main: string) => void }) {
  const { operation } = useHere();
  const system = useSystem();
  const [days, setDays] = useKept<Days>("sap days", "7");
  const { data } = useQuery({
    queryKey: ["line sap", operation.slug, days],
    queryFn: () =>
      take(
        api.GET("/api/v1/operations/{operation}/woods/sap", {
          params: { path: { operation: operation.slug }, query: { days: Number(days) } },
        }),
      ),
  });
  const lagging = (data ?? []).filter((line) => line.lags);
  const given = (m3: number | null) => (m3 === null ? "" : number(m3, "smallVolume", system, 2));
  return (
    <div className="min-h-0 flex-1 overflow-auto">
      <Choice
        label="over"
        value={days}
        onValue={setDays}
        inline
        options={[
          ["1", "a day"],
          ["7", "a week"],
          ["30", "a month"],
        ]}
      />
      {lagging.length > 0 && (
        <p className="text-label">
          {lagging.map((line) => line.main).join(", ")} lag{lagging.length === 1 ? "s" : ""} behind what the taps and
          the vacuum promise: old spouts, a plugged line, shade, red maple?
        </p>
      )}
      <table className="w-full border-collapse text-label">
        <caption className="sr-only">Sap a tap and day by line, laggards first</caption>
        <thead className="sticky top-0 bg-paper text-left text-soft">
          <tr className="*:font-normal">
            <th className="py-1">line</th>
            <th className="text-right">taps</th>
            <th className="text-right">{unitOf("smallVolume", system)} a tap and day</th>
            <th className="text-right">should give</th>
            <th className="text-right">{unitOf("vacuum", system)}</th>
            <th className="pl-3">how known</th>
          </tr>
        </thead>
        <tbody className="font-mono">
          {(data ?? []).map((line) => (
            <tr key={line.main} className="border-t border-rule">
              <td className="py-px">
                <button
                  type="button"
                  className="pl-1.5 font-semibold hover:underline"
                  onClick={() => onChoose(line.main)}
                >
                  {line.main}
                </button>
              </td>
              <td className="text-right">{line.taps}</td>
              <td className={`text-right ${line.lags ? "font-semibold text-act" : ""}`}>{given(line.tap_day_m3)}</td>
              <td className="text-right text-soft">{given(line.expected_tap_day_m3)}</td>
              <td className="text-right">{number(line.vacuum_pa, "vacuum", system)}</td>
              <td className="pl-3 font-sans text-soft">
                {line.metered ? (line.lags ? "own meter: lags" : "own meter") : "share of the releaser's"}
              </td>
            </tr>
          ))}
        </tbody>
      </table>
    </div>
  );
}

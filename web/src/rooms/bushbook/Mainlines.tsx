import { scaleLinear } from "d3-scale";
import { Link } from "react-router";
import { useHere, useSystem } from "../../app/session";
import { Scroll } from "../../kit";
import { number, quantity, unitOf } from "../../lib/units";
import { type Book, REMARK } from "./book";

const WIDTH = 420;

/** Every mainline to one scale: its length, the pipe's width, its laterals, its age; and what deserves a look. */
export function Mainlines({ book }: { book: Book }) {
  const { operation } = useHere();
  const system = useSystem();
  const longest = Math.max(...book.mains.map((main) => main.length_m), 1);
  const x = scaleLinear([0, longest], [0, WIDTH]);
  const year = new Date().getFullYear();
  const years = book.lines.map((line) => line.installed).filter((one) => one !== null);
  const of = (main: string) => book.lines.filter((line) => line.main === main && line.kind === "mainline");
  const remarks = book.remarks.filter((one) => one.name !== "flat");
  const byMain = (main: string) =>
    remarks.filter((one) => one.line === main || book.lines.find((line) => line.tag === one.line)?.main === main);
  const total = book.mains.reduce((sum, main) => sum + main.length_m, 0);
  const laterals = book.mains.reduce((sum, main) => sum + main.lateral_m, 0);
  return (
    <>
      <div className="pb-1">
        <h1 className="text-answer font-semibold leading-tight">
          {book.taps.toLocaleString("en-US")} taps{" "}
          <span className="text-figure font-normal text-soft">
            on {book.mains.length} mainlines, {quantity(total, "length", system)}, and{" "}
            {quantity(laterals, "length", system)} of laterals
          </span>
        </h1>
        <p className="text-label">
          {remarks.length === 0
            ? "No line runs uphill, none is too small, no lateral holds too many taps."
            : `${remarks.length} things deserve a look; they stand beside their lines.`}
          {book.schematic && " Drawn from a list: import a survey when there is one."}
        </p>
      </div>
      <Scroll label="The mainlines" className="min-h-0 flex-1">
        <table className="w-full border-collapse text-label">
          <caption className="sr-only">Mainlines</caption>
          <thead className="sticky top-0 bg-paper text-left text-soft">
            <tr className="*:font-normal">
              <th className="py-1">line</th>
              <th className="max-sm:hidden">to one scale: width of pipe, laterals as ticks</th>
              <th className="text-right">{unitOf("length", system)}</th>
              <th className="text-right">taps</th>
              <th className="text-right max-sm:hidden">grade</th>
              <th className="text-right">oldest</th>
              <th className="pl-4">gauges</th>
              <th className="pl-4 max-sm:hidden">a look at</th>
            </tr>
          </thead>
          <tbody>
            {book.mains.map((main) => (
              <tr key={main.main} className="border-t border-rule">
                <td className="py-0.5 font-mono font-semibold">
                  <Link className="hover:underline" to={`/${operation.slug}/woods/${main.main}`}>
                    {main.main}
                  </Link>
                </td>
                <td className="max-sm:hidden">
                  <Pipe pieces={of(main.main)} laterals={main.laterals} length={main.length_m} x={x} />
                </td>
                <td className="text-right font-mono">{number(main.length_m, "length", system)}</td>
                <td className="text-right font-mono">{main.taps}</td>
                <td className="text-right font-mono max-sm:hidden">{(100 * main.grade).toFixed(0)} %</td>
                <td className="text-right font-mono">
                  {main.oldest ?? ""}
                  {main.oldest !== null && year - main.oldest >= 10 && (
                    <span className="text-soft"> {year - main.oldest} y</span>
                  )}
                </td>
                <td className="pl-4 font-mono text-soft">{main.gauges.join(" ")}</td>
                <td className="pl-4 max-sm:hidden">{said(byMain(main.main))}</td>
              </tr>
            ))}
          </tbody>
        </table>
        {years.length === 0 && (
          <p className="mt-2 text-label text-soft">No pipe has a year yet: note them under Pipes to see what is due.</p>
        )}
      </Scroll>
    </>
  );
}

function said(remarks: Book["remarks"]): string {
  const counts = new Map<string, number>();
  for (const one of remarks) counts.set(one.name, (counts.get(one.name) ?? 0) + 1);
  return [...counts].map(([name, count]) => `${REMARK[name] ?? name}${count > 1 ? ` (${count})` : ""}`).join("; ");
}

function Pipe(props: { pieces: Book["lines"]; laterals: number; length: number; x: (m: number) => number }) {
  const { x } = props;
  let reached = 0;
  // pieces of one width are drawn as one
  const pieces: { from: number; to: number; wide: number }[] = [];
  for (const line of props.pieces) {
    const wide = Math.max(2, line.inner_diameter_m * 320);
    const last = pieces.at(-1);
    if (last?.wide === wide) last.to += line.length_m;
    else pieces.push({ from: reached, to: reached + line.length_m, wide });
    reached += line.length_m;
  }
  return (
    <svg
      viewBox={`0 0 ${WIDTH} 18`}
      className="block h-[18px] w-full"
      aria-hidden="true"
      preserveAspectRatio="xMinYMid meet"
    >
      {Array.from({ length: props.laterals }, (_, k) => {
        const at = x((props.length * (k + 0.5)) / props.laterals);
        // biome-ignore lint/suspicious/noArrayIndexKey: ticks have no name
        return <path key={k} d={`M${at} ${k % 2 ? 9 : 1}v8`} stroke="var(--rule)" strokeWidth="1" />;
      })}
      {pieces.map((piece) => (
        <line
          key={piece.from}
          x1={x(piece.from)}
          x2={x(piece.to)}
          y1="9"
          y2="9"
          stroke="var(--ink)"
          strokeWidth={piece.wide}
        />
      ))}
    </svg>
  );
}

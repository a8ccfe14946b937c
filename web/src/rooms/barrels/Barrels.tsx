import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { Link, useParams } from "react-router";
import { useHere, useMayWrite, useSystem } from "../../app/session";
import { gradeColour } from "../../drawing/scales";
import { Button, Caution, Empty } from "../../kit";
import { api, type Shapes, take } from "../../lib/api";
import { figure, money, quantity } from "../../lib/units";
import { Blend } from "./Blend";
import { FillForm } from "./FillForm";
import { LotForm } from "./LotForm";
import { PackTrace } from "./PackTrace";
import { Rack } from "./Rack";

export type Lot = Shapes["LotOut"];
export type Pack = Shapes["PackOut"];

/** What have I, of what grade, from when? */
export default function Barrels() {
  const { operation } = useHere();
  const { what, number } = useParams();
  const { data } = useQuery({
    queryKey: ["barrels", operation.slug],
    queryFn: () =>
      take(api.GET("/api/v1/operations/{operation}/barrels", { params: { path: { operation: operation.slug } } })),
  });
  if (!data) return null;
  if (what === "pack" && number) return <PackTrace number={Number(number)} />;
  return <Room rack={data} />;
}

function Room({ rack }: { rack: Shapes["RackOut"] }) {
  const { operation } = useHere();
  const system = useSystem();
  const mayWrite = useMayWrite();
  const [open, setOpen] = useState<"lot" | "fill" | "blend" | null>(null);
  const [picked, setPicked] = useState<number | null>(null);
  const loose = rack.lots.filter((lot) => lot.left_m3 > 1e-4);
  const lot = loose.find((one) => one.id === picked) ?? loose[0];
  const packed = rack.stock.reduce((sum, grade) => sum + grade.packed_m3, 0);
  const waiting = rack.stock.reduce((sum, grade) => sum + grade.loose_m3, 0);
  const next =
    rack.lots.length === 0
      ? "Make the first lot of a run's syrup"
      : loose.length > 0
        ? `Pack lot ${loose[0]?.code}: ${quantity(loose[0]?.left_m3 ?? 0, "volume", system)} wait`
        : "Everything is packed";
  return (
    <div className="grid min-h-0 flex-1 gap-x-8 overflow-auto px-4 pb-3 lg:grid-cols-[minmax(0,1fr)_25rem]">
      <section aria-label="Rack" className="flex min-w-0 flex-col gap-2">
        <h1 className="text-answer font-semibold leading-tight">
          {quantity(packed, "volume", system, 0)} packed
          <span className="text-figure font-normal text-soft">
            {waiting > 1e-4 && `, ${quantity(waiting, "volume", system, 0)} waiting`}
            {rack.sold > 0 && `, ${money(rack.sold, operation.currency, 0)} sold`}
          </span>
        </h1>
        <Stock rack={rack} />
        {rack.packs.length > 0 ? (
          <Rack packs={rack.packs} />
        ) : (
          <Empty title="The rack is empty">A lot of finished syrup, packed into barrels or bottles, fills it.</Empty>
        )}
      </section>
      <section aria-label="To pack" className="min-w-0 space-y-2 border-rule lg:border-l lg:pl-5">
        <h2 className="text-figure font-semibold">{next}</h2>
        {mayWrite && open === null && (
          <div className="flex flex-wrap gap-2">
            <Button kind={loose.length ? "main" : "plain"} disabled={!lot} onClick={() => setOpen("fill")}>
              Fill containers
            </Button>
            <Button kind={loose.length ? "plain" : "main"} onClick={() => setOpen("lot")}>
              New lot
            </Button>
            <Button disabled={loose.length < 2} onClick={() => setOpen("blend")}>
              Blend lots
            </Button>
          </div>
        )}
        {open === "lot" && <LotForm onDone={() => setOpen(null)} />}
        {open === "fill" && lot && <FillForm lot={lot} lots={loose} onLot={setPicked} onDone={() => setOpen(null)} />}
        {open === "blend" && <Blend lots={loose} onDone={() => setOpen(null)} />}
        <Lots lots={rack.lots} />
        <Caution>Hot syrup and hot glass: gloves, warm the glass first, tip filled bottles away from you.</Caution>
      </section>
    </div>
  );
}

/** The stock by grade: packed solid, waiting outlined. */
function Stock({ rack }: { rack: Shapes["RackOut"] }) {
  const system = useSystem();
  const most = Math.max(...rack.stock.map((one) => one.packed_m3 + one.loose_m3), 1e-6);
  const shown = rack.stock.filter((one) => one.grade !== "processing" || one.packed_m3 + one.loose_m3 > 0);
  return (
    <ul aria-label="Stock by grade" className="grid gap-1">
      {shown.map((one) => (
        <li key={one.grade} className="grid grid-cols-[6.5rem_minmax(0,1fr)_11rem] items-center gap-3">
          <span className="font-semibold">{one.grade}</span>
          <svg viewBox="0 0 300 16" preserveAspectRatio="none" className="h-4 w-full" aria-hidden="true">
            <rect width={(300 * one.packed_m3) / most} height="16" fill={gradeColour(one.grade)} />
            <rect
              x={(300 * one.packed_m3) / most}
              y="1"
              width={(300 * one.loose_m3) / most}
              height="14"
              fill="none"
              stroke={gradeColour(one.grade)}
              strokeWidth="2"
              strokeDasharray="4 3"
            />
          </svg>
          <span className="text-right font-mono text-label">
            {quantity(one.packed_m3, "volume", system, 0)}
            <span className="text-soft">
              {one.loose_m3 > 1e-4 ? ` and ${quantity(one.loose_m3, "volume", system, 0)}` : ""}
            </span>
          </span>
        </li>
      ))}
    </ul>
  );
}

function Lots({ lots }: { lots: Lot[] }) {
  const { operation } = useHere();
  const system = useSystem();
  if (lots.length === 0) return null;
  return (
    <table className="w-full text-right text-label">
      <caption className="text-left text-soft">Lots, the newest first</caption>
      <tbody>
        {lots.slice(0, 14).map((lot) => (
          <tr key={lot.id} className="border-t border-rule *:pl-2.5">
            <th className="!pl-0 py-0.5 text-left font-mono font-semibold">{lot.code}</th>
            <td className="text-left">
              {lot.grade}
              {lot.off_flavour && ` (${lot.off_flavour})`}
            </td>
            <td className="font-mono">{figure(lot.brix, 1)} °Bx</td>
            <td className="font-mono">{figure(lot.transmittance, 0)} %</td>
            <td className="font-mono">{quantity(lot.volume_m3, "volume", system, 0)}</td>
            <td className="text-soft">
              {lot.run === null ? "blend" : <Link to={`/${operation.slug}/ledger/${lot.run}`}>run {lot.run}</Link>}
            </td>
          </tr>
        ))}
      </tbody>
    </table>
  );
}

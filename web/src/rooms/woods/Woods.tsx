import { useQuery } from "@tanstack/react-query";
import { Link, useNavigate, useParams } from "react-router";
import { useHere, useSystem } from "../../app/session";
import { Caution, Choice, Empty } from "../../kit";
import { api, type Shapes, take } from "../../lib/api";
import { useKept } from "../../lib/keep";
import { clock } from "../../lib/time";
import { money, quantity } from "../../lib/units";
import { CAUSE, percent } from "../hunt/words";
import { Bushes } from "./Bushes";
import { History } from "./History";
import { LineSap } from "./LineSap";
import { Losses } from "./Losses";
import { Profile } from "./Profile";
import { Stations } from "./Stations";
import { Waking } from "./Waking";
import { WoodsMap } from "./WoodsMap";

/** What is losing sap now, and how much? */
export default function Woods() {
  const { operation } = useHere();
  const { main } = useParams();
  const [by, setBy] = useKept<"loss" | "waking" | "sap">("woods by", "loss");
  const navigate = useNavigate();
  const path = { params: { path: { operation: operation.slug } } };
  const now = useQuery({
    queryKey: ["woods", operation.slug],
    queryFn: () => take(api.GET("/api/v1/operations/{operation}/woods", path)),
    refetchInterval: 10_000,
  });
  const map = useQuery({
    queryKey: ["map", operation.slug],
    queryFn: () => take(api.GET("/api/v1/operations/{operation}/woods/map", path)),
    staleTime: Number.POSITIVE_INFINITY,
  });
  if (!now.data) return null;
  const { mains, walk_first: first } = now.data;
  if (mains.length === 0) {
    return (
      <Empty title="No lines surveyed yet">
        This room shows every mainline beside its usual vacuum. List your mainlines in the{" "}
        <Link className="underline" to={`/${operation.slug}/bushbook`}>
          Bush book
        </Link>{" "}
        and it fills: a pump, lengths, sizes, taps, a gauge at each end.
      </Empty>
    );
  }
  const chosen = main ?? first ?? mains[0]?.main;
  const choose = (name: string) => navigate(`/${operation.slug}/woods/${name}`, { replace: Boolean(main) });
  return (
    <div className="grid min-h-0 flex-1 gap-x-6 px-4 pb-2 lg:grid-rows-1 lg:grid-cols-[minmax(0,1.35fr)_minmax(26rem,1fr)]">
      <section aria-label="Map and profile" className="flex min-h-0 flex-col max-lg:order-2">
        {map.data && (
          <WoodsMap map={map.data} mains={mains} bushes={now.data.bushes} chosen={chosen} onChoose={choose} />
        )}
        {chosen && <Chosen main={chosen} sensor={mains.find((one) => one.main === chosen)?.sensor ?? null} />}
      </section>
      <section aria-label="Losses" className="flex min-h-0 flex-col">
        <Answer />
        <Choice
          label="Lines by"
          value={by}
          options={[
            ["loss", "what they lose"],
            ["waking", "waking"],
            ["sap", "sap a tap"],
          ]}
          onValue={setBy}
          inline
        />
        {by === "loss" && <Losses mains={mains} chosen={chosen} onChoose={choose} />}
        {by === "waking" && <Waking onChoose={choose} />}
        {by === "sap" && <LineSap onChoose={choose} />}
        <Bushes bushes={now.data.bushes} dials={mains.filter((one) => one.by_hand).map((one) => one.bush)} />
        <Stations />
        <div className="mt-auto pt-1.5">
          <Caution>Out alone: say where, and when you are due back.</Caution>
        </div>
      </section>
    </div>
  );
}

/** The chosen line: along its way, or its far gauge over time. */
function Chosen({ main, sensor }: { main: string; sensor: string | null }) {
  const [view, setView] = useKept("woods view", "way");
  return (
    <>
      <div className="mt-1 flex justify-end border-t border-rule">
        <Choice
          label={`${main}:`}
          value={view}
          options={[
            ["way", "along its way"],
            ["time", "over time"],
          ]}
          onValue={setView}
          inline
        />
      </div>
      {view === "time" && sensor ? <History sensor={sensor} main={main} /> : <Profile main={main} />}
    </>
  );
}

/** Lines that fell for another reason than a leak, so that nobody walks for them. */
function NoWalk({ mains }: { mains: Shapes["MainOut"][] }) {
  if (mains.length === 0) return null;
  return (
    <p className="text-label text-soft">
      No leak:{" "}
      {mains
        .map((main) => `${main.main} ${CAUSE[main.alarm?.cause ?? ""]} (${percent(main.alarm?.chance ?? 0)})`)
        .join(", ")}
      .
    </p>
  );
}

function Answer() {
  const { operation } = useHere();
  const system = useSystem();
  const { data } = useQuery({
    queryKey: ["woods", operation.slug],
    queryFn: () =>
      take(api.GET("/api/v1/operations/{operation}/woods", { params: { path: { operation: operation.slug } } })),
  });
  if (!data) return null;
  const worst = data.mains.find((main) => main.main === data.walk_first);
  const apart = data.mains.filter((main) => main.alarm && main.alarm.cause !== "leak");
  const silent = data.mains.filter((main) => main.state === "silent").length;
  if (silent > 0 && silent === data.mains.length) {
    return (
      <div className="pb-2">
        <h1 className="text-answer font-semibold leading-tight">The gauges are silent</h1>
        <p className="text-soft">
          No line has a fresh reading, so what they lose now is not known. Look at the gateway, or read the dials.
        </p>
      </div>
    );
  }
  if (!worst) {
    return (
      <div className="pb-2">
        <h1 className="text-answer font-semibold leading-tight">
          {data.money_lost_s > 0
            ? `${money(data.money_lost_s * 3600, operation.currency, 2)} an hour, but no leak`
            : "Nothing is losing sap"}
        </h1>
        {apart.length > 0 ? (
          <NoWalk mains={apart} />
        ) : (
          <p className="text-soft">
            {silent > 0 ? "Every line that is heard" : "Every line"} stands where its model expects it under today's sap
            and pump.{silent > 0 && ` ${silent} of ${data.mains.length} are silent.`}
          </p>
        )}
      </div>
    );
  }
  return (
    <div className="pb-2">
      <h1 className="text-answer font-semibold leading-tight">
        {money(data.money_lost_s * 3600, operation.currency, 2)} an hour{" "}
        <span className="text-figure font-normal text-soft">
          lost in {quantity(data.sap_lost_m3_s, "flow", system, 1)} of sap
        </span>
      </h1>
      <p>
        <Link
          to={`/${operation.slug}/hunt${worst.alarm?.case ? `/${worst.alarm.case}` : ""}`}
          className="font-semibold text-amber underline underline-offset-2"
        >
          Hunt {worst.main} first:
        </Link>{" "}
        {quantity(worst.shortfall_pa, "vacuum", system)} under its usual over {worst.taps} taps,{" "}
        {quantity(worst.sap_m3_s, "flow", system, 1)} of sap, {money(worst.money_s * 3600, operation.currency)} an hour
        {worst.alarm &&
          `, ${money(worst.alarm.money_lost, operation.currency)} since ${clock(worst.alarm.since, operation.zone)}`}
        .
      </p>
      <NoWalk mains={apart} />
    </div>
  );
}

import { useQuery } from "@tanstack/react-query";
import { useNavigate, useParams } from "react-router";
import { useHere, useSystem } from "../../app/session";
import { Caution, Empty } from "../../kit";
import { api, take } from "../../lib/api";
import { money, quantity } from "../../lib/units";
import { Losses } from "./Losses";
import { Profile } from "./Profile";
import { WoodsMap } from "./WoodsMap";

/** What is losing sap now, and how much? */
export default function Woods() {
  const { operation } = useHere();
  const { main } = useParams();
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
        This room shows every mainline beside its usual vacuum. It fills as soon as a survey of the lines is loaded.
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
        {chosen && <Profile main={chosen} />}
      </section>
      <section aria-label="Losses" className="flex min-h-0 flex-col">
        <Answer />
        <Losses mains={mains} bushes={now.data.bushes} chosen={chosen} onChoose={choose} />
        <div className="mt-auto pt-1.5">
          <Caution>Out alone: say where, and when you are due back.</Caution>
        </div>
      </section>
    </div>
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
  const worst = data.mains[0];
  if (!data.walk_first || !worst) {
    return (
      <div className="pb-2">
        <h1 className="text-answer font-semibold leading-tight">Nothing is losing sap</h1>
        <p className="text-soft">Every line stands where its model expects it under today's sap and pump.</p>
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
        <span className="font-semibold text-amber">Walk {worst.main} first:</span>{" "}
        {quantity(worst.shortfall_pa, "vacuum", system)} under its usual over {worst.taps} taps,{" "}
        {quantity(worst.sap_m3_s, "flow", system, 1)} of sap, {money(worst.money_s * 3600, operation.currency)} an hour.
      </p>
    </div>
  );
}

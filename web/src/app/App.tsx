import { lazy, Suspense } from "react";
import { Navigate, Route, Routes, useParams } from "react-router";
import { Empty } from "../kit";
import { SignIn } from "../rooms/signin/SignIn";
import Woods from "../rooms/woods/Woods";
import { Shell } from "./Shell";
import { HereProvider, useSession } from "./session";

const Round = lazy(() => import("../rooms/woods/Round"));
const BushBook = lazy(() => import("../rooms/bushbook/BushBook"));
const Drill = lazy(() => import("../rooms/drill/Drill"));
const Hunt = lazy(() => import("../rooms/hunt/Hunt"));
const Tonight = lazy(() => import("../rooms/tonight/Tonight"));
const Boil = lazy(() => import("../rooms/boil/Boil"));
const Barrels = lazy(() => import("../rooms/barrels/Barrels"));
const Season = lazy(() => import("../rooms/season/Season"));
const Lists = lazy(() => import("../rooms/lists/Lists"));
const Ledger = lazy(() => import("../rooms/ledger/Ledger"));
const Bench = lazy(() => import("../rooms/bench/Bench"));

export function App() {
  const { data: session, error } = useSession();
  if (error && !session) return <Empty title="No answer from the server">This page tries again by itself.</Empty>;
  if (!session) return null;
  if (!session.signed_in) return <SignIn demo={session.demo ?? false} />;
  const first = session.operations?.[0];
  if (!first) return <Empty title="No operation yet">Ask an owner to add you to one.</Empty>;
  return (
    <Routes>
      <Route path="/:slug/*" element={<Rooms />} />
      <Route path="*" element={<Navigate to={`/${first.slug}/woods`} replace />} />
    </Routes>
  );
}

function Rooms() {
  const { data: session } = useSession();
  const { slug } = useParams();
  const operation = session?.operations?.find((one) => one.slug === slug);
  if (!session) return null;
  if (!operation) return <Empty title="No such operation">You do not belong to one with this address.</Empty>;
  return (
    <HereProvider session={session} operation={operation}>
      <Shell>
        <Suspense fallback={null}>
          <Routes>
            <Route path="woods/:main?" element={<Woods />} />
            <Route path="hunt/:number?" element={<Hunt />} />
            <Route path="round/:bush" element={<Round />} />
            <Route path="bushbook/:bush?/:part?" element={<BushBook />} />
            <Route path="drill/:number?" element={<Drill />} />
            <Route path="tonight" element={<Tonight />} />
            <Route path="boil/:part?" element={<Boil />} />
            <Route path="barrels/:what?/:number?" element={<Barrels />} />
            <Route path="season" element={<Season />} />
            <Route path="lists/:list?" element={<Lists />} />
            <Route path="ledger/:number?" element={<Ledger />} />
            <Route path="bench/:sum?" element={<Bench />} />
            <Route path="*" element={<Navigate to={`/${operation.slug}/woods`} replace />} />
          </Routes>
        </Suspense>
      </Shell>
    </HereProvider>
  );
}

import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { Link, useNavigate, useParams } from "react-router";
import { useHere, useMayWrite } from "../../app/session";
import { Button, Empty, Pick } from "../../kit";
import { api, type Refusal, type Shapes, take } from "../../lib/api";
import { useKept } from "../../lib/keep";
import { day, span } from "../../lib/time";
import { Play } from "./Play";

/** Can the crew find it? A made-up trouble in the real network. */
export default function Drill() {
  const { number } = useParams();
  return number && /^\d+$/.test(number) ? <Play number={Number(number)} key={number} /> : <All />;
}

const KINDS: [string, string][] = [
  ["any", "anything: it may be no leak"],
  ["leak", "a leak"],
];

function All() {
  const { operation } = useHere();
  const mayWrite = useMayWrite();
  const navigate = useNavigate();
  const client = useQueryClient();
  const path = { operation: operation.slug };
  const drills = useQuery({
    queryKey: ["drills", operation.slug],
    queryFn: () => take(api.GET("/api/v1/operations/{operation}/drills", { params: { path } })),
  });
  const bushes = useQuery({
    queryKey: ["bushes", operation.slug],
    queryFn: () => take(api.GET("/api/v1/operations/{operation}/bushes", { params: { path } })),
  });
  const piped = (bushes.data ?? []).filter((bush) => bush.surveyed && !bush.hauled);
  const [kind, setKind] = useKept("drill kind", "any");
  const [chosen, setChosen] = useKept("drill bush", "");
  const bush = piped.some((one) => one.slug === chosen) ? chosen : (piped[0]?.slug ?? "");
  const begin = useMutation<Shapes["DrillOut"], Refusal>({
    mutationFn: () =>
      take(
        api.POST("/api/v1/operations/{operation}/drills", {
          params: { path },
          body: { bush, causes: kind === "leak" ? ["leak"] : ["leak", "frozen", "sensor"] },
        }),
      ),
    onSuccess: (drill) => {
      client.setQueryData(["drill", operation.slug, drill.number], drill);
      navigate(`/${operation.slug}/drill/${drill.number}`);
    },
  });
  if (!drills.data || !bushes.data) return null;
  if (piped.length === 0) {
    return (
      <Empty title="No lines to drill on">
        A drill plays in your own bush. List or import its lines in the Bush book first.
      </Empty>
    );
  }
  return (
    <div className="mx-auto w-full max-w-3xl flex-1 overflow-auto px-4 pb-4">
      <h1 className="text-answer font-semibold leading-tight">
        Find it{" "}
        <span className="text-figure font-normal text-soft">
          a made-up trouble in your own lines, at the speed of a click
        </span>
      </h1>
      <p className="mt-1">
        The gauges show what they would show. Shut valves, look over saddles, or say what it is: each costs the minutes
        it would cost on snow. Afterwards every step stands beside the best there was. Nothing here touches what is
        real.
      </p>
      {mayWrite && (
        <div className="mt-3 flex flex-wrap items-end gap-4">
          <Pick label="in" value={bush} onValue={setChosen} options={piped.map((one) => [one.slug, one.name])} />
          <Pick label="it is" value={kind} onValue={setKind} options={KINDS} />
          <Button kind="main" disabled={begin.isPending} onClick={() => begin.mutate()}>
            {begin.isPending ? "Making it up" : "Begin"}
          </Button>
        </div>
      )}
      {begin.error && (
        <p role="alert" className="font-semibold text-act">
          {begin.error.message}
        </p>
      )}
      <table className="mt-4 w-full border-collapse text-label">
        <caption className="text-left font-semibold">The crew's drills</caption>
        <tbody>
          {drills.data.map((one) => (
            <tr key={one.number} className="border-t border-rule">
              <td className="py-1 font-mono">
                <Link className="underline" to={`/${operation.slug}/drill/${one.number}`}>
                  {one.number}
                </Link>
              </td>
              <td>{one.who}</td>
              <td>{day(one.made_at, operation.zone)}</td>
              <td>{one.solved === null ? "not over" : `${one.cause} at ${one.at}${one.solved ? "" : ", given up"}`}</td>
              <td className="text-right font-mono">{span(one.minutes)}</td>
              <td className="text-right font-mono text-soft">
                {one.par_min !== null ? `best ${span(one.par_min)}` : ""}
              </td>
            </tr>
          ))}
        </tbody>
      </table>
      {drills.data.length === 0 && <p className="text-soft">None yet.</p>}
    </div>
  );
}

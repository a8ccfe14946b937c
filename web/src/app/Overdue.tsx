import { Link } from "react-router";
import { clock } from "../lib/time";
import { useHere } from "./session";
import { useWalks } from "./walks";

/** Somebody alone in the woods should be back by now: said in every room. */
export function Overdue() {
  const { operation } = useHere();
  const late = useWalks().data?.filter((walk) => walk.overdue) ?? [];
  if (late.length === 0) return null;
  return (
    <p role="alert" className="bg-act px-4 py-1 font-semibold text-paper">
      {late
        .map((walk) => `${walk.who} was due back at ${clock(walk.due_at, operation.zone)} from ${walk.place}`)
        .join("; ")}
      . Call, then go and look.{" "}
      <Link to={`/${operation.slug}/hunt`} className="underline">
        Who is out
      </Link>
    </p>
  );
}

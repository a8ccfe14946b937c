import { useWaiting } from "../lib/outbox";

/** How many things written here the server does not know yet. */
export function Unsent() {
  const waiting = useWaiting().length;
  if (waiting === 0) return null;
  return (
    <span>
      {waiting === 1 ? "One thing" : `${waiting} things`} written here {waiting === 1 ? "waits" : "wait"} to be sent.
    </span>
  );
}

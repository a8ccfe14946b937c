/** The server's clock as this device last saw it, so that what is written without coverage carries the right time. */

type Seen = { server: number; here: number; pace: number };
const KEY = "server time";

export function seeServerTime(now: string, pace: number, here: number) {
  const seen: Seen = { server: Date.parse(now), here, pace };
  try {
    localStorage.setItem(KEY, JSON.stringify(seen));
  } catch {
    // without a store the device's own clock serves
  }
}

/** Milliseconds of the server's clock now; the device's own when the server was never heard. */
export function serverNow(here = Date.now()): number {
  try {
    const seen = JSON.parse(localStorage.getItem(KEY) ?? "null") as Seen | null;
    return seen ? seen.server + (here - seen.here) * seen.pace : here;
  } catch {
    return here;
  }
}

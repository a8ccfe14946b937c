/** Wall-clock times in the operation's zone, and durations. */

export function clock(at: string | number | Date, zone: string): string {
  return new Intl.DateTimeFormat("en-GB", { hour: "2-digit", minute: "2-digit", timeZone: zone }).format(new Date(at));
}

export function day(at: string | number | Date, zone: string): string {
  return new Intl.DateTimeFormat("en-GB", { weekday: "short", day: "numeric", month: "short", timeZone: zone }).format(
    new Date(at),
  );
}

/** The day with its year, for what lies years back. */
export function date(at: string | number | Date, zone: string): string {
  return new Intl.DateTimeFormat("en-GB", { day: "numeric", month: "short", year: "numeric", timeZone: zone }).format(
    new Date(at),
  );
}

/** Minutes as "45 min" or "6 h 10". */
export function span(minutes: number): string {
  const whole = Math.max(0, Math.round(minutes));
  if (whole < 90) return `${whole} min`;
  return `${Math.floor(whole / 60)} h ${String(whole % 60).padStart(2, "0")}`;
}

/** Age of a reading: "now", "4 min", "3 h". */
export function age(seconds: number | null | undefined): string {
  if (seconds === null || seconds === undefined) return "never";
  if (seconds < 90) return "now";
  if (seconds < 5400) return `${Math.round(seconds / 60)} min`;
  if (seconds < 172_800) return `${Math.round(seconds / 3600)} h`;
  return `${Math.round(seconds / 86_400)} d`;
}

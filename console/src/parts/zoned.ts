/** Times as the clocks of a course show them, for fields in which one types them. */

const parts: Intl.DateTimeFormatOptions = {
  year: "numeric",
  month: "2-digit",
  day: "2-digit",
  hour: "2-digit",
  minute: "2-digit",
  hourCycle: "h23",
};

/** What the clocks of a zone show at a time, as 2026-12-20T18:00. */
export function wallOf(iso: string, zone: string) {
  const found = new Intl.DateTimeFormat("en-GB", { ...parts, timeZone: zone }).formatToParts(new Date(iso));
  const get = (type: string) => found.find((part) => part.type === type)?.value ?? "";
  return `${get("year")}-${get("month")}-${get("day")}T${get("hour")}:${get("minute")}`;
}

const day = 24 * 3600_000;

/**
 * When the clocks of a zone show a time, as 2026-12-20T18:00. It is null where they skip it; of two times that show the
 * same it is the first, or with end the second, so that nobody has less time than they read.
 */
export function instantOf(wall: string, zone: string, end: boolean): string | null {
  const asUtc = Date.parse(`${wall}Z`);
  if (Number.isNaN(asUtc)) return null;
  const found = [-day, day] // the clocks change at most once in between
    .map((off) => asUtc - (Date.parse(`${wallOf(new Date(asUtc + off).toISOString(), zone)}Z`) - (asUtc + off)))
    .map((at) => new Date(at).toISOString())
    .filter((iso) => wallOf(iso, zone) === wall)
    .sort();
  return found.length === 0 ? null : found[end ? found.length - 1 : 0].replace(".000Z", "Z");
}

/** By which clocks times are, in words. */
export function clocksOf(zone: string) {
  return zone === "UTC" ? "in UTC" : `by the clocks of ${zone}`;
}

/** A time as the clocks of a zone show it, for reading. */
export function inZone(iso: string, zone: string) {
  return new Date(iso).toLocaleString("en-GB", {
    weekday: "short",
    day: "numeric",
    month: "short",
    year: "numeric",
    hour: "2-digit",
    minute: "2-digit",
    timeZone: zone,
  });
}

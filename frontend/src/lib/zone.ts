// By which clock moments are told: the browser's, the server's, or UTC. Chosen once, for all screens.

export const ZONE_CHOICES = ["browser", "server", "utc"] as const;
export type ZoneChoice = (typeof ZONE_CHOICES)[number];

const KEPT = "faena-zone";
const CHANGES_MS = 900_000; // clocks change at full quarters of an hour
const MOST_KNOWN = 20_000;

const isChoice = (text: string | null): text is ZoneChoice => ZONE_CHOICES.some((one) => one === text);

const kept = (): ZoneChoice => {
  const text = typeof localStorage === "undefined" ? null : localStorage.getItem(KEPT);
  return isChoice(text) ? text : "browser";
};

let choice: ZoneChoice = kept();
let ofServer: string | undefined; // of the server that is looked at
const offsets = new Map<string, Map<number, number>>();

export const zoneChoice = (): ZoneChoice => choice;

/** Keeps the choice for this browser. Whoever shows times must be drawn anew. */
export function chooseZone(next: ZoneChoice): void {
  choice = next;
  localStorage.setItem(KEPT, next);
}

/** The zone of the server that is looked at from now on; undefined: of none, and the browser's stands for it. */
export function learnServerZone(name: string | undefined): void {
  ofServer = name;
}

/** The zone by whose clock times are told; undefined: the browser's own. */
export const shownZone = (): string | undefined =>
  choice === "utc" ? "UTC" : choice === "server" ? ofServer : undefined;

/** How far the clock that is shown is ahead of UTC at a moment, in ms. */
export function aheadMs(at: number): number {
  const name = shownZone();
  if (name === undefined) return -new Date(at).getTimezoneOffset() * 60_000;
  if (name === "UTC") return 0;
  const known = offsets.get(name) ?? new Map<number, number>();
  offsets.set(name, known);
  const quarter = Math.floor(at / CHANGES_MS);
  const found = known.get(quarter);
  if (found !== undefined) return found;
  if (known.size > MOST_KNOWN) known.clear();
  const ms = asked(name, quarter * CHANGES_MS);
  known.set(quarter, ms);
  return ms;
}

const formats = new Map<string, Intl.DateTimeFormat>();

function asked(name: string, at: number): number {
  const format =
    formats.get(name) ??
    new Intl.DateTimeFormat("en-u-hc-h23", {
      timeZone: name,
      year: "numeric",
      month: "numeric",
      day: "numeric",
      hour: "numeric",
      minute: "numeric",
      second: "numeric",
    });
  formats.set(name, format);
  const told = Object.fromEntries(format.formatToParts(at).map((part) => [part.type, Number(part.value)]));
  const { year = 1970, month = 1, day = 1, hour = 0, minute = 0, second = 0 } = told;
  return Date.UTC(year, month - 1, day, hour, minute, second) - Math.floor(at / 1000) * 1000;
}

/** What the clock on the wall says at a moment, as a date whose UTC fields are those of the wall. */
export const wall = (at: number): Date => new Date(at + aheadMs(at));

/** The moment at which the wall says so, given as if it were UTC. Of a time that is left out, the one an hour later. */
export function fromWall(utc: number): number {
  const first = utc - aheadMs(utc);
  return utc - aheadMs(first);
}

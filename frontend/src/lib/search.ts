// What stands behind ? in an address: readers for single parameters, and a screen's own parameters put together of them.

/** Reads one parameter; undefined where it is not there or means nothing. */
export type Reader<T> = (raw: unknown) => T | undefined;
export type Readers = Readonly<Record<string, Reader<unknown>>>;

/** The parameters that these readers read, all of them optional. */
export type SearchOf<R extends Readers> = { [K in keyof R]?: Exclude<ReturnType<R[K]>, undefined> };

export const word: Reader<string> = (raw) => {
  const text = typeof raw === "number" ? String(raw) : raw;
  return typeof text === "string" && text !== "" ? text : undefined;
};

export const words: Reader<string[]> = (raw) => {
  const all = (Array.isArray(raw) ? raw : [raw]).filter((one): one is string => typeof one === "string" && one !== "");
  return all.length ? all : undefined;
};

/** A whole number above 0. */
export const whole: Reader<number> = (raw) => {
  const found = typeof raw === "string" ? Number(raw) : typeof raw === "number" ? raw : NaN;
  return Number.isFinite(found) && Math.round(found) > 0 ? Math.round(found) : undefined;
};

/** Of all parameters those that the readers know, as far as they mean something. */
export function readWith<R extends Readers>(readers: R, raw: Readonly<Record<string, unknown>>): SearchOf<R> {
  const found: Record<string, unknown> = {};
  for (const [name, read] of Object.entries(readers)) {
    const value = read(raw[name]);
    if (value !== undefined) found[name] = value;
  }
  return found as SearchOf<R>;
}

/** "?pick=a&pick=b&last=900" as one record; repeated names become lists. */
export function parseQuery(query: string): Record<string, unknown> {
  const params = new URLSearchParams(query.startsWith("?") ? query.slice(1) : query);
  const found: Record<string, unknown> = {};
  for (const key of new Set(params.keys())) {
    const all = params.getAll(key);
    found[key] = all.length > 1 ? all : all[0];
  }
  return found;
}

/** Inverse of parseQuery; empty values are left out. */
export function writeQuery(search: Readonly<Record<string, unknown>>): string {
  const params = new URLSearchParams();
  for (const [key, value] of Object.entries(search)) {
    for (const one of Array.isArray(value) ? (value as unknown[]) : [value]) {
      if (typeof one === "string" || typeof one === "number") params.append(key, String(one));
    }
  }
  const text = params.toString();
  return text ? `?${text}` : "";
}

import fc from "fast-check";
import { describe, expect, it } from "vitest";

import { parseQuery, readWith, whole, word, words, writeQuery } from "./search";
import {
  type Base,
  MAX_WINDOW_MS,
  MIN_WINDOW_MS,
  around,
  bounds,
  follows,
  heldAddress,
  mergeSearch,
  keptBase,
  readBase,
  scaled,
  stepped,
  windowOf,
} from "./view";

const NOW = 1_700_000_000_000;

describe("what the URL holds", () => {
  it("reads back what it writes", () => {
    const base = { last: 300, pick: ["program:a b", "!wait:Lock:tuple"] };
    const raw = parseQuery(writeQuery({ ...base, sort: "calls", event: "7", odd: "x" }));
    expect(readBase(raw)).toEqual(base);
    expect(readWith({ sort: word, event: word, where: words, n: whole }, raw)).toEqual({ sort: "calls", event: "7" });
  });

  it("survives any query and never yields a window that is none", () => {
    fc.assert(
      fc.property(
        fc.dictionary(
          fc.constantFrom("from", "to", "last", "pick", "rail", "sort"),
          fc.oneof(fc.string(), fc.array(fc.string()), fc.double()),
        ),
        (raw) => {
          const { from, to } = bounds(windowOf(readBase(raw)), NOW);
          expect(to).toBeGreaterThan(from);
        },
      ),
    );
  });

  it("replaces a window whole and keeps the rest", () => {
    const old: Base = { last: 900, pick: ["program:a"] };
    expect(readBase({ ...mergeSearch(old, { from: 1000, to: 2000 }) })).toEqual({
      from: 1000,
      to: 2000,
      pick: ["program:a"],
    });
    expect(readBase({ ...mergeSearch<Base>({ from: 1, to: 2, rail: 60 }, { last: 60 }) })).toEqual({
      last: 60,
      rail: 60,
    });
    expect(readBase({ ...mergeSearch(old, { pick: [] }) })).toEqual({ last: 900 });
  });

  it("keeps window, rail and trail on the way elsewhere, but where that says otherwise", () => {
    const here = { from: 1000, to: 2000, pick: ["program:a"], sort: "calls" };
    expect(keptBase(here, { kinds: ["deadlock"] })).toEqual({
      from: 1000,
      to: 2000,
      pick: ["program:a"],
      kinds: ["deadlock"],
    });
    expect(keptBase(here, { last: 60 })).toEqual({ last: 60, pick: ["program:a"] });
    expect(keptBase(here, { pick: [] })).toEqual({ from: 1000, to: 2000, pick: [] });
  });
});

describe("the address of what is shown", () => {
  it("holds the moment while the window follows now, and stays where it holds one", () => {
    const held = heldAddress("http://x/servers/3/load?last=600&pick=program%3Aa", NOW);
    expect(held).toBe(`http://x/servers/3/load?pick=program%3Aa&from=${NOW - 600_000}&to=${NOW}`);
    expect(heldAddress(held, NOW + 60_000)).toBe(held);
    expect(heldAddress("http://x/servers/3/load", NOW)).toBe(`http://x/servers/3/load?from=${NOW - 900_000}&to=${NOW}`);
  });
});

describe("moving the window", () => {
  it("steps back by half its length, and forward to now follows it", () => {
    const back = stepped({ last: 600 }, -1, NOW);
    expect(back).toEqual({ from: NOW - 900_000, to: NOW - 300_000 });
    expect(stepped(back, 1, NOW)).toEqual({ last: 600 });
  });

  it("stays within what can be shown, and following stays following", () => {
    fc.assert(
      fc.property(fc.integer({ min: 10, max: 7_776_000 }), fc.constantFrom(0.5, 2), (last, factor) => {
        const wide = scaled({ last }, factor, NOW);
        expect(follows(wide)).toBe(true);
        const fixed = scaled({ from: NOW - last * 1000, to: NOW }, factor, NOW);
        const { from, to } = bounds(fixed, NOW);
        expect(to - from).toBeGreaterThanOrEqual(MIN_WINDOW_MS);
        expect(to - from).toBeLessThanOrEqual(MAX_WINDOW_MS);
        expect(to).toBeLessThanOrEqual(NOW);
      }),
    );
  });

  it("goes to what lies outside of it, keeping its length, and stays where it holds that already", () => {
    const window = { from: NOW - 600_000, to: NOW };
    expect(around(window, NOW - 5000, NOW - 5000, NOW)).toBe(window);
    expect(around({ last: 600 }, NOW - 5000, NOW - 5000, NOW)).toEqual({ last: 600 });
    const there = around(window, NOW - 3_600_000, NOW - 3_600_000, NOW);
    expect(there).toEqual({ from: NOW - 3_900_000, to: NOW - 3_300_000 });
    const long = bounds(around(window, NOW - 7_200_000, NOW - 3_600_000, NOW), NOW);
    expect(long.from).toBeLessThanOrEqual(NOW - 7_200_000);
    expect(long.to).toBeGreaterThanOrEqual(NOW - 3_600_000);
  });

  it("never reaches into the future", () => {
    expect(around({ from: NOW - 7_200_000, to: NOW - 3_600_000 }, NOW - 60_000, NOW - 60_000, NOW)).toEqual({
      from: NOW - 3_600_000,
      to: NOW,
    });
  });
});

import fc from "fast-check";
import { describe, expect, it } from "vitest";

import type { Schemas } from "../../api/client";
import { bars, columnWidth, confidenceWords, crossing, nothingSentence, patternsSentence, sinceWords } from "./model";

const party = (pid: number, waits_for: number, words: string): Schemas["PartyOut"] => ({
  pid,
  waits_for,
  wants: { mode: "ShareLock", lock_type: "transactionid", words, said: words, table: "" },
  statement: "",
  query_id: null,
  context: "",
  program: "",
  user: "",
  database: "",
  client: "",
});

const pattern = (more: Partial<Schemas["PatternOut"]> = {}): Schemas["PatternOut"] => ({
  pattern: "a",
  state: "seen",
  cause: "opposite_order",
  count: 3,
  total: 9,
  first: 1,
  last: 2,
  waited_ms: 10,
  lost_ms: 4000,
  series: [],
  programs: ["web", "fares"],
  tables: ["fare", "sailing"],
  statements: [],
  handled_at: null,
  handled_by: "",
  change: "",
  since_change: null,
  comments: 0,
  ...more,
});

describe("columnWidth", () => {
  it("lets all parties stand in the room there is, as long as words fit", () => {
    expect(columnWidth(510, 2)).toBe(240);
    expect(3 * columnWidth(510, 3)).toBeLessThanOrEqual(510);
    expect(columnWidth(510, 8)).toBe(150);
  });
});

describe("crossing", () => {
  it("crosses: the first holds what the last wants", () => {
    const { things, marks } = crossing([party(11, 12, "a row of sailing"), party(12, 11, "a row of fare")]);
    expect(things.map((thing) => thing.words)).toEqual(["a row of fare", "a row of sailing"]);
    expect(marks).toEqual([
      { party: 0, thing: 0, held: true, number: 1 },
      { party: 1, thing: 1, held: true, number: 2 },
      { party: 1, thing: 0, held: false, number: 3 },
      { party: 0, thing: 1, held: false, number: 4 },
    ]);
  });

  it("gives each party one thing it holds and another it wants, for a circle of any size", () => {
    fc.assert(
      fc.property(fc.integer({ min: 2, max: 9 }), (n) => {
        const { things, marks } = crossing(Array.from({ length: n }, (_, i) => party(i, (i + 1) % n, `t${i}`)));
        expect(things).toHaveLength(n);
        expect(new Set(marks.map((mark) => mark.number)).size).toBe(2 * n);
        for (let i = 0; i < n; i++) {
          const mine = marks.filter((mark) => mark.party === i);
          expect(mine.map((mark) => mark.held).toSorted()).toEqual([false, true]);
          const wanted = mine.find((mark) => !mark.held);
          const holder = marks.find((mark) => mark.held && mark.thing === wanted?.thing);
          expect(holder?.party).toBe((i + 1) % n);
          expect(things[wanted?.thing ?? -1]?.words).toBe(`t${i}`);
        }
      }),
    );
  });
});

describe("words", () => {
  it("sum up a window", () => {
    const found = {
      start: 0,
      end: 1,
      starts: [],
      bucket_ms: 1,
      patterns: [pattern(), pattern({ count: 1, lost_ms: 0 })],
      log: { read_at: 1, refused: "" },
    };
    expect(patternsSentence(found)).toBe(
      "4 deadlocks of 2 patterns, 4 s of work rolled back; most often web and fares, over fare and sailing, locked in opposite order.",
    );
    expect(patternsSentence({ ...found, patterns: [pattern({ count: 0 })] })).toBe("No deadlock in this window.");
  });

  it("say how far what is known of a cause carries", () => {
    expect(["certain", "likely", "perhaps"].map(confidenceWords)).toEqual([
      "Cause, from the log",
      "Most likely cause",
      "Possible cause (the log does not say)",
    ]);
  });

  it("do not call nothing what nobody looked for", () => {
    const end = Date.UTC(2026, 10, 28, 12);
    const words = (read_at: number | null, refused = "") => nothingSentence("No deadlock", { read_at, refused }, end);
    expect(words(end - 5_000)).toBe("No deadlock in this window.");
    expect(words(null)).toBe("Not known, since the log of this server was never read.");
    expect(words(end - 5_000, "no right to read it")).toBe("Not known, since the log is not read: no right to read it");
    expect(words(end - 3_600_000)).toMatch(/^No deadlock in this window up to .+, when the log was last read\.$/);
  });

  it("count from a change on", () => {
    const when = (at: number): string => `day ${at}`;
    expect(sinceWords(pattern(), when)).toBe("");
    expect(sinceWords(pattern({ handled_at: 5, since_change: 0, change: "an index" }), when)).toBe(
      "none since day 5 (an index)",
    );
    expect(sinceWords(pattern({ handled_at: 5, since_change: 2, change: "an index" }), when)).toBe(
      "2 since day 5 (an index)",
    );
  });
});

describe("bars", () => {
  it("are shares of the largest", () => {
    expect(bars([0, 2, 4])).toEqual([0, 0.5, 1]);
    expect(bars([0, 0])).toEqual([0, 0]);
  });
});

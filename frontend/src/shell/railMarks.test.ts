import fc from "fast-check";
import { describe, expect, it } from "vitest";

import { type LeadingMark, eventMarks, fitting, noteMarks } from "./railMarks";

describe("eventMarks", () => {
  it("tell those once that lie close together, each kind by itself", () => {
    const events = [
      { at: 1000, kind: "deadlock", detail: "logged", query_id: null, change: null, alert: null },
      { at: 1500, kind: "crash", detail: "logged", query_id: null, change: null, alert: null },
      { at: 1800, kind: "deadlock", detail: "logged", query_id: null, change: null, alert: null },
      { at: 9000, kind: "deadlock", detail: "logged", query_id: null, change: null, alert: null },
    ];
    expect(eventMarks(events, 1000).map((mark) => [mark.at, mark.label])).toEqual([
      [1000, "2 deadlocks"],
      [1500, "crash"],
      [9000, "deadlock"],
    ]);
  });
});

it("tell of several switches of plan which statements they are of", () => {
  const events = [
    { at: 1, kind: "plan_switch", detail: "one", query_id: "7", change: null, alert: null },
    { at: 2, kind: "plan_switch", detail: "other", query_id: "8", change: null, alert: null },
  ];
  expect(eventMarks(events, 10)).toEqual([
    { at: 1, until: 2, label: "2 switches of plan", detail: "one; other", lead: { to: "statements" } },
  ]);
});

it.each([
  ["deadlock", null, { to: "deadlocks" }],
  ["out_of_space", null, { to: "events", kind: "out_of_space" }],
  ["plan_switch", "7", { to: "statement", queryId: "7" }],
])("lead from a %s to what it is about", (kind, queryId, lead) => {
  const twice = [1, 2].map((at) => ({ at, kind, detail: "", query_id: queryId, change: null, alert: null }));
  expect(eventMarks(twice, 10).map((mark) => mark.lead)).toEqual([lead]);
});

it("lead from an alert to its page", () => {
  const fired = { at: 1, kind: "alert", detail: "Sessions blocked", query_id: null, change: null, alert: 4 };
  expect(eventMarks([fired], 10)).toEqual([
    { at: 1, until: 1, label: "alert", detail: "Sessions blocked", lead: { to: "alert", id: 4 } },
  ]);
});

describe("noteMarks", () => {
  it.each(["away", "clock_step", "paused", "resumed", "store_back", "log_broken", "log_refused", "close_watch"])(
    "have words for %s",
    (event) => {
      expect(noteMarks([{ at: 1, event, detail: "" }])[0]?.label).not.toContain("_");
      expect(noteMarks([{ at: 1, event, detail: "" }])[0]?.label).not.toBe(event);
    },
  );

  it("leave out that all is well", () => {
    const notes = [
      { at: 1, event: "connected", detail: "" },
      { at: 2, event: "away", detail: "refused" },
    ];
    expect(noteMarks(notes)).toEqual([
      { at: 2, until: 2, label: "server away", detail: "refused", lead: { to: "time" } },
    ]);
  });
});

describe("marks that do not fit", () => {
  const mark = (at: number, label: string, lead: LeadingMark["lead"] = { to: "deadlocks" }): LeadingMark => ({
    ...{ at, until: at, label, detail: "logged", lead },
  });

  it("become one where they are nearest, which leads to what both are about, or to their time", () => {
    const all = [mark(900, "c"), mark(0, "a"), mark(100, "b"), mark(950, "away", { to: "time" })];
    expect(fitting(all, 4).map((one) => one.label)).toEqual(["a", "b", "c", "away"]);
    expect(fitting(all, 2)).toEqual([
      { at: 0, until: 100, label: "a, b", detail: "logged", lead: { to: "deadlocks" } },
      { at: 900, until: 950, label: "c, away", detail: "logged", lead: { to: "time" } },
    ]);
  });

  it("are never too many, and none of them is lost", () => {
    fc.assert(
      fc.property(fc.array(fc.nat(5000), { maxLength: 60 }), fc.integer({ min: 1, max: 30 }), (times, most) => {
        const found = fitting(
          times.map((at, i) => mark(at, `n${i}`)),
          most,
        );
        expect(found.length).toBe(Math.min(times.length, most));
        expect(
          found
            .flatMap((one) => one.label.split(", "))
            .toSorted()
            .join(),
        ).toBe(
          times
            .map((_, i) => `n${i}`)
            .toSorted()
            .join(),
        );
        for (const [i, one] of found.entries()) expect(one.at).toBeGreaterThanOrEqual(found[i - 1]?.at ?? 0);
      }),
    );
  });
});

import { describe, expect, it } from "vitest";

import { type Lead, type LeadingMark, eventMarks, noteMarks, together } from "./railMarks";

describe("eventMarks", () => {
  it("tell those once that lie close together, each kind by itself", () => {
    const events = [
      { at: 1000, kind: "deadlock", detail: "logged", query_id: null },
      { at: 1500, kind: "crash", detail: "logged", query_id: null },
      { at: 1800, kind: "deadlock", detail: "logged", query_id: null },
      { at: 9000, kind: "deadlock", detail: "logged", query_id: null },
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
    { at: 1, kind: "plan_switch", detail: "one", query_id: "7" },
    { at: 2, kind: "plan_switch", detail: "other", query_id: "8" },
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
  const twice = [1, 2].map((at) => ({ at, kind, detail: "", query_id: queryId }));
  expect(eventMarks(twice, 10).map((mark) => mark.lead)).toEqual([lead]);
});

describe("noteMarks", () => {
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

it("joins marks that would cover each other, and leads where their only event leads", () => {
  const mark = (at: number, label: string, lead: Lead): LeadingMark => ({ at, until: at, label, detail: "log", lead });
  const away = mark(100, "server away", { to: "time" });
  const deadlocks = mark(105, "deadlocks", { to: "deadlocks" });
  const crash = mark(109, "crash", { to: "events", kind: "crash" });
  expect(together([deadlocks, away, mark(500, "connected", { to: "time" })], 10)).toEqual([
    { at: 100, until: 105, label: "server away, deadlocks", detail: "log", lead: { to: "deadlocks" } },
    mark(500, "connected", { to: "time" }),
  ]);
  expect(together([away, deadlocks, crash], 10)).toHaveLength(1);
  expect(together([deadlocks, crash], 10)[0]?.lead).toEqual({ to: "time" });
});

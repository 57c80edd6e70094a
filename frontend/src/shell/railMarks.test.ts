import { describe, expect, it } from "vitest";

import { eventMarks, noteMarks } from "./railMarks";

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

import { describe, expect, it } from "vitest";

import { eventMarks, noteMarks } from "./railMarks";

describe("eventMarks", () => {
  it("tell those once that lie close together, each kind by itself", () => {
    const events = [
      { at: 1000, kind: "deadlock", detail: "logged" },
      { at: 1500, kind: "crash", detail: "logged" },
      { at: 1800, kind: "deadlock", detail: "logged" },
      { at: 9000, kind: "deadlock", detail: "logged" },
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
    { at: 1, kind: "plan_switch", detail: "one" },
    { at: 2, kind: "plan_switch", detail: "other" },
  ];
  expect(eventMarks(events, 10)).toEqual([{ at: 1, label: "2 switches of plan", detail: "one; other" }]);
});

describe("noteMarks", () => {
  it("leave out that all is well", () => {
    const notes = [
      { at: 1, event: "connected", detail: "" },
      { at: 2, event: "away", detail: "refused" },
    ];
    expect(noteMarks(notes)).toEqual([{ at: 2, label: "server away", detail: "refused" }]);
  });
});

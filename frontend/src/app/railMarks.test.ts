import { describe, expect, it } from "vitest";

import { eventMarks, noteMarks } from "./railMarks";

describe("eventMarks", () => {
  it("tell those once that lie close together, each kind by itself", () => {
    const events = [
      { at: 1000, kind: "deadlock" },
      { at: 1500, kind: "crash" },
      { at: 1800, kind: "deadlock" },
      { at: 9000, kind: "deadlock" },
    ];
    expect(eventMarks(events, 1000).map((mark) => [mark.at, mark.label])).toEqual([
      [1000, "2 deadlocks"],
      [1500, "crash"],
      [9000, "deadlock"],
    ]);
  });
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

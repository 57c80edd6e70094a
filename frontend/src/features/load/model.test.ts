import fc from "fast-check";
import { describe, expect, it } from "vitest";

import type { Schemas } from "../../api/client";
import { barParts, dimmedKinds, legend, waitToExplain } from "./model";

describe("the bar of a sieve row", () => {
  it("never leaves its box, running to the left of the axis and waiting to the right", () => {
    const sessions = fc.double({ min: 0, max: 20, noNaN: true });
    fc.assert(
      fc.property(sessions, sessions, sessions, (running, lock, commit) => {
        const most = Math.max(running + lock + commit, 0.01);
        for (const part of barParts({ running, lock, commit }, most)) {
          expect(part.from).toBeGreaterThanOrEqual(-1e-9);
          expect(part.from + part.width).toBeLessThanOrEqual(100 + 1e-9);
          if (part.kind === "running") expect(part.from + part.width).toBeCloseTo(30);
          else expect(part.from).toBeGreaterThanOrEqual(30);
        }
      }),
    );
  });
});

const load = {
  starts: [],
  groups: [{ key: "lock", label: "", sessions: [], total: 3, share: 0.75 }],
} as unknown as Schemas["LoadOut"];

describe("beside the charts", () => {
  it("running is always in the legend, other kinds only with load", () => {
    expect(legend(load).map((row) => [row.key, row.sessions])).toEqual([
      ["running", 0],
      ["lock", 3],
    ]);
  });

  it("fades what the trail leaves out", () => {
    expect(dimmedKinds([])).toEqual([]);
    expect(dimmedKinds(["!kind:lock"])).toEqual(["lock"]);
    expect(dimmedKinds(["kind:lock"])).not.toContain("lock");
    expect(dimmedKinds(["kind:lock"])).toHaveLength(7);
  });

  it("explains what was asked for, else what was picked, else the largest", () => {
    const column = { rows: [{ value: "IO:DataFileRead" }] } as unknown as Schemas["ColumnOut"];
    expect(waitToExplain("running", ["wait:Lock:tuple"], column)).toBe("running");
    expect(waitToExplain(undefined, ["wait:Lock:tuple"], column)).toBe("Lock:tuple");
    expect(waitToExplain(undefined, ["!wait:Lock:tuple"], column)).toBe("IO:DataFileRead");
    expect(waitToExplain(undefined, [], undefined)).toBeNull();
  });
});

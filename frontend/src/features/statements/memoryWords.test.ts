import { describe, expect, it } from "vitest";

import { memorySentence } from "./memoryWords";

const none = { captured: 0, spilled: 0, mean_bytes: null, most_bytes: null, plan: null, steps: [], settings: {} };

describe("memorySentence", () => {
  it("says how often memory was too small, by how much, and what bounds it", () => {
    const memory = {
      ...none,
      captured: 40,
      spilled: 31,
      mean_bytes: 50 * 1024 ** 2,
      most_bytes: 120 * 1024 ** 2,
      settings: { work_mem: "4096" },
    };
    const said = memorySentence(memory, 2 * 1024 ** 3);
    expect(said).toContain("31 of 40 executions");
    expect(said).toContain("120 MiB at most");
    expect(said).toContain("2.00 GiB in this window");
    expect(said).toContain("work_mem, 4.00 MiB");
  });

  it("tells apart that nothing is known and that nothing was spilled", () => {
    expect(memorySentence(none, 0)).toBe(
      "No single execution is known in this window; nothing was spilled in this window.",
    );
    expect(memorySentence({ ...none, captured: 3 }, 0)).toContain("0 of 3 executions that were captured");
  });
});

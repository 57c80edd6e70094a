import { describe, expect, it } from "vitest";

import { keyOf, readKey } from "./sessions";

describe("keys", () => {
  it("come back as they went", () => {
    expect(readKey(keyOf({ pid: 12, started_s: 99 }))).toEqual({ pid: 12, started: 99 });
    expect(readKey("nonsense")).toBeNull();
  });
});

import { describe, expect, it } from "vitest";

import { coresToTry } from "./model";

describe("the machine", () => {
  it("offers other numbers of cores, none twice", () => {
    expect(coresToTry(8)).toEqual([4, 8, 12, 16]);
    expect(coresToTry(1)).toEqual([1, 2]);
  });
});

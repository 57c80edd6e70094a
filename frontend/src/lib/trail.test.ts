import fc from "fast-check";
import { describe, expect, it } from "vitest";

import { picked, readPick, writePick } from "./trail";

describe("the trail", () => {
  it("reads back any pick as written", () => {
    fc.assert(
      fc.property(fc.constantFrom("wait", "program"), fc.string(), fc.boolean(), (dimension, value, exclude) => {
        expect(readPick(writePick({ dimension, value, exclude }))).toEqual({ dimension, value, exclude });
      }),
    );
  });

  it("replaces, adds, excludes and takes back", () => {
    const one = picked([], "program", "a", "only");
    expect(one).toEqual(["program:a"]);
    expect(picked(one, "program", "b", "only")).toEqual(["program:b"]);
    expect(picked(one, "program", "b", "add")).toEqual(["program:a", "program:b"]);
    expect(picked(one, "program", "a", "exclude")).toEqual(["!program:a"]);
    expect(picked(one, "program", "a", "only")).toEqual([]);
    expect(picked(["user:x", "!program:c"], "program", "b", "only")).toEqual(["user:x", "!program:c", "program:b"]);
  });
});

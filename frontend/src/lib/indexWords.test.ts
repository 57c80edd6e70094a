import { describe, expect, it } from "vitest";

import { keepingWords } from "./indexWords";

describe("what an index costs to keep", () => {
  it("tells changes in place apart, which write to it only where they touch its columns", () => {
    const one = { size_bytes: 4_000_000, writes: 1000, writes_at_most: 1000 };
    expect(keepingWords(one)).toMatch(/^About .+; 1\D?000 changes of rows would have written to it so far\.$/);
    expect(keepingWords({ ...one, writes: null, writes_at_most: null })).toMatch(/is not known\.$/);
    expect(keepingWords({ ...one, writes_at_most: 2000 })).toMatch(
      /, and up to 2\D?000 where changes made in place touch/,
    );
  });
});

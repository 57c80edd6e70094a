import { describe, expect, it } from "vitest";

import { toCsv } from "./saving";

describe("a table as CSV", () => {
  it("quotes what would break a line, and leaves gaps empty", () => {
    const table = {
      columns: ["from", 'say "hi"'],
      rows: [
        ["a,b", 1],
        ["line\nend", null],
      ],
    };
    expect(toCsv(table)).toBe('from,"say ""hi"""\n"a,b",1\n"line\nend",\n');
  });
});

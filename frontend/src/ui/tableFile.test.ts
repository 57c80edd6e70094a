import { describe, expect, it } from "vitest";

import { toCsv, toJsonl } from "./tableFile";

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

describe("a table as JSON Lines", () => {
  it("is an object a line with the columns as names, and null for gaps", () => {
    const table = {
      columns: ["from", "rows"],
      rows: [
        ['a "b"\n', 1],
        ["c", null],
      ],
    };
    expect(toJsonl(table)).toBe('{"from":"a \\"b\\"\\n","rows":1}\n{"from":"c","rows":null}\n');
    expect(toJsonl({ columns: ["x"], rows: [] })).toBe("");
  });
});

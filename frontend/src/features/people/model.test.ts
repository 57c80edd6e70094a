import { expect, test } from "vitest";

import { actWords, exportPath } from "./model";

test("an act is told in words, also one that is not known here", () => {
  expect(actWords("plan.measured")).toBe("ran a statement to measure it");
  expect(actWords("thing.done_twice")).toBe("thing done twice");
});

test("the record comes out as it is narrowed", () => {
  expect(exportPath("ada", "server.", "csv")).toBe("/api/v1/audit/export?by=ada&act=server.&format=csv");
});

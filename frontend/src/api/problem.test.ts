import { describe, expect, it } from "vitest";

import { toApiError } from "./problem";

describe("errors of the API", () => {
  it("keeps what failed, where and what to do", () => {
    const error = toApiError(422, {
      type: "urn:faena:watched-server",
      title: "T",
      detail: "D",
      remedy: "GRANT …",
      field: "host",
    });
    expect([error.type, error.title, error.message, error.remedy, error.field]).toEqual([
      "urn:faena:watched-server",
      "T",
      "D",
      "GRANT …",
      "host",
    ]);
    expect(error.passing).toBe(false);
  });

  it.each([null, "text", 5, [], { detail: 7 }])("makes sense of a body that is %j", (body) => {
    const error = toApiError(503, body);
    expect(error.passing).toBe(true);
    expect(error.message).not.toBe("");
  });
});

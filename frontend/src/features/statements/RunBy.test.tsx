import { cleanup, screen } from "@testing-library/react";
import { afterEach, describe, expect, it, vi } from "vitest";

import type { Schemas } from "../../api/client";
import { shown } from "../../testing/shown";
import { RunBy } from "./RunBy";
import { runByQuery } from "./queries";

afterEach(cleanup);

const WINDOW = { from: 1_790_000_000_000, to: 1_790_000_900_000 };
const use = (more: Partial<Schemas["RequestStatementOut"]>): Schemas["RequestStatementOut"] => ({
  ...{ id: 7, query_id: "77", text: "SELECT ?", endpoint_id: 4, endpoint: "GET /m", service: "web", runs: 2 },
  ...{
    requests_share: 1,
    time_ms: 300,
    share: 0.5,
    mean_ms: 1.5,
    repeated_requests: 0,
    repeated_runs: 0,
    repeated_ms: 0,
  },
  ...{ code: "", after: "" },
  ...more,
});
const open = (statements: Schemas["RequestStatementOut"][]) =>
  shown(<RunBy server={3} query="77" spec={WINDOW} />, [
    [runByQuery(3, "77", WINDOW).queryKey, { start: 0, end: 1, statements }],
  ]);

describe("the endpoints that run a statement", () => {
  it("have each its part of the statement's time, and say where it is repeated", async () => {
    const loop = { endpoint_id: 5, endpoint: "GET /export", time_ms: 100, repeated_requests: 3, repeated_runs: 76.7 };
    await open([use({}), use(loop)]);
    const [first, second] = screen.getAllByRole("listitem").map((one) => one.textContent);
    expect(first).toBe("GET /m web: 75% of it, 2 in a request, 1.5 ms each");
    expect(second).toContain("25% of it");
    expect(second).toContain("repeated 77 times");
    expect(screen.getByRole("link", { name: "GET /export" }).getAttribute("href")).toBe("/servers/3/endpoints/5");
  });

  it("are not spoken of where no trace tells of any", async () => {
    await open([]);
    expect(screen.queryByRole("region", { name: "Endpoints" })).toBeNull();
  });

  it("say so when they cannot be read, and claim nothing", async () => {
    vi.stubGlobal("fetch", vi.fn().mockRejectedValue(new TypeError("network")));
    try {
      await shown(<RunBy server={3} query="78" spec={WINDOW} />);
      expect(await screen.findByText(/The endpoints that run it cannot be shown/)).toBeTruthy();
      expect(screen.queryByRole("list")).toBeNull();
    } finally {
      vi.unstubAllGlobals();
    }
  });
});

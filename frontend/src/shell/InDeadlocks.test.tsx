import { cleanup, screen } from "@testing-library/react";
import { afterEach, describe, expect, it } from "vitest";

import { shown } from "../testing/shown";
import { InDeadlocks } from "./InDeadlocks";

afterEach(cleanup);

const view = (patterns: unknown[]) =>
  shown(<InDeadlocks server={3} query="7" spec={{ last: 900 }} />, [
    [["deadlocks", 3, { last: 900 }, ["statement:7"]], { patterns }],
  ]);

describe("the deadlocks of a statement", () => {
  it("lead to each pattern it was in", async () => {
    const pattern = { pattern: "abc", cause: "opposite_order", count: 2, last: 1000, programs: ["web", "gate"] };
    await view([pattern, { ...pattern, pattern: "def", cause: "of a kind to come", count: 1, programs: [] }]);
    const links = screen.getAllByRole("link");
    expect(links.map((one) => one.getAttribute("href"))).toEqual([
      "/servers/3/deadlocks/abc",
      "/servers/3/deadlocks/def",
    ]);
    expect(links[1]?.textContent).toBe("of a kind to come");
    expect(links[0]?.closest("li")?.textContent).toMatch(
      /: 2 deadlocks in this window, between web and gate\s*, the last/,
    );
  });

  it("take no room where there are none", async () => {
    const { container } = await view([]);
    expect(container.textContent).toBe("");
  });
});

import { cleanup, screen, within } from "@testing-library/react";
import { afterEach, describe, expect, it } from "vitest";

import type { Schemas } from "../../api/client";
import { shown } from "../../testing/shown";
import { Before } from "./Before";

afterEach(cleanup);

const ROOT = { pid: 28099, started_s: 1_763_370_000 } as Schemas["EpisodeOut"];
const AT = 1_763_380_800_000;

const ran = (change: Partial<Schemas["TransactionStatementOut"]>): Schemas["TransactionStatementOut"] => ({
  query_id: "7",
  text: "UPDATE deck_slot SET held_until = $2",
  first: AT - 60_000,
  last: AT - 59_000,
  busy_s: 0,
  logged: 0,
  took_ms: 0,
  ...change,
});

const view = (data: Schemas["BeforeOut"]) =>
  shown(<Before server={3} at={AT} root={ROOT} />, [[["before", 3, ROOT.pid, ROOT.started_s, AT], data]]);

describe("what a root's transaction ran", () => {
  it("stands in the order it was seen, each with how it is known and a way to it", async () => {
    await view({
      begun: AT - 60_000,
      cut: false,
      ran: [ran({ query_id: "1", text: "SELECT 1", logged: 2, took_ms: 80 }), ran({ busy_s: 3 })],
    });
    const rows = screen.getAllByRole("listitem").map((one) => one.textContent);
    expect(rows).toHaveLength(2);
    expect(rows[0]).toContain("SELECT 1");
    expect(rows[0]).toContain("2 times, 80 ms by the log");
    expect(rows[1]).toContain("seen at work for 3 s");
    const link = within(screen.getAllByRole("listitem")[1] as HTMLElement).getByRole("link");
    expect(link.getAttribute("href")).toContain("/servers/3/statements/7");
  });

  it("says what may be missing, and never that there was nothing", async () => {
    await view({ begun: null, cut: false, ran: [] });
    expect(screen.getByText(/all were quicker than a sample, or it ran none/)).toBeTruthy();
    expect(screen.getByRole("heading").textContent).toBe("What its transaction ran");
  });

  it("says that a long one ran more before", async () => {
    await view({ begun: AT - 90_000_000, cut: true, ran: [ran({})] });
    expect(screen.getByText(/It ran more before/)).toBeTruthy();
  });
});

import { cleanup, screen, within } from "@testing-library/react";
import { afterEach, describe, expect, it } from "vitest";

import type { Schemas } from "../../api/client";
import { live } from "../../testing/sessions";
import { shown } from "../../testing/shown";
import { nowQuery, tapeQuery } from "./queries";
import { SessionsPage } from "./SessionsPage";
import { TapePage } from "./TapePage";

afterEach(cleanup);

const WINDOW = { from: 1_790_000_000_000, to: 1_790_000_060_000 };
const VIEWER = "viewer"; // of Faena, and no role of an element
const TRACE = "0af7651916cd43dd8448eb211c80319c";
const tape = (more: Partial<Schemas["TapeOut"]> = {}): Schemas["TapeOut"] => ({
  ...{ session: live(22), start: WINDOW.from, end: WINDOW.to, ticks: 60, tick_ms: 1000, wait_tick_ms: 1000 },
  ...{ first: WINDOW.from, last: WINDOW.to - 1000, stretches: [], ran: [], waits: [], gaps: [], others: [] },
  ...{ errors: [], executions: [], deadlocks: [], alike: [], served: [] },
  ...more,
});
const served = (more: Partial<Schemas["WorkedForOut"]> = {}): Schemas["WorkedForOut"] => ({
  ...{ trace: TRACE, first: WINDOW.from + 5000, last: WINDOW.from + 9000, statements: 2, blocked: true },
  endpoint: "booking-web POST /bookings",
  ...more,
});
const open = (data: Schemas["TapeOut"]) =>
  shown(<TapePage server={3} pid={22} search={{ ...WINDOW, started: "100" }} role={VIEWER} />, [
    [tapeQuery(3, 22, 100, WINDOW).queryKey, data],
  ]);

describe("the tape of a session", () => {
  it("leads to the requests it worked for, by endpoint, and to those whose trace has not come", async () => {
    await open(
      tape({ served: [served(), served({ trace: TRACE.replace("0a", "0b"), endpoint: "", blocked: false })] }),
    );
    const list = screen.getByRole("table", { name: "requests it worked for" });
    const [, known, unknown] = within(list)
      .getAllByRole("row")
      .map((row) => row.textContent);
    expect(`${known}${unknown}`).toContain("booking-web POST /bookings");
    expect(`${known}${unknown}`).toContain("its request");
    expect(within(list).getByText("waited for another session")).toBeTruthy();
    const link = within(list).getByRole("link", { name: "booking-web POST /bookings" });
    expect(link.getAttribute("href")).toContain(`/servers/3/requests/${TRACE}`);
  });

  it("has no list of requests where no statement told of one", async () => {
    await open(tape());
    expect(screen.queryByText("Requests it worked for")).toBeNull();
  });
});

describe("sessions of now", () => {
  it("name the endpoint, or lead to a request that no trace has told of yet", async () => {
    const sessions = [
      live(1, { trace: TRACE, endpoint: "booking-web GET /beds" }),
      live(2, { trace: TRACE }),
      live(3, { endpoint: "job nightly" }),
      live(4),
    ];
    await shown(<SessionsPage server={3} search={{}} role={VIEWER} past={false} onSearch={() => undefined} />, [
      [nowQuery(3).queryKey, { at: WINDOW.from, now: WINDOW.from, stale: false, sessions }],
    ]);
    expect(screen.getByRole("link", { name: "booking-web GET /beds" })).toBeTruthy();
    expect(screen.getByRole("link", { name: "its request" }).getAttribute("href")).toContain(TRACE);
    expect(screen.queryByRole("link", { name: "job nightly" })).toBeNull();
    expect(screen.getByText("job nightly")).toBeTruthy();
  });
});

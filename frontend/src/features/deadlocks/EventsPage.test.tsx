import { cleanup, fireEvent, screen } from "@testing-library/react";
import { afterEach, describe, expect, it, vi } from "vitest";

import type { Schemas } from "../../api/client";
import { shown } from "../../testing/shown";
import { EventsPage } from "./EventsPage";
import { eventsQuery } from "./queries";

afterEach(cleanup);

const AT = Date.UTC(2026, 10, 28, 12);
const event: Schemas["EventOut"] = {
  at: AT,
  kind: "error",
  pid: 71,
  severity: "ERROR",
  sqlstate: "22P02",
  message: "invalid input syntax for type integer: ?",
  detail: "",
  context: "",
  statement: "SELECT $1::int",
  query_id: "9",
  program: "gate-scan",
  user: "gate",
  database: "tidewrack",
  client: "",
  waited_ms: null,
};
const found: Schemas["EventsOut"] = {
  start: AT - 3_600_000,
  end: AT + 1000,
  starts: [AT - 3_600_000],
  bucket_ms: 3_601_000,
  total: 1,
  shapes: [
    {
      kind: "error",
      message: event.message,
      count: 1,
      programs: ["gate-scan"],
      statements: 1,
      waited_ms: null,
      series: [1],
      last: event,
    },
  ],
  newest: [event],
  log: { read_at: AT, refused: "" },
};
const search = { from: found.start, to: found.end };

const view = (what: Partial<Schemas["EventsOut"]> = {}, onSearch = vi.fn()) =>
  shown(<EventsPage server={4} search={search} onSearch={onSearch} />, [
    [eventsQuery(4, search, [], "", []).queryKey, { ...found, ...what }],
  ]);

describe("the log", () => {
  it("groups its entries, and leads from each to the tape of its session and to its statement", async () => {
    const { container } = await view();
    expect(container.textContent).toContain("1 entry of the log, of 1 kind.");
    const links = screen.getAllByRole("link").map((one) => one.getAttribute("href"));
    expect(links.filter((href) => href?.startsWith("/servers/4/sessions/71"))).toHaveLength(2);
    expect(links.filter((href) => href?.startsWith("/servers/4/statements/9"))).toHaveLength(1);
  });

  it("tells what a ? in a message stands for, where there is one", async () => {
    await view();
    expect(screen.getByText(/A \? stands for a value/)).toBeTruthy();
    cleanup();
    await view({ newest: [{ ...event, message: "deadlock detected" }] });
    expect(screen.queryByText(/A \? stands for a value/)).toBeNull();
  });

  it("does not call a log empty that nobody reads", async () => {
    await view({ total: 0, shapes: [], newest: [], log: { read_at: null, refused: "" } });
    expect(screen.getByRole("heading", { level: 1 }).textContent).toMatch(/^Not known/);
  });

  it("asks for a kind at a click, and for words at Enter", async () => {
    const asked = vi.fn();
    await view({}, asked);
    const [kind] = screen.getAllByRole("button", { pressed: false });
    if (kind) fireEvent.click(kind);
    expect(asked).toHaveBeenLastCalledWith({ kinds: [expect.any(String)] });
    const box = screen.getByRole("searchbox");
    fireEvent.change(box, { target: { value: "deadlock" } });
    fireEvent.keyDown(box, { key: "Enter" });
    expect(asked).toHaveBeenLastCalledWith({ text: "deadlock" });
  });
});

import { cleanup, screen, within } from "@testing-library/react";
import { afterEach, describe, expect, it } from "vitest";

import type { Schemas } from "../../api/client";
import { shown } from "../../testing/shown";
import { Plans } from "./Plans";

afterEach(cleanup);

const at = (hour: number, minute = 0): number => new Date(2026, 2, 1, hour, minute).getTime();

const seen = (change: Partial<Schemas["PlanSeenOut"]>): Schemas["PlanSeenOut"] => ({
  id: 1,
  shape: "5",
  gist: "Index Scan booking_reference on booking",
  first: at(8),
  last: at(11),
  took_ms: 4,
  asked: false,
  executions: 75,
  mean_ms: 2.93,
  spans: [{ start: at(10), end: at(11) }],
  ...change,
});
const slow = seen({ id: 2, gist: "Seq Scan booking", mean_ms: 196, spans: [{ start: at(11), end: at(12) }] });

const statement = (change: Partial<Schemas["StatementOut"]>): Schemas["StatementOut"] =>
  ({
    query_id: "7",
    text: "SELECT 1",
    start: at(10),
    end: at(12),
    plans: [],
    switches: [],
    ...change,
  }) as Schemas["StatementOut"];

const view = (change: Partial<Schemas["StatementOut"]>, canAsk = true) =>
  shown(<Plans server={3} statement={statement(change)} canAsk={canAsk} />);

describe("the plans of a statement", () => {
  it("tell when each was in force on the axis of the window, and what executions took with it", async () => {
    await view({ plans: [seen({}), slow] });
    const rows = screen.getAllByRole("row").slice(1);
    expect(
      rows.map((row) =>
        within(row)
          .getAllByRole("cell")
          .slice(-3, -1)
          .map((cell) => cell.textContent),
      ),
    ).toEqual([
      ["75", "2.93 ms"],
      ["75", "196 ms"],
    ]);
    const bars = rows.map((row) => row.querySelector("svg[role=img] rect"));
    expect(bars.map((bar) => [bar?.getAttribute("x"), bar?.getAttribute("width")])).toEqual([
      ["0%", "50%"],
      ["50%", "50%"],
    ]);
    expect(screen.getByRole("img", { name: /10:00:00 to .*11:00:00/ })).toBeTruthy();
  });

  it("keep a stretch that reaches beyond the window inside of it, and a moment visible", async () => {
    const spans = [
      { start: at(7), end: at(11) },
      { start: at(11, 59), end: at(11, 59) },
    ];
    await view({ plans: [seen({ spans })] });
    const told = [...document.querySelectorAll("svg[role=img] rect")].map((bar) => bar.getAttribute("width"));
    expect(told).toEqual(["50%", "0.8%"]);
  });

  it("tell of each switch from what to what, and put both side by side where they are kept", async () => {
    const one = { at: at(11), before: "Index Scan b", after: "Seq Scan b", before_plan: 1, after_plan: 2 };
    const { container } = await view({
      plans: [seen({}), slow],
      switches: [one, { ...one, at: at(11, 30), after_plan: null }],
    });
    expect(container.textContent).toContain("its plan changed from Index Scan b to Seq Scan b.");
    expect(screen.getAllByRole("button", { name: "side by side" })).toHaveLength(1);
    expect(screen.getByRole("button", { name: "the two newest side by side" })).toBeTruthy();
  });

  it("say where one was asked for and never seen in use", async () => {
    await view({ plans: [seen({ asked: true, executions: 0, mean_ms: null, spans: [] })] });
    expect(screen.getByText("(explained, not seen in use)")).toBeTruthy();
    expect(screen.getByRole("img", { name: "not seen in this window" })).toBeTruthy();
    expect(screen.queryByRole("button", { name: /side by side/ })).toBeNull();
  });

  it("are asked for by those who may", async () => {
    const { container } = await view({}, true);
    expect(container.textContent).toContain("No plan is known.");
    expect(screen.getByRole("button", { name: "ask the server for its plan" })).toBeTruthy();
    cleanup();
    await view({}, false);
    expect(screen.queryByRole("button", { name: "ask the server for its plan" })).toBeNull();
  });
});

import { cleanup, screen, within } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { afterEach, describe, expect, it, vi } from "vitest";

import type { Schemas } from "../../api/client";
import { shown } from "../../testing/shown";
import { Distribution } from "./Distribution";

afterEach(cleanup);

type Found = Schemas["DistributionOut"];

const row = (value: string, total_ms: number, executions: number) => ({
  ...{ value, label: value, total_ms, executions },
  captured: executions,
});

const found = (change: Partial<Found> = {}): Found => ({
  ...{ start: 0, end: 60_000, bucket_ms: 60_000, starts: [0], edges_ms: [1, 10, 100], counts: [[500], [3]] },
  ...{ row_executions: [500, 3], row_total_ms: [1000, 240], points: [], captured: 503, known: 503, executions: 503 },
  ...{ p50_ms: 2, p95_ms: null, p99_ms: null, max_ms: 90 },
  by: [
    { by: "program", rows: [row("booking-web", 900, 450), row("gate-scan", 340, 53)] },
    { by: "user", rows: [row("one", 1240, 503)] },
    { by: "plan", rows: [row("", 1240, 503)] },
    { by: "session", rows: [row("4411 booking-web", 700, 300), row("12 ", 540, 203)] },
  ],
  ...change,
});

const REGION = "0~60000~10~100";
const LONGEST = { started: 1, ended: 91, took_ms: 90, pid: 12, place: 0, parameters: "", statement: "" };

async function view(data: Found, change: { region?: string; part?: Found; only?: string[] } = {}) {
  const [onRegion, onOnly] = [vi.fn(), vi.fn()];
  const region = change.region ? { from: 0, to: 60_000, leastMs: 10, mostMs: 100 } : null;
  const only = change.only ?? [];
  const spec = { last: 900 };
  await shown(
    <Distribution
      {...{ server: 3, spec, only, trail: [], region: change.region, onRegion, onOnly }}
      marks={[]}
      onAsk={vi.fn()}
      showStatement
    />,
    [
      [["executions", 3, spec, only, [], null], data],
      [["executions", 3, spec, only, [], region], change.part ?? data],
      [["execution-list", 3, spec, only, [], region], [LONGEST]],
    ],
  );
  return { onRegion, onOnly };
}

const whose = () => screen.getByLabelText("Whose executions");

describe("single executions", () => {
  it("say whose they are by time, and which sessions ran them, each a step to its tape", async () => {
    await view(found());
    expect(within(whose()).getByRole("button", { name: /^booking-web/ }).textContent).toContain("900 ms in 450");
    const tapes = within(whose()).getAllByRole("link");
    expect(tapes.map((one) => one.getAttribute("href"))).toEqual([
      "/servers/3/sessions/4411",
      "/servers/3/sessions/12",
    ]);
    expect(tapes.map((one) => one.getAttribute("title"))).toEqual(["the tape of booking-web 4411", "the tape of 12"]);
  });

  it("leave out what is the same of all, for that tells nothing", async () => {
    await view(found());
    expect(screen.queryByText("by user")).toBeNull();
    expect(screen.queryByText("by plan")).toBeNull();
  });

  it("are narrowed by a press, one value of each dimension at a time", async () => {
    const { onOnly } = await view(found(), { only: ["program:gate-scan", "statement:7"] });
    await userEvent.click(within(whose()).getByRole("button", { name: /^booking-web/ }));
    expect(onOnly).toHaveBeenCalledExactlyOnceWith(["statement:7", "program:booking-web"]);
    await userEvent.click(screen.getByRole("button", { name: "program gate-scan ×" }));
    expect(onOnly).toHaveBeenLastCalledWith(["statement:7"]);
  });

  it("tell of a region how many lie in it, lead to the tapes of its time, and are let go", async () => {
    const part = found({ executions: 3, by: [{ by: "session", rows: [row("12 ", 240, 3)] }] });
    const { onRegion } = await view(found(), { region: REGION, part });
    expect(whose().textContent).toMatch(/^3 in .*10 ms to 100 ms/);
    expect(within(whose()).getByRole("link").getAttribute("href")).toBe("/servers/3/sessions/12?from=0&to=60000");
    await userEvent.click(screen.getByRole("button", { name: "all again" }));
    expect(onRegion).toHaveBeenCalledExactlyOnceWith("");
  });

  it("are listed one by one only when somebody asks for that", async () => {
    await view(found());
    expect(screen.queryByRole("table")).toBeNull();
    const show = screen.getByRole("button", { name: "show them one by one: the longest" });
    expect(show.getAttribute("aria-expanded")).toBe("false");
    await userEvent.click(show);
    expect(screen.getByRole("table", { name: "Executions, the longest" })).toBeTruthy();
    await userEvent.click(screen.getByRole("button", { name: /^hide them/ }));
    expect(screen.queryByRole("table")).toBeNull();
  });

  it("say where they come from when there are none", async () => {
    await view(found({ captured: 0 }));
    expect(
      screen.getByText(/No single execution is known in this window. They come from the server's log/),
    ).toBeTruthy();
  });
});

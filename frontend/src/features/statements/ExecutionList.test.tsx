import { cleanup, screen, waitFor } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { afterEach, describe, expect, it, vi } from "vitest";

import type { Schemas } from "../../api/client";
import { shown } from "../../testing/shown";
import { offered } from "../../ui/offers";
import { ExecutionList } from "./ExecutionList";

afterEach(cleanup);

const START = new Date(2026, 2, 1, 9, 20, 5).getTime();

const execution = (change: Partial<Schemas["ExecutionOut"]> = {}): Schemas["ExecutionOut"] => ({
  started: START,
  ended: START + 1250,
  took_ms: 1250,
  pid: 11,
  place: 1,
  query_id: "7",
  label: "SELECT * FROM booking WHERE reference = $1",
  statement: "SELECT * FROM booking WHERE reference = $1",
  parameters: "$1 = 'TW1'",
  parse_ms: null,
  bind_ms: 0.5,
  execute_ms: 1249.5,
  temp_bytes: 3_145_728,
  weight: 1,
  plan: "5",
  plan_gist: "Seq Scan booking",
  program: "gate-scan",
  user: "gate",
  database: "ferry",
  client: "127.0.0.9",
  ...change,
});

const show = (rows: Schemas["ExecutionOut"][], onAsk = vi.fn()) =>
  shown(<ExecutionList server={3} rows={rows} title="the longest" showStatement={false} onAsk={onAsk} />);

describe("single executions", () => {
  it("stand where they began, with their phases, what they ran with, spills and plan", async () => {
    await show([execution()]);
    const row = screen.getAllByRole("row")[1];
    expect(row?.textContent).toContain("09:20:05");
    const tape = screen.getByRole("link", { name: "11" }).getAttribute("href") ?? "";
    expect(tape).toContain("/servers/3/sessions/11");
    expect(row?.textContent).toContain("1.25 s");
    expect(row?.textContent).toContain("– · 0.5 ms · 1.25 s");
    expect(row?.textContent).toContain("$1 = 'TW1'");
    expect(row?.textContent).toContain("3.00 MiB");
    expect(row?.textContent).toContain("Seq Scan booking");
  });

  it("are evidence without what they ran with, which not everybody may read", async () => {
    await show([execution()]);
    await waitFor(() => expect(offered()).toHaveLength(1));
    const figures = offered()[0]?.make().figures;
    expect(figures?.rows[0]?.join(" ")).toContain("gate-scan");
    expect(JSON.stringify(figures)).not.toContain("TW1");
  });

  it("open to a text that is ready to run, and to asking for its plan", async () => {
    const onAsk = vi.fn();
    await show([execution()], onAsk);
    await userEvent.click(screen.getByRole("button", { name: /09:20:05/ }));
    expect(screen.getByText("SELECT * FROM booking WHERE reference = 'TW1'")).toBeTruthy();
    await userEvent.click(screen.getByRole("button", { name: "estimate its plan" }));
    await userEvent.click(screen.getByRole("button", { name: /run it once/ }));
    expect(onAsk.mock.calls.map((call: unknown[]) => call[1])).toEqual([false, true]);
    await userEvent.click(screen.getByRole("button", { name: /09:20:05/ }));
    expect(screen.queryByRole("button", { name: "estimate its plan" })).toBeNull();
  });

  it("say once that parameters were not kept, and why when one is opened", async () => {
    const bare = { statement: "", parameters: "" };
    await show([execution(bare), execution({ ...bare, place: 2 })]);
    expect(screen.getByRole("columnheader", { name: /parameters were not kept/ })).toBeTruthy();
    expect(screen.queryByText("not kept")).toBeNull();
    await userEvent.click(screen.getAllByRole("button", { name: /09:20:05/ })[0] as HTMLElement);
    expect(screen.getByText(/kept only where the server's settings say so/)).toBeTruthy();
    cleanup();
    await show([execution(), execution({ ...bare, place: 2 })]);
    expect(screen.getAllByText("not kept")).toHaveLength(1);
  });

  it("are no table where there are none", async () => {
    const { container } = await show([]);
    expect(container.innerHTML).toBe("");
  });
});

import { cleanup, screen, within } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { afterEach, describe, expect, it, vi } from "vitest";

import type { Schemas } from "../../api/client";
import { shown } from "../../testing/shown";
import { AS_IT_COMES, type Layout, LayoutsContext } from "../../ui/table/layouts";
import { ServersPage } from "./ServersPage";
import type { ServersSearch } from "./servers.route";

afterEach(cleanup);

const server = (id: number, name: string, change: Partial<Schemas["ServerOut"]> = {}) =>
  ({
    ...{ id, name, group: "", role: "primary", address: "127.0.0.1:5432", database: "d", version: "15.2", cores: 4 },
    ...{ state: "watching", state_message: "", trouble: 0, trouble_words: "", load_now: 1, running_now: 1 },
    ...{ main_wait: null, lag_ms: null, freshness_ms: 400, sample_ms_median: null, sample_ms_p95: null },
    ...change,
  }) as unknown as Schemas["ServerOut"];

const LIST = [
  server(1, "crew"),
  server(2, "bookings", { trouble: 9, trouble_words: "14 sessions blocked", load_now: 15, main_wait: "lock" }),
  server(3, "warehouse", { state: "away", state_message: "connection refused", load_now: null, freshness_ms: null }),
];

const cell = (id: number, mean: number | null, was: number | null) => ({
  ...{ server: id, values: [mean, mean], mean, latest: mean },
  yesterday: {
    difference: mean === null || was === null ? null : mean - was,
    ratio: mean === null || was === null ? null : mean / was,
  },
  last_week: { difference: null, ratio: null },
});

const indicator = (name: string, unit: string, ...cells: ReturnType<typeof cell>[]) => ({
  name,
  unit,
  label: name,
  cells,
});

const FOUND = {
  ...{ start: 0, end: 900_000, bucket_ms: 450_000, starts: [0, 450_000], servers: LIST },
  loads: LIST.map(({ id }) => ({ server: id, groups: [{ key: "running", sessions: [1, 2] }] })),
  indicators: [
    indicator("cpu", "share", cell(1, 0.2, 0.2), cell(2, 0.9, 0.3), cell(3, null, null)),
    indicator("calls", "per_s", cell(1, 30, null), cell(2, 50, 50), cell(3, null, null)),
    indicator("disk_latency", "ms", cell(1, 1, 1), cell(2, 2, 1), cell(3, null, null)),
  ],
};

function page(search: ServersSearch = {}, layout: Layout = AS_IT_COMES, names = ["calls", "cpu", "disk_latency"]) {
  const onSearch = vi.fn();
  const keep = vi.fn();
  const element = (
    <LayoutsContext value={{ of: () => layout, keep }}>
      <ServersPage canConnect={false} search={search} onSearch={onSearch} />
    </LayoutsContext>
  );
  const answers = [
    [["servers"], { servers: LIST, collector_away: null, readings_waiting: 0 }],
    [["indicators", { last: 900 }, [1, 2, 3], names], FOUND],
  ] as const;
  return shown(element, answers).then(() => ({ onSearch, keep }));
}

const rows = () =>
  within(screen.getByRole("table", { name: "servers" }))
    .getAllByRole("row")
    .slice(1);
const names = () => rows().map((row) => within(row).getAllByRole("link")[0]?.textContent);

describe("the list of servers", () => {
  it("has those in trouble on top, with what troubles them and what can be done next to it", async () => {
    await page();
    expect(names()[0]).toBe("bookings");
    expect(rows()[0]?.textContent).toContain("14 sessions blocked");
    expect(rows()[0]?.textContent).toContain("mainly row and table locks");
  });

  it("is sorted by any column, kept in the address", async () => {
    const { onSearch } = await page({ order: "name.up" });
    expect(names()).toEqual(["bookings", "crew", "warehouse"]);
    await userEvent.click(screen.getByRole("button", { name: /CPU of the machine/ }));
    expect(onSearch).toHaveBeenCalledExactlyOnceWith({ order: "cpu" });
  });

  it("shows each indicator against yesterday, and says what was not read or is unknown", async () => {
    await page({ order: "name.up" });
    const [bookings, crew, warehouse] = rows().map((row) => row.textContent);
    expect(bookings).toContain("90%");
    expect(bookings).toContain("3.0 times on yesterday");
    expect(crew).toContain("30/s");
    expect(crew).toContain("yesterday unknown");
    expect(warehouse?.match(/not read/g)).toHaveLength(3);
    expect(warehouse).toContain("connection refused");
    expect(warehouse).toContain("not sampled");
  });

  it("asks only for the indicators that somebody wants to see", async () => {
    const asked = vi.fn(() => new Promise<Response>(() => undefined));
    vi.stubGlobal("fetch", asked);
    await page({}, { ...AS_IT_COMES, shown: ["lag"], hidden: ["calls"] }, ["nothing kept for this choice"]);
    const urls = asked.mock.calls.map(([request]: unknown[]) => (request as Request).url);
    vi.unstubAllGlobals();
    const url = new URL(urls.find((one) => one.includes("/indicators")) ?? "http://none");
    expect(url.searchParams.getAll("name")).toEqual(["cpu", "disk_latency", "lag"]);
    expect(url.searchParams.getAll("server")).toEqual(["1", "2", "3"]);
  });

  it("draws one indicator of all servers on one chart, of those that have it", async () => {
    await page({ figure: "cpu" });
    const chart = await screen.findByRole("application", { name: /CPU of the machine/ });
    expect(chart.getAttribute("aria-label")).toBe("CPU of the machine: crew 20%, bookings 90%");
  });
});

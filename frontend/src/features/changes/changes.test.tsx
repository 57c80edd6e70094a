import { cleanup, fireEvent, screen, waitFor, within } from "@testing-library/react";
import { afterEach, beforeEach, describe, expect, it, vi } from "vitest";

import { shown } from "../../testing/shown";
import { ChangesPage } from "./ChangesPage";
import { ComparePage } from "./ComparePage";
import { changesWords, differenceWords, measured, ratioWords, readSpan } from "./model";
import { type Change, type Compared, type Comparison, changesQuery, compareQuery } from "./queries";

afterEach(() => {
  cleanup();
  vi.restoreAllMocks();
});

const WINDOW = { from: 1_790_000_000_000, to: 1_790_003_600_000 };
const change = (more: Partial<Change> = {}): Change => ({
  ...{ id: 7, at: WINDOW.from + 60_000, since: WINDOW.from, kind: "index_made", label: "index made" },
  ...{ line: "index made booking_email on booking: btree (email)", object: "booking_email", table: "booking" },
  ...{ before: "", after: "btree (email)", query_id: null, note: "", version: "", link: "", origin: "found", by: "" },
  ...{ mine: false, verdict: null },
  ...more,
});
const VERDICT = {
  ...{
    id: 3,
    verdict: "better",
    label: "better",
    sentence: "Better, 40 times: statements on booking take 40 times less.",
  },
  ...{ told_at: null, until: WINDOW.to, settled: true },
};
const compared = (more: Partial<Compared> = {}): Compared => ({
  ...{ group: "statement", key: "1", label: "SELECT 1", unit: "ms", method: "welch", method_label: "Welch's test" },
  ...{ before: 212, after: 5.3, scale: "ratio", change: 0.025, low: 0.02, high: 0.03, chance: 0.00001 },
  ...{ verdict: "better", verdict_label: "better", counts: null },
  ...more,
});
const comparison = (more: Partial<Comparison> = {}): Comparison => ({
  ...{ before_start: WINDOW.from - 3_600_000, before_end: WINDOW.from, start: WINDOW.from, end: WINDOW.to },
  ...{ verdict: "better", label: "better", sentence: "Better, 40 times.", told_at: null, days: 5, about: "" },
  ...{ reasons: ["20 calls a second before, 700 after"], main: compared() },
  groups: [{ key: "statement", label: "A call of each statement", measures: [compared()] }],
  ...more,
});
const json = (body: unknown, status = 200): Response =>
  new Response(JSON.stringify(body), { status, headers: { "Content-Type": "application/json" } });

const changes = (rows: readonly Change[], looked: number | null = WINDOW.to, role = "operator") =>
  shown(<ChangesPage server={3} role={role} search={WINDOW} onSearch={() => undefined} />, [
    [changesQuery(3, WINDOW, [], "").queryKey, { changes: rows, looked }],
    [["pipelines", 3], []],
  ]);

describe("changes of a window", () => {
  it("are counted, and a list that was cut is not told to be all", () => {
    expect(changesWords(1, false)).toBe("1 change in this window");
    expect(changesWords(2, true)).toBe("2 such changes in this window");
    expect(changesWords(300, false)).toBe("The newest 300 changes of this window; a shorter one shows the others");
  });

  beforeEach(() => vi.spyOn(globalThis, "fetch").mockImplementation(() => Promise.resolve(json({}))));

  it("are told with before and after, who told them, and whether they helped", async () => {
    const note = change({
      id: 8,
      kind: "note",
      label: "note",
      note: "fare sale",
      line: "fare sale",
      object: "",
      table: "",
      after: "",
    });
    await changes([change({ verdict: VERDICT }), { ...note, origin: "hand", by: "olga", mine: true }]);
    const rows = within(screen.getByRole("table", { name: "changes in this window" })).getAllByRole("row");
    expect(rows.some((row) => row.textContent.includes("booking_email on booking: btree (email)"))).toBe(true);
    expect(screen.getByRole("link", { name: "better" }).getAttribute("href")).toContain("/compare?followed=3");
    expect(screen.getByRole("button", { name: "remove fare sale" })).toBeTruthy();
    expect(document.body.textContent).toContain("olga");
  });

  it("that are none say up to when was looked, and nothing where nobody looked", async () => {
    await changes([]);
    expect(document.body.textContent).toContain("No change is known in this window.");
    expect(document.body.textContent).toContain("were compared up to");
    cleanup();
    await changes([], null);
    expect(document.body.textContent).toContain("were not compared yet");
  });

  it("are noted by who may, and nobody else is offered it", async () => {
    await changes([], WINDOW.to, "viewer");
    expect(screen.queryByRole("button", { name: /note a change/ })).toBeNull();
    cleanup();
    await changes([]);
    fireEvent.click(screen.getByRole("button", { name: /note a change/ }));
    const dialog = await screen.findByRole("dialog");
    fireEvent.change(within(dialog).getByLabelText("what changed"), { target: { value: "kernel 6.9" } });
    fireEvent.change(within(dialog).getByLabelText("when"), { target: { value: "soon" } });
    fireEvent.click(within(dialog).getByRole("button", { name: "note it" }));
    expect(within(dialog).getByRole("alert").textContent).toContain("“soon” is not a moment");
    fireEvent.change(within(dialog).getByLabelText("when"), { target: { value: "09:20" } });
    fireEvent.click(within(dialog).getByRole("button", { name: "note it" }));
    await waitFor(() => expect(screen.queryByRole("dialog")).toBeNull());
    const sent = vi.mocked(globalThis.fetch).mock.calls.map(([request]) => request as Request);
    expect(sent.some((one) => one.method === "POST" && one.url.endsWith("/api/v1/servers/3/changes"))).toBe(true);
  });
});

describe("two windows", () => {
  const before = { from: WINDOW.from - 3_600_000, to: WINDOW.from };
  const open = (data: Comparison, search: Partial<Parameters<typeof ComparePage>[0]["search"]> = {}) =>
    shown(<ComparePage server={3} search={{ ...WINDOW, ...search }} onSearch={() => undefined} />, [
      [
        compareQuery(3, search.followed ? { followed: search.followed } : { before, after: WINDOW, table: "" })
          .queryKey,
        data,
      ],
    ]);

  it("are headed by the verdict, with its ground and each measure", async () => {
    await open(comparison());
    expect(screen.getByRole("heading", { level: 1 }).textContent).toBe("Better, 40 times.");
    expect(document.body.textContent).toContain("20 calls a second before, 700 after.");
    expect(document.body.textContent).toContain("Welch's test");
    const table = screen.getByRole("table", { name: "A call of each statement" });
    expect(within(table).getByText("< 0.0001")).toBeTruthy();
    expect(within(table).getByText("5.3 ms")).toBeTruthy();
  });

  it("say when it can be told, while it is too early", async () => {
    const early = comparison({ verdict: "too_early", label: "too early to tell", told_at: WINDOW.to, main: null });
    await open({ ...early, sentence: "Too early to tell." }, { followed: 3 });
    expect(document.body.textContent).toContain("It can be told from about");
    expect(screen.getByRole("button", { name: "compare other windows" })).toBeTruthy();
  });
});

describe("a difference in words", () => {
  it.each([
    [2.4, "2.4 times"],
    [1.31, "+31%"],
    [0.92, "−8.0%"],
    [0.5, "half"],
    [0.025, "a 40th"],
    [1, "+0.0%"],
  ])("%s is %s", (ratio, words) => expect(ratioWords(ratio)).toBe(words));

  it("has its unit, its sign and its interval", () => {
    const load = { scale: "difference", unit: "sessions", change: -3.2, low: -4, high: -2.4 };
    expect(differenceWords(compared(load))).toBe("−3.2 (−4 to −2.4)");
    expect(differenceWords(compared({ counts: [12, 0] }))).toBe("12 → 0");
    expect(differenceWords(compared({ change: null }))).toBe("–");
    expect(measured(null, "ms")).toBe("–");
    expect(measured(2048, "bytes_per_s")).toContain("/s");
  });

  it("reads a window from the address, and nothing from nonsense", () => {
    expect(readSpan("5~9")).toEqual({ from: 5, to: 9 });
    expect([readSpan("9~5"), readSpan("x"), readSpan(undefined)]).toEqual([null, null, null]);
  });
});

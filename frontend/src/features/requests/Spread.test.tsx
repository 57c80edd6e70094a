import { cleanup, screen, within } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { afterEach, describe, expect, it, vi } from "vitest";

import type { Schemas } from "../../api/client";
import { readRegion, writeRegion } from "../../charts/region";
import { shown } from "../../testing/shown";
import { Spread } from "./Spread";
import { chanceWords, spreadSentence } from "./model";
import { pickedQuery, spreadQuery } from "./queries";

afterEach(cleanup);

const START = 1_790_000_000_000;
const WINDOW = { from: START, to: START + 60_000 };
const REGION = { from: START + 10_000, to: START + 30_000, leastMs: 100, mostMs: 1000 };
const spread = (more: Partial<Schemas["SpreadOut"]> = {}): Schemas["SpreadOut"] => ({
  ...{
    start: START,
    end: START + 60_000,
    bucket_ms: 30_000,
    starts: [START, START + 30_000],
    edges_ms: [10, 100, 1000],
  },
  ...{
    counts: [
      [40, 2],
      [3, 0],
    ],
    row_executions: [42, 3],
    row_total_ms: [800, 1500],
    points: [],
  },
  ...{ drawn: 21, known: 21, requests: 45, p50_ms: 20, p95_ms: 700, p99_ms: null, max_ms: 900 },
  ...more,
});
const LAYERS = { own: 10, database: 5, cache: 0, external: 485, queue: 0 };
const side = (more: Partial<Schemas["SideOut"]> = {}): Schemas["SideOut"] => ({
  ...{ kept: 3, requests: 3, mean_ms: 500, layers: LAYERS, statements: 2 },
  ...more,
});
const common = (more: Partial<Schemas["CommonOut"]> = {}): Schemas["CommonOut"] => ({
  ...{ kind: "attribute" as const, label: "deck=upper", picked: 3, picked_share: 1, others: 1, others_share: 0.024 },
  ...{ chance: 0.0001, ...more },
});
const picked = (more: Partial<Schemas["PickedOut"]> = {}): Schemas["PickedOut"] => ({
  ...{ picked: side(), others: side({ kept: 18, requests: 42, mean_ms: 20 }), common: [common()], more: 0 },
  ...{ singles: [single("ab")], ...more },
});
const single = (trace: string): Schemas["SingleOut"] => ({
  ...{ trace, top: "cd", at: START + 12_000, duration_ms: 500, layers: LAYERS, error: false, statements: 2, spans: 4 },
  ...{ why: "slow" as const, weight: 1, version: "7", host: "quay-a" },
});

async function open(
  found: Schemas["SpreadOut"],
  region: string | undefined,
  answer: Schemas["PickedOut"] | null = null,
) {
  const onSearch = vi.fn();
  const search = { ...WINDOW, ...(region === undefined ? {} : { region }) };
  await shown(<Spread server={3} endpoint={4} search={search} onSearch={onSearch} slowest={[single("ef")]} />, [
    [spreadQuery(3, 4, WINDOW, {}).queryKey, found],
    ...(answer ? [[pickedQuery(3, 4, WINDOW, {}, readRegion(region, found)).queryKey, answer] as const] : []),
  ]);
  return onSearch;
}

describe("requests by duration", () => {
  it("say how many there are and how long they took, and how a part is picked", async () => {
    await open(spread(), undefined);
    const picture = screen.getByRole("application", { name: /^Requests by duration: 21 requests are kept singly/ });
    expect(picture.getAttribute("aria-label")).toContain("Enter picks it");
    expect(document.body.textContent).toContain("Draw over the slow few");
    expect(screen.getByRole("link", { name: /\d/ }).getAttribute("href")).toContain("/requests/ef");
  });

  it("are picked with the keys alone, into the address", async () => {
    const onSearch = await open(spread(), undefined);
    screen.getByRole("application").focus();
    await userEvent.keyboard("{PageUp}");
    expect(onSearch).toHaveBeenCalledExactlyOnceWith({
      region: writeRegion({ from: START, to: START + 60_000, leastMs: 100, mostMs: 1000 }),
    });
    await userEvent.keyboard("{Escape}");
    expect(onSearch).toHaveBeenLastCalledWith({ region: "" });
  });

  it("tell what the picked have in common with counts and chance, and list them", async () => {
    const call = common({ kind: "call", label: "port-authority", chance: 1e-9 });
    const onSearch = await open(spread(), writeRegion(REGION), picked({ common: [common(), call], more: 4 }));
    const table = screen.getByRole("table", { name: "what they have in common" });
    const [, first, second] = within(table)
      .getAllByRole("row")
      .map((row) => row.textContent);
    expect(first).toBe("calls port-authority100%2%under 1 in 1 M");
    expect(second).toBe("deck=upper100%2%1 in 10 k");
    const sides = screen.getByRole("table", { name: "the picked beside the others" });
    expect(
      within(sides)
        .getAllByRole("row")
        .map((row) => row.textContent),
    ).toEqual([
      "one of them takespicked42 others",
      "in all500 ms20 ms",
      "own code10 ms10 ms",
      "database5 ms5 ms",
      "external485 ms485 ms",
      "statements22",
    ]);
    expect(document.body.textContent).toContain("and 4 more.");
    expect(screen.getByRole("heading", { name: "The slowest of these" })).toBeTruthy();
    await userEvent.click(screen.getByRole("button", { name: "all again" }));
    expect(onSearch).toHaveBeenCalledWith({ region: "" });
  });

  it.each([
    [2, "These are too few to say what they have in common."],
    [40, "They have nothing in common that chance would not give as well"],
  ])("of which %i have nothing in common say what that is worth", async (kept, words) => {
    await open(spread(), writeRegion(REGION), picked({ common: [], picked: side({ kept }) }));
    expect(document.body.textContent).toContain(words);
  });

  it("keep a part that a moving window leaves behind, until it has", async () => {
    const leaving = writeRegion({ ...REGION, from: START - 5000 });
    const found = spread({ start: START });
    const onSearch = vi.fn();
    await shown(
      <Spread server={3} endpoint={4} search={{ ...WINDOW, region: leaving }} {...{ onSearch, slowest: [] }} />,
      [
        [spreadQuery(3, 4, WINDOW, {}).queryKey, found],
        [pickedQuery(3, 4, WINDOW, {}, { ...REGION, from: START - 5000 }).queryKey, picked()],
      ],
    );
    expect(screen.getByRole("table", { name: "what they have in common" })).toBeTruthy();
  });

  it("let go of a part that lies outside the window, and say so where nothing is kept", async () => {
    await open(spread(), writeRegion({ ...REGION, from: START - 9000, to: START - 1 }));
    expect(document.body.textContent).toContain("Draw over the slow few");
    cleanup();
    await open(spread({ drawn: 0, known: 0 }), undefined);
    expect(document.body.textContent).toContain("Of this window no single request is kept.");
  });
});

describe("words for single requests", () => {
  it("tell what is estimated and what is not drawn", () => {
    expect(spreadSentence(spread())).toBe(
      "21 requests are kept singly and stand for 45; half took below 20 ms, one in twenty above 700 ms; the longest took 900 ms.",
    );
    const many = spread({ known: 90_000, drawn: 50_000, requests: 50_000, p99_ms: 800 });
    expect(spreadSentence(many)).toContain("90 k requests are kept singly, the newest 50 k of them drawn;");
    expect(spreadSentence(many)).toContain("one in a hundred above 800 ms");
    const one = spread({ known: 1, drawn: 1, requests: 1, p50_ms: null, p95_ms: null });
    expect(spreadSentence(one)).toBe("1 request is kept singly; the longest took 900 ms.");
  });

  it("tell a chance so that nobody counts zeros", () => {
    expect([0.01, 0.0049, 2e-6, 1e-7].map(chanceWords)).toEqual([
      "1 in 100",
      "1 in 200",
      "1 in 500 k",
      "under 1 in 1 M",
    ]);
  });
});

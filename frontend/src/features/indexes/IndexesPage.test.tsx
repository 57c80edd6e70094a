import { cleanup, screen } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { afterEach, describe, expect, it, vi } from "vitest";

import type { Schemas } from "../../api/client";
import { shown } from "../../testing/shown";
import { IndexesPage } from "./IndexesPage";

afterEach(cleanup);

const proposal: Schemas["WorkloadProposalOut"] = {
  step: 0,
  table: "booking",
  columns: ["reference"],
  predicate: "",
  ddl: "CREATE INDEX CONCURRENTLY ON booking (reference);",
  why: [{ column: "reference", words: "compared for equality, one row of one value" }],
  share: 1e-6,
  rows: 1,
  cost_before: 25_159,
  cost_after: 2.64,
  size_bytes: 31_457_280,
  writes: 1_000_000,
  writes_at_most: 1_500_000,
  overlaps: ["booking_old (reference) begins it and could go then"],
  sentence: "An index on booking (reference) would find 1 of 1 M rows.",
  statements: [{ query_id: "7", label: "SELECT * FROM booking WHERE reference = $1", stake_ms: 248_000 }],
  stake_ms: 248_000,
};

const unused: Schemas["HealthOut"] = {
  kind: "unused",
  table: "ticket",
  index: "ticket_code_idx",
  sentence: "ticket_code_idx was never read.",
  next_step: "DROP INDEX CONCURRENTLY ticket_code_idx;",
  bytes: 17_825_792,
};

const indexes = (change: Partial<Schemas["IndexesOut"]> = {}): Schemas["IndexesOut"] => ({
  database: "ferry",
  databases: ["ferry"],
  tables: 15,
  indexes: 23,
  index_bytes: 132_120_576,
  counted_since: null,
  findings: [],
  proposals: [],
  refused: [],
  plans_read: 0,
  ...change,
});

const view = (data: Schemas["IndexesOut"], onSearch = vi.fn(), database?: string) =>
  shown(
    <IndexesPage
      server={3}
      search={{ last: 900, ...(database === undefined ? {} : { database }) }}
      onSearch={onSearch}
    />,
    [[["indexes", 3, { last: 900 }, database ?? "", []], data]],
  );

const heading = (): string => screen.getByRole("heading", { level: 1 }).textContent;

describe("indexes of a server", () => {
  it("say first which would serve most, with its text to copy, its reasons, and whom it serves", async () => {
    const { container } = await view(indexes({ proposals: [proposal], plans_read: 1 }));
    expect(heading()).toBe("An index on booking (reference) would serve 4 min 8 s of this window's work.");
    expect(container.textContent).toContain("CREATE INDEX CONCURRENTLY ON booking (reference);");
    expect(container.textContent).toContain("reference compared for equality");
    expect(container.textContent).toContain("booking_old (reference) begins it and could go then.");
    expect(screen.getByRole("link", { name: /SELECT/ }).getAttribute("href")).toBe("/servers/3/statements/7");
  });

  it("say what could go, and how much that frees", async () => {
    await view(indexes({ findings: [unused] }));
    expect(heading()).toBe(
      "No index is missing, as far as plans are known; 17.0 MiB of indexes are unused or duplicates.",
    );
    expect(screen.getAllByRole("row")[1]?.textContent).toContain("unusedticketticket_code_idx was never read.17.0 MiB");
  });

  it.each([
    [0, "No plan of this window's statements is known yet"],
    [1, "The one plan known of this window's statements would not gain from another index."],
    [12, "None of the 12 plans of this window's statements would gain from another index."],
  ])("say how far they looked: %i plans", async (plans, words) => {
    const { container } = await view(indexes({ plans_read: plans }));
    expect(container.textContent).toContain(words);
  });

  it("tell why an index is not proposed", async () => {
    const refused = [
      { step: 0, table: "trip", sentence: "trip is read at a cost of 80: too little for an index to pay." },
    ];
    const { container } = await view(indexes({ refused }));
    expect(container.textContent).toContain("Not proposed: trip is read at a cost of 80");
  });

  it("are those of one database, which can be chosen where there are several", async () => {
    const onSearch = vi.fn();
    await view(indexes({ databases: ["ferry", "postgres"] }), onSearch);
    await userEvent.click(screen.getByRole("button", { name: /database/ }));
    await userEvent.click(screen.getByRole("option", { name: "postgres" }));
    expect(onSearch).toHaveBeenCalledWith({ database: "postgres" });
    cleanup();
    const { container } = await view(indexes({ database: "postgres" }), onSearch, "postgres");
    expect(screen.queryByRole("button", { name: /database/ })).toBeNull();
    expect(container.textContent).toContain("Database postgres: 23 indexes of 15 tables");
  });
});

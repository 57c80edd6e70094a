import { cleanup, screen } from "@testing-library/react";
import { afterEach, describe, expect, it } from "vitest";

import { leadsQuery } from "../api/queries";
import { shown } from "../testing/shown";
import { LeadLine } from "./LeadLine";

afterEach(cleanup);

const WINDOW = { from: 1_790_000_000_000, to: 1_790_000_900_000 };
const open = (leads: readonly { title: string }[], search = WINDOW) =>
  shown(<LeadLine server={3} search={search} />, [[leadsQuery(3, search).queryKey, { leads }]]);

describe("what is at fault, above every view", () => {
  it("is the first lead, and leads to all of them over the same window", async () => {
    await open([{ title: "A transaction left open blocks 38 sessions" }, { title: "4 deadlocks" }]);
    const link = screen.getByRole("link", { name: "A transaction left open blocks 38 sessions" });
    expect(link.getAttribute("href")).toContain(`/servers/3/leads?from=${WINDOW.from}`);
    expect(screen.queryByText("4 deadlocks")).toBeNull();
  });

  it("claims nothing where there is none, or where a window is too long to be looked at", async () => {
    await open([]);
    expect(document.body.textContent).toBe("");
    cleanup();
    await open([{ title: "of a shorter window" }], { from: WINDOW.from, to: WINDOW.from + 90_000_000 });
    expect(document.body.textContent).toBe("");
  });
});

import { useQueryClient } from "@tanstack/react-query";
import { cleanup, screen, within } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import fc from "fast-check";
import { afterEach, describe, expect, it } from "vitest";

import type { Schemas } from "../../api/client";
import { alertsOfLeadQuery, leadsQuery } from "../../api/queries";
import { shown } from "../../testing/shown";
import { LeadsPage } from "./LeadsPage";
import { stepParts } from "../../lib/nextStep";
import { type Lead, asMarkdown, rootFacts } from "./model";

afterEach(cleanup);

const WINDOW = { from: 1_790_000_000_000, to: 1_790_000_900_000 };
const lead = (more: Partial<Lead> = {}): Lead => ({
  ...{ kind: "idle_transaction", label: "transaction left open", share: 0.936, seconds: 41_000 },
  title: "A transaction left open by ops-console blocks 38 sessions",
  root: {
    statement: "SELECT 1",
    program: "ops-console",
    table: "sailing",
    index: "",
    column: "",
    pid: 4411,
    object: "",
  },
  chain: [
    { sentence: "Up to 38 sessions waited.", view: "blocking", search: {} },
    { sentence: "12 stood behind pid 7.", view: "nowhere", search: {} },
    { sentence: "Pid 4411 is idle in transaction.", view: "statement", search: { query: "77" } },
  ],
  ...{ identity: "0123456789abcdef", known: null, begun: WINDOW.from, suspects: [] },
  picture: { start: WINDOW.from, end: WINDOW.to, bucket_ms: 15_000, starts: [], groups: [] },
  ruled_out: [{ what: "the root's own work", why: "it ran nothing" }],
  next_step: "SELECT pg_terminate_backend(4411);  -- rolls back what it changed",
  ...more,
});
const leads = (more: Partial<Schemas["LeadsOut"]> = {}): Schemas["LeadsOut"] => ({
  ...{ start: WINDOW.from, end: WINDOW.to, quiet: false, ticks: 900, load: 40, unexplained: 0.064 },
  ...{ ground: "6% of the load is explained by no lead.", leads: [lead()] },
  ...more,
});
const open = (data: Schemas["LeadsOut"]) =>
  shown(<LeadsPage server={3} search={WINDOW} />, [[leadsQuery(3, WINDOW).queryKey, data]]);

describe("leads of a window", () => {
  it("are told from what is seen to what is at fault, each step with where it is seen", async () => {
    await open(leads());
    expect(screen.getByRole("heading", { level: 1 }).textContent).toBe(
      "A transaction left open by ops-console blocks 38 sessions.",
    );
    const steps = within(screen.getByRole("list", { name: "chain of causes" })).getAllByRole("listitem");
    expect(steps.map((one) => one.textContent)).toEqual([
      "seenUp to 38 sessions waited. blocking",
      "because12 stood behind pid 7. ",
      "at faultPid 4411 is idle in transaction. the statement",
    ]);
    expect(screen.getByRole("link", { name: "the statement" }).getAttribute("href")).toContain("/statements/77");
    expect(screen.getByRole("link", { name: "blocking" }).getAttribute("href")).toContain(`from=${WINDOW.from}`);
    expect(screen.getByText("SELECT pg_terminate_backend(4411);")).toBeTruthy();
    expect(screen.getByRole("link", { name: "pid 4411" }).getAttribute("href")).toContain("/sessions/4411?from=");
    expect(document.body.textContent).toContain("explains 94% of the load");
  });

  it("are two where there are two causes, and one that no load shows says so", async () => {
    const deadlocks = lead({ title: "4 deadlocks", kind: "deadlock_pattern", label: "deadlocks", share: 0 });
    await open(leads({ leads: [lead(), deadlocks] }));
    expect(screen.getByRole("heading", { level: 1 }).textContent).toContain("blocks 38 sessions, and 1 more.");
    expect(screen.getAllByRole("heading", { level: 2 })).toHaveLength(2);
    expect(document.body.textContent).toContain("deadlocks, told by events, not by load");
  });

  it("that are none are called quiet with the ground for it; of nothing sampled nothing is claimed", async () => {
    await open(leads({ quiet: true, leads: [], ground: "0.05 sessions were active on average." }));
    expect(screen.getByRole("heading", { level: 1 }).textContent).toBe("Quiet: no rule finds harm in this window.");
    expect(document.body.textContent).toContain("0.05 sessions were active on average.");
    cleanup();
    await open(leads({ quiet: true, leads: [], ticks: 0, ground: "" }));
    expect(screen.getByRole("heading", { level: 1 }).textContent).toBe("Nothing was sampled in this window.");
    expect(document.body.textContent).not.toContain("Quiet");
  });
});

describe("what is written of a lead that goes on", () => {
  const more = { leads: [lead({ title: "A transaction left open by ops-console blocks 41 sessions" })] };
  const Look = () => {
    const queries = useQueryClient();
    return (
      <button onClick={() => queries.setQueryData(leadsQuery(3, WINDOW).queryKey, leads(more))}>look again</button>
    );
  };

  it("stays while its figures change", async () => {
    const who = { server: 3, search: WINDOW, role: "operator" };
    const page = (
      <>
        <LeadsPage {...who} />
        <Look />
      </>
    );
    await shown(page, [
      [leadsQuery(3, WINDOW).queryKey, leads()],
      [alertsOfLeadQuery(3, lead().identity).queryKey, []],
    ]);
    await userEvent.click(screen.getByRole("button", { name: /^handled: / }));
    await userEvent.type(screen.getByLabelText("what was done about it"), "called the console");
    await userEvent.click(screen.getByRole("button", { name: "look again" }));
    expect(screen.getByRole("heading", { level: 1 }).textContent).toContain("blocks 41 sessions");
    expect(screen.getByLabelText<HTMLInputElement>("what was done about it").value).toBe("called the console");
  });
});

describe("a lead in words", () => {
  it("is Markdown with its chain, its root and the statement to run", () => {
    const text = asMarkdown(lead(), "https://faena.example/x");
    expect(text).toContain("3. Pid 4411 is idle in transaction.");
    expect(text).toContain("- process: `pid 4411`");
    expect(text).toContain("- not the root's own work: it ran nothing");
    expect(text).toContain("```sql\nSELECT pg_terminate_backend(4411);\n```");
    expect(text).toContain("https://faena.example/x");
  });

  it("names of its root only what is known", () => {
    const nothing = { statement: "", program: "", table: "", index: "", column: "", pid: null, object: "" };
    expect(rootFacts(nothing)).toEqual([]);
    expect(rootFacts({ ...nothing, column: "email", index: "booking_email" }).map(([name]) => name)).toEqual([
      "column",
      "index",
    ]);
  });

  it.each([
    ["SELECT 1;  -- frees 38", { sql: "SELECT 1;", words: "frees 38" }],
    ["CREATE INDEX CONCURRENTLY ON a (b);", { sql: "CREATE INDEX CONCURRENTLY ON a (b);", words: "" }],
    ["page by the last key seen", { sql: "", words: "page by the last key seen" }],
    ["SET work_mem higher for this program", { sql: "", words: "SET work_mem higher for this program" }],
  ])("tells SQL from words", (next, parts) => {
    expect(stepParts(next)).toEqual(parts);
  });

  it("loses nothing of what there is to do", () => {
    fc.assert(
      fc.property(fc.string(), (text) => {
        const { sql, words } = stepParts(text);
        return text.replaceAll(/[\s;-]/g, "") === `${sql}${words}`.replaceAll(/[\s;-]/g, "");
      }),
    );
  });
});

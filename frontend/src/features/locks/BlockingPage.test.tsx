import { cleanup, screen, within } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { afterEach, describe, expect, it, vi } from "vitest";

import type { Schemas } from "../../api/client";
import { shown } from "../../testing/shown";
import { BlockingPage } from "./BlockingPage";
import { episodeKey, lanesOf } from "./model";
import type { BlockingSearch } from "./locks.route";

afterEach(cleanup);

type Episode = Schemas["EpisodeOut"];

const session = (pid: number, program: string) =>
  ({ pid, program, started_s: 1, user: program, client: "", statement: "", query_id: null }) as never;

const episode = (pid: number, program: string, change: Partial<Episode> = {}): Episode =>
  ({
    ...{ pid, started_s: 1, gid: "", start: 100_000 * pid, end: 100_000 * pid + 60_000, worst: 100_000 * pid + 5000 },
    ...{ state: "idle in transaction", lost_s: 60, waiters: 3, depth: 1, outside: false, share: null, pattern: null },
    ...{ session: session(pid, program), parties: [], held: null },
    ...change,
  }) as unknown as Episode;

const HELD = { object: "row of deck_slot", which: "(0,3)" } as never;
const CONSOLE = episode(7, "ops-console", { lost_s: 300, waiters: 8, held: HELD });
const PLANNER = episode(9, "crew-planner", { depth: 2 });

async function page(search: BlockingSearch = {}, found: Partial<Schemas["BlockingOut"]> = {}) {
  const onSearch = vi.fn();
  const blocking = {
    ...{ episodes: [CONSOLE, PLANNER], more: 0, lost_s: 360, most: 8, ticks: 100, objects: [] },
    ...{ by_statement: [], by_program: [], by_table: [], by_mode: [] },
    ...found,
  };
  vi.stubGlobal("fetch", () => new Promise(() => undefined));
  await shown(<BlockingPage server={3} search={{ last: 900, ...search }} onSearch={onSearch} />, [
    [["blocking", 3, { last: 900 }, []], blocking],
  ]);
  vi.unstubAllGlobals();
  return onSearch;
}

const chains = () =>
  within(screen.getByRole("table", { name: "blocking chains" }))
    .getAllByRole("row")
    .slice(1);

describe("blocking", () => {
  it("says first who blocked most, and lists every chain with what it cost and what it was over", async () => {
    await page();
    expect(screen.getByRole("heading", { level: 1 }).textContent).toBe(
      "8 sessions waited 5 min in all, blocked by ops-console (pid 7), idle in transaction, for row (0,3) of deck_slot. That is 83% of all lock waiting in this window.",
    );
    const [first, second] = chains().map((row) => row.textContent);
    expect(first).toContain("ops-console");
    expect(first).toContain("5 min");
    expect(first).toContain("row of deck_slot");
    expect(second).toContain("not known");
  });

  it("shows the chain that was chosen, and another by a press", async () => {
    const onSearch = await page({ root: episodeKey(PLANNER) });
    expect(chains().map((row) => row.getAttribute("aria-current"))).toEqual([null, "true"]);
    await userEvent.click(screen.getByRole("button", { name: "ops-console" }));
    expect(onSearch).toHaveBeenCalledExactlyOnceWith({ root: episodeKey(CONSOLE), at: String(CONSOLE.worst) });
  });

  it("claims that nobody waited only of a window that was sampled", async () => {
    await page({}, { episodes: [], lost_s: 0, ticks: 100 });
    expect(screen.getByRole("heading", { level: 1 }).textContent).toBe("No session waited for a lock in this window.");
    cleanup();
    await page({}, { episodes: [], lost_s: 0, ticks: 0 });
    expect(screen.getByRole("heading", { level: 1 }).textContent).toContain("Nothing was sampled");
  });
});

describe("lanes of a chain", () => {
  const stretch = { first: 0, last: 5000, ticks: 6, kind: "lock", active: true, wait: "", query_id: null };
  const lane = (pid: number, depth: number, blocker: number) =>
    ({
      ...{ session: session(pid, "web"), depth },
      stretches: [{ ...stretch, blocker, wait_label: "Lock: tuple" }],
    }) as unknown as Schemas["LaneOut"];

  it("say in words who blocks whom, and mark the root, which a circle has not", () => {
    const [root, waits] = lanesOf([lane(7, 0, 0), lane(9, 1, 7)], false);
    expect([root?.root, waits?.root]).toEqual([true, false]);
    expect([root?.parts[0]?.words, waits?.parts[0]?.words]).toEqual(["Lock: tuple", "Lock: tuple, blocked by pid 7"]);
    expect(lanesOf([lane(7, 0, 9)], true)[0]?.root).toBe(false);
  });
});

import { describe, expect, it } from "vitest";

import type { Schemas } from "../../api/client";
import { live } from "../../testing/sessions";
import {
  alike,
  blockingSentence,
  chosenEpisode,
  episodeKey,
  episodeSentence,
  linkWords,
  outsideWords,
  ranWords,
  rootWords,
} from "./model";

const episode = (more: Partial<Schemas["EpisodeOut"]> = {}): Schemas["EpisodeOut"] => ({
  pid: 7,
  started_s: 100,
  session: live(7, { program: "ops-console", state: "idle in transaction", active: false }),
  state: "idle in transaction",
  gid: "",
  start: 0,
  end: 60_000,
  worst: 5000,
  parties: [],
  pattern: null,
  lost_s: 200,
  most: 14,
  waiters: 14,
  depth: 1,
  held: null,
  share: 0.001,
  outside: true,
  ...more,
});

describe("sentences", () => {
  it("name the worst chain, its root and its share", () => {
    const found = {
      start: 0,
      end: 1,
      ticks: 60,
      tick_s: 1,
      lost_s: 400,
      most: 14,
      more: 0,
      by_statement: [],
      by_program: [],
      by_table: [],
      by_mode: [],
      objects: [],
      episodes: [episode(), episode({ start: 1, lost_s: 200 })],
    };
    expect(blockingSentence(found)).toBe(
      "14 sessions waited 3 min 20 s in all, blocked by ops-console (pid 7), idle in transaction. That is 50% of all lock waiting in this window.",
    );
    expect(blockingSentence({ ...found, lost_s: 0, episodes: [] })).toContain("No session waited");
  });

  it("show a circle as a circle: who waits for whom, without a root", () => {
    const parties = [live(3, { program: "rebooking" }), live(5, { program: "rebooking" })];
    const circle = episode({ state: "in a circle", session: null, pid: 3, parties, waiters: 3, lost_s: 4 });
    expect(rootWords(circle)).toBe("circle of rebooking (pid 3) and rebooking (pid 5)");
    expect(episodeSentence(circle)).toBe(
      "rebooking (pid 3) and rebooking (pid 5) wait in a circle, each for what the next one holds, and 1 session blocked by them: 4 s in all.",
    );
  });

  it("say that a root is outside the usual traffic, and that a prepared transaction has no session", () => {
    expect(outsideWords(episode())).toBe(
      "Outside the usual traffic: ops-console as web from 127.0.0.9 makes up 0.1% of the load around it.",
    );
    expect(outsideWords(episode({ outside: false }))).toBe("");
    expect(outsideWords(episode({ state: "prepared transaction", session: null }))).toContain("no session");
  });

  it("tell a lock from a place in line", () => {
    const edge = {
      waiter: 8,
      blocker: 7,
      lock_type: "relation",
      object: "table fare",
      which: "",
      table: "fare",
      mode_wanted: "AccessShareLock",
      mode_held: "",
      via: "queue",
      gid: "",
      waited_ms: 2000,
    };
    const link = { pid: 8, depth: 1, behind: 0, session: null, edge, wants: "read it", holds: "asked first" };
    expect(linkWords(link)).toBe(
      "waits for 2 s to read table fare; it is only queued: the session ahead asked first and does not hold the lock yet",
    );
    const held = {
      ...link,
      holds: "has changed or locked the row",
      wants: "change or lock a row that another transaction has",
      edge: { ...edge, via: "holder", object: "row of sailing", which: "(0,3)" },
    };
    expect(linkWords(held)).toContain("(row (0,3) of sailing); the one ahead has changed or locked the row");
  });
});

describe("alike", () => {
  it("tells those once that do the same behind the same one, and never hides one that others stand behind", () => {
    const link = (pid: number, depth: number, behind: number, blocker: number) => ({
      pid,
      depth,
      behind,
      wants: "",
      holds: "",
      session: live(pid, { program: "web", query_id: "5" }),
      edge: depth
        ? {
            waiter: pid,
            blocker,
            lock_type: "",
            object: "row of sailing",
            which: "",
            table: "",
            mode_wanted: "",
            mode_held: "",
            via: "holder",
            gid: "",
            waited_ms: 1,
          }
        : null,
    });
    const rows = alike([
      link(1, 0, 5, 0),
      link(2, 1, 1, 1),
      link(3, 2, 0, 2),
      link(4, 1, 0, 1),
      link(5, 1, 0, 1),
      link(6, 1, 0, 1),
    ]);
    expect(rows.map((row) => [row.link.pid, row.more])).toEqual([
      [1, 0],
      [2, 0],
      [3, 0],
      [4, 2],
    ]);
  });
});

describe("what a transaction ran", () => {
  const one = { query_id: "1", text: "UPDATE deck_slot", first: 0, last: 9, busy_s: 0, logged: 0, took_ms: 0 };

  it("is told by the log first, then by samples", () => {
    expect(ranWords({ ...one, logged: 1, took_ms: 1200, busy_s: 1 })).toBe("1.2 s by the log");
    expect(ranWords({ ...one, logged: 3, took_ms: 90 })).toBe("3 times, 90 ms by the log");
    expect(ranWords({ ...one, busy_s: 4 })).toBe("seen at work for 4 s");
  });

  it("that is only named by the idle session is its last", () => {
    expect(ranWords(one)).toBe("its last statement");
  });
});

describe("the chain that was chosen", () => {
  const one = (pid: number, start: number) => ({ pid, started_s: 5, start }) as Schemas["EpisodeOut"];
  const all = [one(7, 9000), one(7, 3000), one(8, 1000)];

  it("is found again when the window begins within it, and is of the same session", () => {
    expect(chosenEpisode(all, episodeKey(one(7, 3000)))).toBe(all[1]);
    expect(chosenEpisode(all, "7-5-2500")).toBe(all[1]);
    expect(chosenEpisode(all, "8-5-7000")).toBe(all[2]);
  });

  it("is the first where none was chosen, or the one that was is not in this window", () => {
    for (const name of [undefined, "", "9-5-1000", "7-6-3000", "nonsense"])
      expect(chosenEpisode(all, name)).toBe(all[0]);
    expect(chosenEpisode([], "7-5-3000")).toBeUndefined();
  });
});

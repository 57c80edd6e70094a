import { describe, expect, it } from "vitest";

import { keyOf } from "../../charts/sessions";
import { live } from "../../testing/sessions";
import { afterWords, endFacts } from "./ending";
import { arranged, nowSentence } from "./model";

describe("arranged", () => {
  const [first, second, third] = [
    live(1),
    live(2, { blocks: 3, program: "console" }),
    live(3, { statement: "UPDATE sailing" }),
  ];
  const all = [first, second, third];

  it("puts who blocks most first", () => {
    expect(arranged(all, "", null).map((one) => one.pid)).toEqual([2, 3, 1]);
    expect(arranged([live(8, { transaction_ms: 5 }), live(9, { transaction_ms: 50 })], "", null)[0]?.pid).toBe(9);
  });

  it("filters by words or by a pid, never losing the one that is followed", () => {
    expect(arranged(all, "sailing", null).map((one) => one.pid)).toEqual([3]);
    expect(arranged(all, "2", null).map((one) => one.pid)).toEqual([2]);
    expect(arranged(all, "nothing", keyOf(first)).map((one) => one.pid)).toEqual([1]);
  });
});

describe("sentences", () => {
  it("say how many wait and behind whom", () => {
    const sessions = [
      live(7, { active: false, state: "idle in transaction", blocks: 2, program: "console" }),
      live(8, { kind: "lock" }),
      live(9),
    ];
    expect(nowSentence(sessions)).toBe(
      "2 sessions are active, 1 of them wait for locks; 1 idles inside a transaction. 2 sessions are blocked by console (pid 7, idle in transaction).",
    );
    expect(nowSentence([])).toBe("0 sessions are active, none waits for a lock; 0 idle inside a transaction.");
  });
});

describe("ending", () => {
  it("says what is lost and who goes on", () => {
    const facts = endFacts(
      live(7, { transaction_ms: 600_000, blocks: 4, active: false, state: "idle in transaction" }),
    ).join(" ");
    expect(facts).toContain("open for 10 min");
    expect(facts).toContain("4 sessions are blocked by it");
    expect(facts).toContain("runs nothing");
    const done = {
      at: 1,
      by: "op",
      what: "session",
      pid: 7,
      program: "x",
      user: "x",
      client: "",
      query_id: null,
      reason: "r",
      answer: "a",
      freed: [1, 2],
      still: [3],
    };
    expect(afterWords(done)).toBe("2 sessions that it blocked go on. 1 still wait.");
  });
});

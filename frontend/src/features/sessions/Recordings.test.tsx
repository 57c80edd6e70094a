import { screen, within } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { describe, expect, it } from "vitest";

import type { Schemas } from "../../api/client";
import { answering, json, refused } from "../../testing/answering";
import { shown } from "../../testing/shown";
import { Recordings } from "./Recordings";
import { recordingQuery, recordingsQuery } from "./queries";

const START = 1_790_000_000_000;
const recording = (more: Partial<Schemas["RecordingOut"]> = {}): Schemas["RecordingOut"] => ({
  ...{ id: 9, by: "olga", start: START, end: START + 300_000, pid: 412, program: "fare-engine", started_s: 100 },
  ...more,
});
const wait = (label: string, count: number, ticks: number, longest: number): Schemas["WaitSumOut"] => ({
  ...{ label, count, ticks, longest, wait: label, kind: "lock", meaning: `It was at ${label}.`, hint: "" },
});
const recorded = (more: Partial<Schemas["RecordedOut"]> = {}): Schemas["RecordedOut"] => ({
  ...{ recording: recording(), now: START + 120_000, tick_ms: 100, ticks: 1200, seen: 800 },
  waits: [wait("disk read", 40, 60, 4), wait("lock on a row", 3, 700, 650)],
  ...more,
});
const open = (rows = [recording()], canAct = true, found = recorded()) =>
  shown(<Recordings server={3} canAct={canAct} />, [
    [recordingsQuery(3).queryKey, rows],
    [recordingQuery(3, 9).queryKey, found],
  ]);

describe("recordings of sessions", () => {
  it("tell what one session waited for, what took longest first, and how long they go on", async () => {
    await open();
    expect(screen.queryByRole("table")).toBeNull();
    const fold = screen.getByRole("button", { name: /next session of fare-engine/ });
    await userEvent.click(fold);
    expect(fold.getAttribute("aria-expanded")).toBe("true");
    expect(document.body.textContent).toContain("pid 412 was seen at 800 of 1200 samples");
    expect(document.body.textContent).toContain("3 min to go");
    const rows = within(screen.getByRole("table")).getAllByRole("row").slice(1);
    expect(rows.map((one) => within(one).getAllByRole("cell")[0]?.textContent)).toEqual(["lock on a row", "disk read"]);
    expect(rows[0]?.textContent).toContain("1 min 10 s");
    await userEvent.click(fold);
    expect(screen.queryByRole("table")).toBeNull();
  });

  it("say that no session of the program has come, rather than that it waited for nothing", async () => {
    const none = recording({ pid: null });
    await open([none], true, recorded({ recording: none, waits: [], seen: 0, now: none.end }));
    await userEvent.click(screen.getByRole("button", { name: /fare-engine/ }));
    expect(document.body.textContent).toContain("No new session of this program has come yet.");
    expect(document.body.textContent).not.toContain("to go");
  });

  it("begin for a program that is named, and the new one is opened", async () => {
    const sent = answering([json(recording())], (path) => json(path.endsWith("/9") ? recorded() : [recording()]));
    await open([]);
    expect(document.body.textContent).toContain("None yet.");
    const begin = screen.getByRole<HTMLButtonElement>("button", { name: "record 5 min" });
    expect(begin.disabled).toBe(true);
    await userEvent.type(screen.getByLabelText("program to record"), "fare-engine");
    await userEvent.click(begin);
    expect(await screen.findByRole("table")).toBeTruthy();
    expect(sent).toEqual([
      {
        ...{ method: "POST", path: "/api/v1/servers/3/recordings" },
        body: { program: "fare-engine", confirmed: false, minutes: 5 },
      },
    ]);
  });

  it("that the server refuses say why, with the program still written", async () => {
    answering([refused("four recordings are running; one must end first")]);
    await open();
    await userEvent.type(screen.getByLabelText("program to record"), "gate-scan");
    await userEvent.click(screen.getByRole("button", { name: "record 5 min" }));
    expect((await screen.findByRole("alert")).textContent).toContain("one must end first");
    expect(screen.getByLabelText<HTMLInputElement>("program to record").value).toBe("gate-scan");
  });

  it("are read by viewers, who begin none", async () => {
    await open([recording()], false);
    expect(screen.getByRole("button", { name: /fare-engine/ })).toBeTruthy();
    expect(screen.queryByLabelText("program to record")).toBeNull();
  });
});

import { cleanup, fireEvent, screen, waitFor } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { afterEach, describe, expect, it, vi } from "vitest";

import type { Schemas } from "../../api/client";
import { serversQuery } from "../../api/queries";
import { shown } from "../../testing/shown";
import { AlertPage } from "./AlertPage";
import { AlertsPage, sentence } from "./AlertsPage";
import { ConditionsPage } from "./ConditionsPage";
import { Editor, read } from "./Editor";
import { Mutes, mutedWords } from "./Mutes";
import { firstSpan, readHours } from "./Reach";
import { type Trouble, TroublesPage, sentence as troublesWords, troublesQuery } from "./TroublesPage";
import { Ways, fared, leadsTo } from "./Ways";
import {
  type Alert,
  type Condition,
  type Way,
  alertQuery,
  alertsQuery,
  bodyOf,
  conditionsQuery,
  mutesQuery,
  waysQuery,
} from "./queries";

afterEach(() => {
  cleanup();
  vi.restoreAllMocks();
});

const AT = 1_790_000_000_000;
const alert = (more: Partial<Alert> = {}): Alert => ({
  ...{ id: 4, headline: "pier-1: A transaction left open", severity: "now", severity_label: "look at it now" },
  ...{ began: AT, fired: AT + 60_000, over: null, state: "unread", state_at: 0, state_by: "", snoozed_until: null },
  ...{ muted: false, sent: 2, waiting: 0, comments: 0, may_act: true },
  firings: [
    {
      ...{ condition_id: 2, condition: "Sessions blocked", server_id: 3, server: "pier-1", began: AT, fired: AT },
      ...{ over: null, worst: 14, usual: null, sentence: "Sessions blocked on pier-1: 14 sessions" },
    },
  ],
  ...more,
});
const condition: Condition = {
  ...{ id: 2, name: "Sessions blocked", builtin: true, signal: "blocked", signal_label: "sessions blocked", kinds: [] },
  ...{ level: 3, clears: 1, below: false, of_usual: false, for_ms: 60_000, clear_ms: 180_000, schedule: [] },
  ...{ time_zone: "Europe/Lisbon", severity: "now", severity_label: "look at it now", servers: [3], groups: ["north"] },
  ...{ ways: [7], close_watch_minutes: 0, enabled: true, in_words: "3 sessions or more for 1 min", firing: ["pier-1"] },
};
const way: Way = {
  ...{ id: 7, name: "the office", kind: "email", has_secret: false, enabled: true, last_what: "began" },
  ...{ last_state: "waiting", last_at: AT, last_error: "mail.pier.example: refused" },
  settings: { host: "mail.pier.example", port: 25, to: ["dba@pier.example", "second@pier.example"] },
};

const answered = (body: unknown): Request[] => {
  const sent: Request[] = [];
  vi.spyOn(globalThis, "fetch").mockImplementation((request) => {
    sent.push(request as Request);
    const told = (request as Request).method === "GET" ? [] : body;
    return Promise.resolve(new Response(JSON.stringify(told), { headers: { "Content-Type": "application/json" } }));
  });
  return sent;
};

describe("alerts over all servers", () => {
  const open = (rows: readonly Alert[], became?: string) =>
    shown(<AlertsPage search={became ? { became } : {}} onSearch={() => undefined} />, [
      [alertsQuery(became ?? "").queryKey, rows],
    ]);

  it("say how many go on and how many nobody has read", () => {
    expect(sentence([])).toBe("Alerts");
    expect(sentence([alert(), alert({ over: AT, state: "handled" })])).toBe("1 alert goes on, 1 unread.");
    expect(sentence([alert({ over: AT })])).toBe("Nothing fires now, 1 unread.");
    expect(sentence([alert({ over: AT, state: "handled" })], "handled")).toBe(
      "1 alert handled, none of which goes on.",
    );
    expect(sentence([alert(), alert()], "snoozed")).toBe("2 alerts snoozed, 2 of which go on.");
    expect(sentence(Array.from({ length: 500 }, () => alert({ over: AT, state: "handled" })))).toBe(
      "Of the newest 500 none goes on, 0 are unread.",
    );
  });

  it("that are none claim no more than that no condition held", async () => {
    await open([]);
    expect(document.body.textContent).toContain("No condition has held yet on the servers you see.");
    cleanup();
    await open([], "snoozed");
    expect(document.body.textContent).toContain("No alert is snoozed.");
  });

  it("tell of notices that nobody has taken, and of muted ones", async () => {
    await open([alert({ waiting: 1 }), alert({ id: 5, muted: true })]);
    expect(document.body.textContent).toContain("1 not taken yet");
    expect(document.body.textContent).toContain("muted");
  });

  it("are acknowledged by whoever may act on them", async () => {
    await open([alert({ may_act: false })]);
    expect(screen.queryByRole("button", { name: /^acknowledge/ })).toBeNull();
    cleanup();
    const sent = answered({});
    await open([alert()]);
    fireEvent.click(screen.getByRole("button", { name: /^acknowledge: pier-1/ }));
    await waitFor(() => expect(sent.some((one) => one.method === "PUT")).toBe(true));
    const put = sent.find((one) => one.method === "PUT");
    expect(put?.url).toContain("/api/v1/alerts/4/state");
    expect(await put?.json()).toEqual({ state: "acknowledged", until: 0 });
  });
});

describe("one alert", () => {
  const page = (more: Partial<Schemas["AlertPageOut"]> = {}): Schemas["AlertPageOut"] => ({
    ...{ alert: alert(), when: "Since 09:20:00.", lead: "A transaction left open", chain: ["38 sessions wait"] },
    ...{ next_step: "End pid 4411.", changes: [], server: 3, start: AT - 300_000, end: AT, said: [], times: 3 },
    ...{ picture: "data:image/png;base64,iVBORw0KGgo=", picture_says: "load of pier-1 in this window" },
    notices: [
      {
        ...{ way: "the office", what: "began", state: "waiting", made: AT, sent: null, next: AT + 10_000, tries: 2 },
        error: "mail.pier.example: refused",
      },
    ],
    ...more,
  });
  const open = (told: Schemas["AlertPageOut"], role = "operator") =>
    shown(<AlertPage id={4} role={role} />, [[alertQuery(4).queryKey, told]]);

  it("opens the very window it tells of, with the chain as it was found then", async () => {
    await open(page());
    const link = screen.getByRole("link", { name: "open its window" });
    expect(link.getAttribute("href")).toBe(`/servers/3/leads?from=${AT - 300_000}&to=${AT}`);
    expect(screen.getByText("38 sessions wait")).toBeTruthy();
    expect(document.body.textContent).toContain("The same fired 3 times in 30 days.");
  });

  it("shows the load as its mail showed it", async () => {
    await open(page());
    expect(screen.getByRole<HTMLImageElement>("img", { name: "load of pier-1 in this window" }).src).toContain("iVBOR");
  });

  it("is acknowledged and commented on by whoever may act on it, and kept in a case by operators of all", async () => {
    await open(page(), "viewer");
    expect(screen.getByRole("button", { name: /^acknowledge/ })).toBeTruthy();
    expect(screen.getByRole("button", { name: "comment" })).toBeTruthy();
    expect(screen.queryByRole("button", { name: /case of it/ })).toBeNull();
    cleanup();
    await open(page({ alert: alert({ may_act: false }) }), "viewer");
    expect(screen.queryByRole("button", { name: /^acknowledge|comment/ })).toBeNull();
  });

  it("does not call a notice refused that nobody has tried to send yet", async () => {
    const fresh = {
      way: "the office",
      what: "began",
      state: "waiting",
      made: AT,
      sent: null,
      next: AT,
      tries: 0,
      error: "",
    };
    await open(page({ notices: [fresh] }));
    expect(document.body.textContent).toContain("began by the office: on its way");
    expect(document.body.textContent).not.toContain("not taken");
  });

  it("says which way did not take its notice, and why", async () => {
    await open(page());
    expect(document.body.textContent).toContain("mail.pier.example: refused");
    cleanup();
    await open(page({ notices: [], alert: alert({ muted: true }) }));
    expect(document.body.textContent).toContain("Nobody: it is muted.");
  });
});

describe("conditions", () => {
  const open = (role = "operator") =>
    shown(<ConditionsPage role={role} />, [
      [conditionsQuery.queryKey, [condition]],
      [waysQuery.queryKey, [way]],
    ]);

  it("are tried on the past, and each time leads to its window", async () => {
    answered({
      many: 1,
      known: 0.5,
      times: [{ server: "pier-1", server_id: 3, began: AT, fired: AT, over: AT + 60_000 }],
    });
    await open("viewer");
    fireEvent.click(screen.getByRole("button", { name: "try on two weeks: Sessions blocked" }));
    await screen.findByText(/would have fired 1 time; 50% of that time is known/);
    expect(screen.getAllByRole("link").some((one) => one.getAttribute("href")?.startsWith("/servers/3/load"))).toBe(
      true,
    );
  });

  it("are switched and changed by operators alone", async () => {
    await open("viewer");
    expect(screen.queryByRole("checkbox")).toBeNull();
    cleanup();
    const sent = answered(condition);
    await open();
    fireEvent.click(screen.getByRole("checkbox", { name: "Sessions blocked is on" }));
    await waitFor(() => expect(sent.some((one) => one.url.endsWith("/conditions/2/switch"))).toBe(true));
  });

  it("keep in their form what it does not show", () => {
    const form = new FormData();
    for (const [name, value] of Object.entries({
      name: " Waiting ",
      signal: "waiting",
      level: "4.5",
      clears: "2",
      for: "0.5",
    }))
      form.set(name, value);
    form.set("clear", "3");
    form.set("severity", "soon");
    form.set("groups", "north, , south");
    form.append("has-ways", "yes");
    form.append("way", "7");
    form.append("way", "9");
    const told = read(form, bodyOf(condition));
    expect(told).toMatchObject({ name: "Waiting", signal: "waiting", level: 4.5, for_ms: 30_000, clear_ms: 180_000 });
    expect(told).toMatchObject({ groups: ["north", "south"], ways: [7, 9], time_zone: "Europe/Lisbon", servers: [3] });
  });
});

describe("a condition's form", () => {
  it("says beside the field why it was refused", async () => {
    vi.spyOn(globalThis, "fetch").mockImplementation((request) => {
      const wrong = { type: "bad_input", title: "Bad input", detail: "the level is a positive number", field: "level" };
      const put = (request as Request).method === "PUT";
      return Promise.resolve(
        new Response(JSON.stringify(put ? wrong : []), {
          status: put ? 400 : 200,
          headers: { "Content-Type": put ? "application/problem+json" : "application/json" },
        }),
      );
    });
    await shown(<Editor of={condition} onDone={() => undefined} />);
    fireEvent.click(screen.getByRole("button", { name: "save" }));
    const why = await screen.findByRole("alert");
    expect(why.textContent).toBe("the level is a positive number");
    expect(screen.getByLabelText("level").getAttribute("aria-invalid")).toBe("true");
    expect(screen.getByLabelText("level at which it is over").getAttribute("aria-invalid")).toBe("false");
    expect(why.parentElement?.contains(screen.getByLabelText("level"))).toBe(true);
  });
});

describe("where and when a condition is looked at", () => {
  const form = (entries: readonly (readonly [string, string])[]): FormData => {
    const made = new FormData();
    for (const [name, value] of entries) made.append(name, value);
    return made;
  };

  it("is always where no hour is chosen, and all of the day where only days are", () => {
    expect(readHours(form([["hours-from", ""]]), [])).toEqual([]);
    expect(
      readHours(
        form([
          ["day", "0"],
          ["day", "4"],
        ]),
        [],
      ),
    ).toEqual([{ days: [0, 4], from: "00:00", to: "24:00" }]);
    const [everyDay] = readHours(
      form([
        ["hours-from", "08:00"],
        ["hours-to", "18:00"],
      ]),
      [],
    );
    expect(everyDay).toEqual({ days: [0, 1, 2, 3, 4, 5, 6], from: "08:00", to: "18:00" });
  });

  it("keeps several spans, which the form cannot show", () => {
    const two = [
      { days: [0], from: "08:00", to: "12:00" },
      { days: [1], from: "08:00", to: "12:00" },
    ];
    expect(readHours(form([]), two)).toEqual(two);
    expect(firstSpan(two)).toEqual({ days: [0], from: "08:00", to: "12:00" });
    expect(firstSpan([{ days: "x" }])).toEqual({ days: [], from: "", to: "" });
  });

  it("takes servers, kinds and ways only from a form that had them to choose from", () => {
    const before = bodyOf(condition);
    expect(read(form([["has-servers", "yes"]]), before).servers).toEqual([]);
    expect(read(form([["server", "9"]]), before).servers).toEqual([3]);
    expect(
      read(
        form([
          ["has-kinds", "yes"],
          ["kind", "spill"],
        ]),
        before,
      ).kinds,
    ).toEqual(["spill"]);
    expect(read(form([["kind", "spill"]]), before).kinds).toEqual([]);
    const told = { ...before, ways: [7] };
    expect(read(form([]), told).ways).toEqual([7]); // the list of ways is on its way still
    expect(read(form([["has-ways", "yes"]]), told).ways).toEqual([]);
  });
});

describe("ways", () => {
  it("say where they lead and how the last notice fared", () => {
    expect(leadsTo(way)).toBe("mails to dba@pier.example, second@pier.example by mail.pier.example:25");
    expect(leadsTo({ kind: "webhook", settings: { url: "https://pier.example/x" } })).toBe(
      "calls https://pier.example/x",
    );
    expect(fared(way)).toMatch(/^last one waits .*: mail\.pier\.example: refused$/);
    expect(fared({ last_at: null, last_state: null, last_error: "" })).toBe("nothing was sent by it yet");
  });
});

describe("a way", () => {
  it("is removed with its secret only when that is meant, and says why it was not", async () => {
    const sent: Request[] = [];
    vi.spyOn(globalThis, "fetch").mockImplementation((request) => {
      sent.push(request as Request);
      const told = { type: "urn:faena:x", title: "No", detail: "the store is away" };
      const headers = { "Content-Type": "application/problem+json" };
      return Promise.resolve(new Response(JSON.stringify(told), { status: 503, headers }));
    });
    await shown(<Ways admin />, [[waysQuery.queryKey, [way]]]);
    await userEvent.click(screen.getByRole("button", { name: `remove ${way.name}` }));
    await userEvent.click(screen.getByRole("button", { name: `leave ${way.name}` }));
    expect(sent).toEqual([]);
    await userEvent.click(screen.getByRole("button", { name: `remove ${way.name}` }));
    await userEvent.click(screen.getByRole("button", { name: `remove ${way.name} for good` }));
    expect(sent.map((one) => one.method)).toEqual(["DELETE"]);
    expect((await screen.findByRole("alert")).textContent).toContain("the store is away");
  });
});

describe("what is muted", () => {
  const mute = { id: 6, server: "pier-1", condition: null, until: AT + 3_600_000, by: "ada", reason: "a rebuild" };
  const open = (canAct: boolean, rows: readonly unknown[]) =>
    shown(<Mutes canAct={canAct} />, [
      [mutesQuery.queryKey, rows],
      [conditionsQuery.queryKey, [condition]],
      [serversQuery.queryKey, { servers: [{ id: 3, name: "pier-1" }] }],
    ]);

  it("says of what nobody is told, by whom and why", async () => {
    expect(mutedWords({ condition: "Sessions blocked", server: null })).toBe("Sessions blocked on all servers");
    await open(false, [mute]);
    expect(document.body.textContent).toContain("everything on pier-1, until");
    expect(document.body.textContent).toContain("by ada: a rebuild");
    expect(screen.queryByRole("button")).toBeNull();
    cleanup();
    await open(false, []);
    expect(document.body.textContent).toContain("Nothing is muted");
  });

  it("is muted for some hours and told again", async () => {
    const sent = answered([mute]);
    await open(true, [mute]);
    fireEvent.click(screen.getByRole("button", { name: "tell again: everything on pier-1" }));
    await waitFor(() => expect(sent.some((one) => one.method === "DELETE" && one.url.endsWith("/mutes/6"))).toBe(true));
    fireEvent.click(screen.getByRole("button", { name: "mute it" }));
    expect(sent.some((one) => one.method === "POST")).toBe(false); // not all of it, before anything is chosen
    await userEvent.selectOptions(screen.getByLabelText("condition"), "everything");
    await userEvent.selectOptions(screen.getByLabelText("on"), "pier-1");
    fireEvent.change(screen.getByLabelText("for"), { target: { value: "4" } });
    fireEvent.change(screen.getByLabelText("because"), { target: { value: "a rebuild" } });
    fireEvent.click(screen.getByRole("button", { name: "mute it" }));
    await waitFor(() => expect(sent.some((one) => one.method === "POST")).toBe(true));
    const body = (await sent.find((one) => one.method === "POST")?.json()) as { until: number };
    expect(body).toMatchObject({ server: 3, condition: null, reason: "a rebuild" });
    expect(Math.abs(body.until - (Date.now() + 4 * 3_600_000))).toBeLessThan(60_000);
  });
});

describe("troubles of all servers", () => {
  it("are counted as what they are: all, some, or the newest", () => {
    expect(troublesWords([])).toBe("Troubles of two weeks");
    const read = { unread: false } as Trouble;
    expect(troublesWords([read], true)).toBe("1 such trouble in two weeks, all dealt with.");
    expect(troublesWords(Array.from({ length: 500 }, () => read))).toBe(
      "500 troubles or more in two weeks, all dealt with.",
    );
  });

  const trouble = (more: Partial<Trouble> = {}): Trouble => ({
    ...{ kind: "lead", kind_label: "lead", key: "abc", server: 3, server_name: "pier-1", title: "A spill" },
    ...{
      first: AT,
      last: AT,
      times: 3,
      state: "open",
      unread: true,
      hours: Array.from({ length: 24 }, (_, h) => (h === 3 ? 3 : 0)),
    },
    ...more,
  });
  const open = (rows: readonly Trouble[]) =>
    shown(<TroublesPage search={{}} onSearch={() => undefined} />, [
      [troublesQuery("", "").queryKey, rows],
      [serversQuery.queryKey, { servers: [] }],
    ]);

  it("lead to where each is seen, and say when in the day they come", async () => {
    await open([
      trouble(),
      trouble({ kind: "pattern", key: "p1", title: "Two sailings", unread: false, state: "handled" }),
    ]);
    expect(document.body.textContent).toContain("2 troubles in two weeks, 1 not dealt with.");
    expect(screen.getByRole("link", { name: "A spill" }).getAttribute("href")).toContain("/servers/3/leads?");
    expect(screen.getByRole("link", { name: "Two sailings" }).getAttribute("href")).toContain(
      "/servers/3/deadlocks/p1",
    );
    expect(screen.getAllByLabelText("most at 3:00, 3 of 3 times")).toHaveLength(2);
  });

  it("claim no more than what is known", async () => {
    await open([]);
    expect(document.body.textContent).toContain("No lead, deadlock or alert of these is known in two weeks.");
  });
});

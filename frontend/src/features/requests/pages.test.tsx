import { cleanup, screen, within } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { afterEach, describe, expect, it, vi } from "vitest";

import type { Schemas } from "../../api/client";
import { live } from "../../testing/sessions";
import { shown } from "../../testing/shown";
import { CallsPage } from "./CallsPage";
import { EndpointPage } from "./EndpointPage";
import { EndpointsPage } from "./EndpointsPage";
import { RepeatedPage } from "./RepeatedPage";
import { RequestPage } from "./RequestPage";
import {
  callsQuery,
  endpointQuery,
  endpointsQuery,
  followersQuery,
  notedQuery,
  repeatedQuery,
  requestQuery,
} from "./queries";

afterEach(() => {
  cleanup();
  vi.unstubAllGlobals();
});

const WINDOW = { from: 1_790_000_000_000, to: 1_790_000_900_000 };
const LAYERS = { own: 100, database: 880, cache: 0, external: 20, queue: 0 };
const endpoint = (more: Partial<Schemas["EndpointOut"]> = {}): Schemas["EndpointOut"] => ({
  ...{ id: 4, endpoint: "GET /manifests/{id}", service: "manifest-export", kind: "web", requests: 20, per_second: 0.2 },
  ...{ time_ms: 1000, share: 0.8, mean_ms: 50, p50_ms: 40, p95_ms: 90, p99_ms: null, errors: 1, satisfaction: 0.9 },
  ...{
    target_ms: 500,
    own_target: false,
    layers: LAYERS,
    worst_layer: "database",
    database_share: 0.88,
    statements: 78,
  },
  ...{
    repeated_share: 1,
    versions: [],
    hosts: [],
    verdict: "The database takes 88% of the time; its statements say which.",
  },
  ...{ mean_before_ms: null, per_second_before: null },
  ...more,
});
const noted = (more: Partial<Schemas["NotedOut"]> = {}): Schemas["NotedOut"] => ({
  ...{ endpoint_id: 4, usual_mean_ms: null, usual_per_second: null },
  found: [{ kind: "repeated_statement", label: "repeated statement", detail: "77 runs a request", attribute: null }],
  ...more,
});
const SERIES = {
  ...{
    bucket_ms: 60_000,
    starts: [WINDOW.from, WINDOW.from + 60_000],
    end: WINDOW.to,
    per_second: [0.2, 0],
    errors: [0, 0],
  },
  layers: { own: [5, null], database: [44, null], cache: [0, null], external: [1, null], queue: [0, null] },
};
const endpoints = (more: Partial<Schemas["EndpointsOut"]> = {}): Schemas["EndpointsOut"] => ({
  ...{
    start: WINDOW.from,
    end: WINDOW.to,
    time_ms: 1000,
    requests: 20,
    layers: LAYERS,
    verdict: "The database takes 88%.",
  },
  ...{ endpoints: [endpoint()], series: SERIES, choices: { service: [], version: ["3.0", "3.1"], host: ["a"] } },
  ...{ sources: 1, newest: WINDOW.to },
  ...more,
});
const statement = (more: Partial<Schemas["RequestStatementOut"]> = {}): Schemas["RequestStatementOut"] => ({
  ...{
    id: 7,
    query_id: "77",
    text: "SELECT name FROM passenger WHERE booking_id = ?",
    endpoint_id: 4,
    endpoint: "GET /m",
  },
  ...{
    service: "manifest-export",
    runs: 76,
    requests_share: 1,
    time_ms: 700,
    share: 0.7,
    mean_ms: 2,
    repeated_requests: 20,
  },
  ...{ repeated_runs: 77, repeated_ms: 690, code: "rows.py:88", after: "SELECT id FROM booking" },
  ...more,
});

const overview = (data: Schemas["EndpointsOut"], role = "viewer", onSearch = vi.fn(), notes = noted()) =>
  shown(<EndpointsPage server={3} role={role} search={WINDOW} onSearch={onSearch} />, [
    [endpointsQuery(3, WINDOW, WINDOW as never).queryKey, data],
    [notedQuery(3, WINDOW, WINDOW as never).queryKey, { endpoints: [notes] }],
  ]);

describe("endpoints", () => {
  it("say first how much, then where the time goes and what is found", async () => {
    await overview(endpoints());
    expect(screen.getByRole("heading", { level: 1 }).textContent).toBe("20 requests took 1 s. The database takes 88%.");
    expect(screen.getByRole("list", { name: "time by layer" }).textContent).toContain("database 88%");
    expect(within(screen.getByRole("list", { name: "what is found" })).getByText("repeated statement")).toBeTruthy();
    expect(screen.getByRole("row", { name: /GET \/manifests/ }).textContent).toContain("0.90");
  });

  it("are narrowed by what there is a choice of", async () => {
    const onSearch = vi.fn();
    await overview(endpoints(), "viewer", onSearch);
    expect(screen.queryByRole("button", { name: /host/ })).toBeNull();
    await userEvent.click(screen.getByRole("button", { name: /version/ }));
    await userEvent.click(screen.getByRole("option", { name: "3.0" }));
    expect(onSearch).toHaveBeenCalledWith({ version: "3.0" });
  });

  it("stand beside another time once one is chosen", async () => {
    const onSearch = vi.fn();
    await overview(endpoints(), "viewer", onSearch);
    expect(screen.queryByRole("columnheader", { name: /slower/ })).toBeNull();
    await userEvent.click(screen.getByRole("button", { name: "compared with: nothing" }));
    await userEvent.click(screen.getByRole("option", { name: "a day earlier" }));
    expect(onSearch).toHaveBeenCalledExactlyOnceWith({ than: "day" });
    cleanup();
    const search = { ...WINDOW, than: "day" };
    const rows = [endpoint({ mean_before_ms: 10, per_second_before: 0.21 }), endpoint({ id: 5, endpoint: "GET /new" })];
    await shown(<EndpointsPage server={3} {...{ role: "viewer", search }} onSearch={onSearch} />, [
      [endpointsQuery(3, WINDOW, search as never, "day").queryKey, endpoints({ endpoints: rows })],
      [notedQuery(3, WINDOW, search as never).queryKey, { endpoints: [] }],
    ]);
    expect(screen.getByRole("row", { name: /manifests/ }).textContent).toContain("50 ms–10 ms×5as then");
    expect(screen.getByRole("row", { name: /GET \/new/ }).textContent).toContain("50 ms––not there thennot there then");
  });

  it.each([
    [{ low: 18, middle: 20, high: 24, days: 14 }, "×2.5"],
    [{ low: 38, middle: 45, high: 60, days: 14 }, "as usual"],
    [null, "–"],
  ])("stand against what is usual in these hours", async (usual, words) => {
    await overview(endpoints(), "viewer", vi.fn(), noted({ usual_mean_ms: usual }));
    const cell = within(screen.getByRole("row", { name: /GET \/manifests/ })).getByRole("cell", { name: words });
    if (usual) expect(cell.title || cell.innerHTML).toContain("from 14 earlier days");
  });

  it("are narrowed by an attribute that is typed, and again by all but it", async () => {
    const onSearch = vi.fn();
    await overview(endpoints(), "viewer", onSearch);
    const field = screen.getByRole("combobox", { name: "attribute of requests" });
    await userEvent.type(field, "nonsense{Enter}");
    expect(onSearch).not.toHaveBeenCalled();
    await userEvent.clear(field);
    await userEvent.type(field, "port=Quay = 7{Enter}");
    expect(onSearch).toHaveBeenCalledExactlyOnceWith({ attribute: ["port=Quay = 7"] });
    cleanup();
    const search = { ...WINDOW, attribute: ["port=Quay", "plan=gold"] };
    await shown(<EndpointsPage server={3} {...{ role: "viewer", search }} onSearch={onSearch} />, [
      [endpointsQuery(3, WINDOW, search).queryKey, endpoints()],
      [notedQuery(3, WINDOW, search).queryKey, { endpoints: [] }],
    ]);
    expect(document.body.textContent).toContain("Estimated from the requests that are kept singly");
    await userEvent.click(screen.getByRole("button", { name: "leave out port=Quay" }));
    expect(onSearch).toHaveBeenLastCalledWith({ attribute: ["plan=gold"] });
  });

  it.each([
    [{ newest: null, sources: 0 }, "viewer", "An admin can make one in the settings."],
    [{ newest: null, sources: 0 }, "admin", "make a token in the settings"],
    [{ newest: null, sources: 1 }, "viewer", "Its source has sent no trace yet."],
    [{ newest: WINDOW.from, sources: 1 }, "viewer", "The newest request is of"],
  ])("that are none say why", async (more, role, words) => {
    await overview(endpoints({ endpoints: [], requests: 0, ...more }), role);
    expect(screen.getByRole("heading", { level: 1 }).textContent).toBe("No request in this window.");
    expect(document.body.textContent).toContain(words);
  });
});

describe("one endpoint", () => {
  const page = (more: Partial<Schemas["EndpointPageOut"]> = {}): Schemas["EndpointPageOut"] => ({
    ...{
      now: endpoint(),
      noted: noted({ usual_mean_ms: { low: 18, middle: 20, high: 24, days: 14 } }),
      before: endpoint({ statements: 3, mean_ms: 20 }),
      start: WINDOW.from,
      end: WINDOW.to,
      series: SERIES,
    },
    ...{ statements: [statement()], statements_before: [statement({ id: 9, text: "SELECT at once", runs: 1 })] },
    ...{ calls: [], singles: [], changes: [], choices: { service: ["web"], version: ["3.0", "3.1"], host: [] } },
    ...{ beside_start: WINDOW.from - 900_000, beside_end: WINDOW.from, beside_version: "" },
    ...more,
  });
  const open = (data: Schemas["EndpointPageOut"], role = "viewer") =>
    shown(<EndpointPage server={3} role={role} endpoint={4} search={WINDOW} onSearch={vi.fn()} />, [
      [endpointQuery(3, 4, WINDOW, WINDOW as never).queryKey, data],
    ]);

  it("stands beside what it was in the window before", async () => {
    await open(page());
    expect(document.body.textContent).toContain("statements each78.0 before 3.00");
    expect(document.body.textContent).toContain("mean50 ms before 20 ms ×2.5 of usual (18 ms to 24 ms)");
    expect(screen.getByRole("application", { name: /What a request takes, by layer/ })).toBeTruthy();
    expect(screen.getByRole("button", { name: "beside: the window before" })).toBeTruthy();
    expect(screen.getByRole("button", { name: "version: all" })).toBeTruthy();
    expect(screen.queryByRole("button", { name: /^service/ })).toBeNull();
  });

  it("tells no statements of requests with an attribute, since those are summed up for all", async () => {
    const search = { ...WINDOW, attribute: ["port=Quay"] };
    await shown(<EndpointPage server={3} {...{ role: "viewer", endpoint: 4, search }} onSearch={vi.fn()} />, [
      [endpointQuery(3, 4, WINDOW, search).queryKey, page({ noted: null })],
    ]);
    expect(screen.queryByRole("heading", { name: "Statements" })).toBeNull();
    expect(document.body.textContent).toContain("statements, calls, and what is found and usual are summed up for all");
  });

  it("says that there was no request, and of what it did not happen", async () => {
    await open(page({ now: null }));
    expect(screen.getByRole("heading", { level: 1 }).textContent).toBe(
      "GET /manifests/{id}: no request in this window.",
    );
  });

  it("has a target that operators set, in milliseconds, and that keeps what was typed when it is refused", async () => {
    const bodies: unknown[] = [];
    vi.stubGlobal(
      "fetch",
      vi.fn(async (request: Request) => {
        bodies.push(await request.json());
        return new Response(JSON.stringify({ title: "no", detail: "a target lies between 1 ms and an hour" }), {
          status: 400,
        });
      }),
    );
    await open(page(), "operator");
    await userEvent.click(screen.getByRole("button", { name: "change" }));
    const box = screen.getByRole<HTMLInputElement>("textbox", { name: /target in milliseconds/ });
    await userEvent.clear(box);
    await userEvent.type(box, "0");
    await userEvent.click(screen.getByRole("button", { name: "set" }));
    expect(bodies).toEqual([{ target_ms: 0 }]);
    expect(await screen.findByText(/between 1 ms and an hour/)).toBeTruthy();
    expect(box.value).toBe("0");
  });
});

const REPEATED = { start: 0, end: 1, first: 0, bucket_ms: 60_000 };

describe("repeated statements and calls", () => {
  it("name the worst first, with what one query would cost", async () => {
    await shown(<RepeatedPage server={3} search={WINDOW} />, [
      [
        repeatedQuery(3, WINDOW, WINDOW as never).queryKey,
        { ...REPEATED, statements: [statement()], over_time: [[null, 3, 77, 60]] },
      ],
    ]);
    expect(screen.getByRole("heading", { level: 1 }).textContent).toBe(
      "GET /m runs one statement 77 times in a request, 690 ms in all.",
    );
    expect(screen.getByText("≈ 40 ms")).toBeTruthy();
    const times = screen.getByRole("img", { name: "runs in a request over time: from 3 to 60, 77 at most" });
    expect(times.querySelectorAll("rect")).toHaveLength(3);
    expect(screen.getByText("rows.py:88")).toBeTruthy();
  });

  it("are guessed from counters where no trace tells, and said to be a guess", async () => {
    const pair = {
      first: "7",
      first_text: "SELECT id FROM booking",
      second: "77",
      second_text: "SELECT name FROM passenger",
    };
    const figures = { each: 41.3, runs: 3300, ms: 2100, readings: 40, agree: 0.975 };
    const guessed = { start: WINDOW.from, end: WINDOW.to, needed: 8, pairs: [{ ...pair, ...figures }] };
    const open = (found: object) =>
      shown(<RepeatedPage server={3} search={WINDOW} />, [
        [repeatedQuery(3, WINDOW, WINDOW as never).queryKey, { ...REPEATED, statements: [], over_time: [] }],
        [followersQuery(3, WINDOW).queryKey, found],
      ]);
    await open(guessed);
    const section = screen.getByRole("region", { name: "Guessed from counters" });
    expect(section.textContent).toContain("counters know no requests, so it is a guess");
    expect(within(section).getAllByRole("row")[1]?.textContent).toBe(
      "SELECT name FROM passengerSELECT id FROM booking≈ 4133002.1 s39 of 40",
    );
    expect(within(section).getByRole("link", { name: "SELECT name FROM passenger" }).getAttribute("href")).toContain(
      "/statements/77",
    );
    cleanup();
    await open({ ...guessed, pairs: [] });
    expect(document.body.textContent).toContain("It takes 8 readings at least, and a load that varies.");
  });

  it("that are none claim no more than was looked for", async () => {
    await shown(<RepeatedPage server={3} search={WINDOW} />, [
      [repeatedQuery(3, WINDOW, WINDOW as never).queryKey, { ...REPEATED, statements: [], over_time: [] }],
    ]);
    expect(screen.getByRole("heading", { level: 1 }).textContent).toContain(
      "No request of this window ran a statement five times",
    );
    cleanup();
    await shown(<CallsPage server={3} search={WINDOW} />, [
      [callsQuery(3, WINDOW, WINDOW as never).queryKey, { start: 0, end: 1, calls: [] }],
    ]);
    expect(screen.getByRole("heading", { level: 1 }).textContent).toContain("called anybody outside the database");
  });
});

describe("one request", () => {
  const span = (above: number, name: string, more: Partial<Schemas["SpanOut"]> = {}): Schemas["SpanOut"] => ({
    ...{
      above,
      depth: above < 0 ? 0 : 1,
      name,
      service: "web",
      kind: "client",
      layer: "database",
      start_ms: 1,
      duration_ms: 2,
    },
    ...{
      self_ms: 2,
      failed: false,
      statement: "SELECT ?",
      query_id: "77",
      to: "",
      attributes: { "db.namespace": "ferry" },
    },
    ...{ exceptions: [["OperationalError", ""]] },
    ...more,
  });
  const request = (more: Partial<Schemas["RequestOut"]> = {}): Schemas["RequestOut"] => ({
    ...{ trace: "ab", top: "cd", endpoint: "GET /m", endpoint_id: 4, service: "web", kind: "web", at: WINDOW.from },
    ...{
      duration_ms: 100,
      target_ms: 500,
      error: true,
      layers: LAYERS,
      verdict: "The database takes 88% of the time.",
    },
    ...{
      statements: 4,
      repeated: [],
      more: 0,
      rejected: 2,
      resource: { "service.version": "7" },
      others: ["ef"],
      seen: [],
    },
    spans: [
      span(-1, "GET", { layer: "own", statement: "", query_id: null }),
      ...[1, 2, 3].map(() => span(0, "SELECT")),
    ],
    ...more,
  });
  const open = (more: Partial<Schemas["RequestOut"]> = {}) =>
    shown(<RequestPage server={3} trace="ab" search={WINDOW} />, [[requestQuery(3, "ab", "").queryKey, request(more)]]);
  const seen = (more: Partial<Schemas["SightedOut"]> = {}): Schemas["SightedOut"] => ({
    ...{
      server: 3,
      pid: 22,
      started_s: 100,
      first: WINDOW.from,
      last: WINDOW.from + 4000,
      blocked: true,
      endpoint: "",
      place: 2,
    },
    blocker: live(44, { program: "ops-console", state: "idle in transaction" }),
    ...more,
  });

  it("says what it took and that it failed, what is missing and what else its trace holds", async () => {
    await open();
    expect(screen.getByRole("heading", { level: 1 }).textContent).toContain("GET /m took 100 ms and failed.");
    expect(document.body.textContent).toContain("2 spans of its trace could not be read and are missing.");
    expect(document.body.textContent).toContain("Its trace has 1 other request:");
  });

  it("folds what is alike, opens it, and tells of a span where it leads to", async () => {
    await open();
    expect(screen.getAllByRole("row")).toHaveLength(3);
    await userEvent.click(screen.getByRole("button", { name: "open SELECT" }));
    expect(screen.getAllByRole("row")).toHaveLength(6);
    await userEvent.click(screen.getAllByRole("button", { name: "SELECT" })[0] as HTMLElement);
    expect(screen.getByText("OperationalError")).toBeTruthy();
    expect(screen.getByRole("link", { name: "the statement" }).getAttribute("href")).toContain("/statements/77");
    expect(screen.getByRole("link", { name: "sessions that ran it then" }).getAttribute("href")).toContain(
      "statement%3A77",
    );
  });

  it("leads from a span to the tape of the very session that ran it", async () => {
    await open({ seen: [seen({ blocked: false, blocker: null })] });
    expect(screen.queryByRole("list", { name: "sessions that worked for it" })).toBeNull();
    await userEvent.click(screen.getByRole("button", { name: /^3 × ?SELECT$/ }));
    const tape = screen.getByRole("link", { name: "the tape of its session (pid 22) then" });
    expect(tape.getAttribute("href")).toContain("/servers/3/sessions/22?");
    expect(tape.getAttribute("href")).toContain("started=%22100%22");
    expect(screen.queryByRole("link", { name: "sessions that ran it then" })).toBeNull();
  });

  it("names the session it waited for, and says so where that was not seen", async () => {
    await open({ seen: [seen(), seen({ pid: 23, blocker: null })] });
    const told = screen.getByRole("list", { name: "sessions that worked for it" });
    expect(told.textContent).toContain(
      "It waited for ops-console (pid 44), idle in transaction: who blocked whom then.",
    );
    expect(told.textContent).toContain("It waited for another session: who blocked whom then.");
    const blocker = within(told).getByRole("link", { name: "ops-console (pid 44)" });
    expect(blocker.getAttribute("href")).toContain("/servers/3/sessions/44?");
  });
});

describe("a request of which no trace tells", () => {
  const urls: string[] = [];
  const answering = (came: () => boolean, seen: object[]) => {
    const json = (body: object, status = 200) =>
      new Response(JSON.stringify(body), { status, headers: { "Content-Type": "application/json" } });
    vi.stubGlobal(
      "fetch",
      vi.fn((asked: Request) =>
        Promise.resolve(
          urls.push(asked.url) && asked.url.endsWith("/sessions")
            ? json({ came: came(), seen })
            : json({ title: "Not found", status: 404, detail: "this trace is not kept" }, 404),
        ),
      ),
    );
  };

  it("shows what samples saw of it, and asks for it again once its trace has come", async () => {
    let came = false;
    const one = {
      server: 3,
      pid: 22,
      started_s: 100,
      first: 1,
      last: 4001,
      blocked: true,
      place: -1,
      blocker: null,
      endpoint: "web GET /hold, likely",
    };
    answering(() => came, [one]);
    await shown(<RequestPage server={3} trace="ab" search={WINDOW} />);
    await screen.findByText("No trace tells of this request yet.");
    await screen.findByText(/It waited for/);
    expect(screen.getByRole("heading", { level: 1 }).textContent).toContain("work for web GET /hold, likely.");
    came = true;
    urls.length = 0;
    await vi.waitFor(() => expect(urls.some((url) => !url.endsWith("/sessions"))).toBe(true), 8000);
  }, 10_000);

  it("says why there is none where no session was seen either", async () => {
    answering(() => false, []);
    await shown(<RequestPage server={3} trace="ab" search={WINDOW} />);
    await screen.findByText("No trace tells of this request.");
    expect(document.body.textContent).toContain("This trace is not kept.");
    expect(screen.queryByText(/the tape of its session/)).toBeNull();
  });
});

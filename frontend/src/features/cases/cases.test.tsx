import { cleanup, fireEvent, screen, waitFor, within } from "@testing-library/react";
import { afterEach, describe, expect, it, vi } from "vitest";

import { type Case, type CasePage as Page, type Kept, caseQuery, casesAboutQuery, casesQuery } from "../../api/cases";
import { InCases } from "../../shell/InCases";
import { shown } from "../../testing/shown";
import { CasePage } from "./CasePage";
import { CasesPage, aboutLine } from "./CasesPage";

afterEach(() => {
  cleanup();
  vi.restoreAllMocks();
});

const AT = 1_790_000_000_000;
const one: Case = {
  ...{ id: 4, title: "Slow at nine", state: "open", conclusion: "", people: ["ada"], made: AT, by: "ada" },
  ...{ changed: AT, address: "", evidence: 2, comments: 1 },
  links: [
    { about: "lead", label: "lead", server: 3, server_name: "pier-1", key: "abc", title: "A transaction left open" },
    {
      about: "pattern",
      label: "deadlock pattern",
      server: null,
      server_name: "pier-2",
      key: "p",
      title: "Two sailings",
    },
  ],
};
const piece = (id: number, more: Partial<Kept> = {}): Kept => ({
  ...{
    id,
    kind: "view",
    label: "view",
    title: `Load ${id}`,
    server: "pier-1",
    sentence: "12 sessions wait.",
    lines: [],
  },
  ...{ link: "/servers/3/load?from=1&to=2", picture: "data:image/svg+xml;base64,PHN2Zy8+", note: "", note_html: "" },
  ...{ figures: { columns: ["at", "load"], rows: [[1, null]] }, at: AT, by: "ada" },
  ...more,
});
const page: Page = {
  case: one,
  conclusion_html: "",
  evidence: [piece(7), piece(8, { note: "see **7**", note_html: "<p>see <strong>7</strong></p>" })],
  comments: [{ at: AT, by: "bo", text: "a <b>", html: "<p>a &lt;b&gt;</p>" }],
};

const answered = (body: unknown, status = 200): Request[] => {
  const sent: Request[] = [];
  vi.spyOn(globalThis, "fetch").mockImplementation((request) => {
    sent.push(request as Request);
    const { method, url } = request as Request;
    const told = method !== "GET" ? body : url.includes("?") ? [] : page;
    return Promise.resolve(
      new Response(JSON.stringify(told), {
        status: method === "GET" ? 200 : status,
        headers: { "Content-Type": "application/json" },
      }),
    );
  });
  return sent;
};

describe("the casebook", () => {
  const open = (rows: readonly Case[], role = "operator") =>
    shown(<CasesPage role={role} search={{}} onSearch={() => undefined} />, [[casesQuery("").queryKey, rows]]);

  it("says of each case what it was about, or what it was", async () => {
    expect(aboutLine(one)).toBe("lead on pier-1: A transaction left open; deadlock pattern on pier-2: Two sailings");
    await open([one, { ...one, id: 5, title: "Another", conclusion: "The index." }]);
    expect(document.body.textContent).toContain("lead on pier-1: A transaction left open");
    expect(document.body.textContent).toContain("The index.");
  });

  it("says how a case comes about while there is none, and lets viewers make none", async () => {
    await open([], "viewer");
    expect(document.body.textContent).toContain("No case was made yet.");
    expect(screen.queryByRole("button", { name: "begin a case" })).toBeNull();
  });

  it("keeps what was typed when a case cannot be made, and says why", async () => {
    answered({ type: "urn:faena:not-allowed", title: "Not allowed", detail: "you are away" }, 403);
    await open([]);
    const field = screen.getByLabelText<HTMLInputElement>("title of a new case");
    fireEvent.change(field, { target: { value: "Slow at ten" } });
    fireEvent.click(screen.getByRole("button", { name: "begin a case" }));
    expect((await screen.findByRole("alert")).textContent).toContain("you are away");
    expect(field.value).toBe("Slow at ten");
  });
});

describe("a case", () => {
  const open = (role = "operator", told: Page = page) =>
    shown(<CasePage id={4} role={role} />, [[caseQuery(4).queryKey, told]]);

  it("shows its evidence as it was, in order, with pictures and figures", async () => {
    await open("viewer");
    const titles = screen.getAllByRole("heading", { level: 3 }).map((h) => h.textContent);
    expect(titles).toEqual(["1. Load 7", "2. Load 8"]);
    expect(screen.getAllByAltText("12 sessions wait.")).toHaveLength(2);
    expect(document.querySelector(".prose strong")?.textContent).toBe("7");
    expect(screen.queryByRole("button", { name: /^(up|down|remove)/ })).toBeNull();
  });

  it("shows what people wrote as text, whatever it is", async () => {
    await open("viewer");
    expect(screen.getByRole("region", { name: "Comments" }).querySelector("b")).toBeNull();
    expect(document.body.textContent).toContain("a <b>");
  });

  it("leads to what it is about where that is known here, and names it where it is not", async () => {
    await open();
    const list = screen.getByRole("list", { name: "what it is about" });
    expect(within(list).getByRole("link", { name: "A transaction left open" }).getAttribute("href")).toContain(
      "/servers/3/leads/history",
    );
    expect(within(list).queryByRole("link", { name: "Two sailings" })).toBeNull();
  });

  it("moves evidence, and asks before it takes any out", async () => {
    const sent = answered(page);
    await open();
    expect(screen.getByRole<HTMLButtonElement>("button", { name: "up: evidence 1" }).disabled).toBe(true);
    fireEvent.click(screen.getByRole("button", { name: "down: evidence 1" }));
    await waitFor(() => expect(sent.some((one) => one.url.endsWith("/evidence/order"))).toBe(true));
    expect(await sent.find((one) => one.method === "PUT")?.json()).toEqual({ order: [8, 7] });
    fireEvent.click(screen.getByRole("button", { name: "remove evidence 2" }));
    expect(sent.filter((one) => one.method === "DELETE")).toHaveLength(0);
    fireEvent.click(screen.getByRole("button", { name: "remove 2 for good" }));
    await waitFor(() =>
      expect(sent.some((one) => one.method === "DELETE" && one.url.endsWith("/evidence/8"))).toBe(true),
    );
  });

  it("moves evidence on with each press, however late the answers come, and back when it may not be moved", async () => {
    const told: Page = { ...page, evidence: [...page.evidence, piece(9)] };
    await open("operator", told);
    const sent: Request[] = [];
    const answers: ((one: Response) => void)[] = [];
    vi.spyOn(globalThis, "fetch").mockImplementation((request) => {
      sent.push(request as Request);
      return new Promise((answer) => answers.push(answer));
    });
    const titles = (): (string | null)[] => screen.getAllByRole("heading", { level: 3 }).map((h) => h.textContent);
    fireEvent.click(screen.getByRole("button", { name: "up: evidence 3" }));
    await waitFor(() => expect(titles()).toEqual(["1. Load 7", "2. Load 9", "3. Load 8"]));
    fireEvent.click(screen.getByRole("button", { name: "up: evidence 2" }));
    const moved = ["1. Load 9", "2. Load 7", "3. Load 8"];
    await waitFor(() => expect(titles()).toEqual(moved));

    const json = { headers: { "Content-Type": "application/json" } };
    const [first, second, third] = [7, 9, 8].map((id) => piece(id));
    answers[0]?.(new Response(JSON.stringify({ ...told, evidence: [first, second, third] }), json));
    await waitFor(() => expect(sent).toHaveLength(2));
    expect(titles(), "an answer to the first press does not take back the second").toEqual(moved);
    expect(await sent[1]?.json()).toEqual({ order: [9, 7, 8] });

    const away = { type: "urn:faena:not-allowed", title: "Not allowed", detail: "you are away" };
    answers[1]?.(new Response(JSON.stringify(away), { ...json, status: 403 }));
    await waitFor(() => expect(sent[2]?.method).toBe("GET"));
    answers[2]?.(new Response(JSON.stringify(told), json));
    await waitFor(() => expect(titles()).toEqual(["1. Load 7", "2. Load 8", "3. Load 9"]));
    expect((await screen.findByRole("alert")).textContent).toContain("you are away");
  });

  it("sends with a conclusion when the case was read, and keeps the draft when somebody else was first", async () => {
    const sent = answered({ type: "urn:faena:bad-input", title: "No", detail: "somebody has changed this case" }, 400);
    await open();
    fireEvent.click(screen.getByRole("button", { name: "write a conclusion" }));
    const field = screen.getByLabelText<HTMLTextAreaElement>("conclusion, in Markdown");
    fireEvent.change(field, { target: { value: "The index." } });
    fireEvent.click(screen.getByRole("button", { name: "keep the conclusion" }));
    expect((await screen.findByRole("alert")).textContent).toContain("somebody has changed this case");
    expect(await sent.find((one) => one.method === "PATCH")?.json()).toEqual({ conclusion: "The index.", seen: AT });
    expect(field.value).toBe("The index.");
  });

  it("is exported in the zone that is shown", async () => {
    await open("viewer");
    expect(screen.getByRole("link", { name: "export as a page" }).getAttribute("href")).toMatch(
      /^\/api\/v1\/cases\/4\/export\?form=page&zone=\w+/,
    );
  });
});

describe("cases about a thing", () => {
  it("are offered with what they found, when the same comes again", async () => {
    const before = { ...one, state: "closed", conclusion: "The console.\nMore." };
    await shown(<InCases server={3} about="lead" of="abc" />, [[casesAboutQuery(3, "lead", "abc").queryKey, [before]]]);
    expect(document.body.textContent).toContain("case Slow at nine, closed: The console.");
    expect(screen.queryByRole("button")).toBeNull();
  });

  it("are made of it by whoever may", async () => {
    const sent = answered(one, 201);
    const make = { alert: 9 };
    await shown(<InCases server={3} about="alert" of="9" make={make} />, [
      [casesAboutQuery(3, "alert", "9").queryKey, []],
    ]);
    fireEvent.click(screen.getByRole("button", { name: "make a case of it" }));
    await waitFor(() => expect(sent.some((request) => request.method === "POST")).toBe(true));
    expect(await sent.find((request) => request.method === "POST")?.json()).toEqual({
      title: "",
      evidence: [],
      links: [],
      alert: 9,
    });
  });
});

import { cleanup, fireEvent, screen, waitFor } from "@testing-library/react";
import { afterEach, describe, expect, it, vi } from "vitest";

import { shown } from "../../testing/shown";
import { ReferencePage, curl, listed, named } from "./ReferencePage";
import { TokensPage } from "./TokensPage";
import { type Described, type Token, descriptionQuery, tokensQuery } from "./queries";

afterEach(() => {
  cleanup();
  vi.restoreAllMocks();
});

const AT = 1_790_000_000_000;
const token: Token = {
  ...{ id: 4, name: "grapher", owner: "grapher", machine: true, scope: "read", scope_label: "read" },
  ...{ made: AT, expires: AT + 86_400_000, last_used: null },
};
const told: Described = {
  paths: {
    "/api/v1/servers/{server_id}/leads": {
      get: {
        ...{ operationId: "leads_list", description: "Leads of a window.", tags: ["leads"] },
        parameters: [{ name: "server_id", in: "path", required: true, schema: { type: "integer" } }],
        responses: {
          "200": { content: { "application/json": { schema: { $ref: "#/components/schemas/LeadsOut" } } } },
        },
      },
    },
    "/api/v1/cases": { post: { operationId: "case_make", tags: ["cases"], responses: { "201": {} } } },
  },
};

const answered = (body: unknown, status = 201): Request[] => {
  const sent: Request[] = [];
  vi.spyOn(globalThis, "fetch").mockImplementation((request) => {
    sent.push(request as Request);
    const get = (request as Request).method === "GET";
    const json = { headers: { "Content-Type": "application/json" } };
    return Promise.resolve(new Response(JSON.stringify(get ? [token] : body), { status: get ? 200 : status, ...json }));
  });
  return sent;
};

describe("API tokens", () => {
  const open = (role: string, rows: readonly Token[] = [token]) =>
    shown(<TokensPage role={role} />, [[tokensQuery.queryKey, rows]]);

  it("are listed with whom they act as, and when they end", async () => {
    await open("admin", [token, { ...token, id: 5, name: "old", machine: false, owner: "ada", expires: AT - 1 }]);
    expect(document.body.textContent).toContain("grapher, a machine");
    expect(document.body.textContent).toContain("never");
    expect(document.body.textContent).toMatch(/ended/);
  });

  it("say whose are none: a viewer does not see those of others", async () => {
    await open("viewer", []);
    expect(document.body.textContent).toContain("You have no token.");
    expect(screen.queryByLabelText(/of a machine/)).toBeNull();
    expect(screen.getAllByRole("option").map((one) => one.textContent)).toEqual(["read"]);
  });

  it("are shown once when they are made", async () => {
    const sent = answered({ token: "secret-token", about: token });
    await open("admin");
    fireEvent.change(screen.getByLabelText("name"), { target: { value: "grapher" } });
    fireEvent.click(screen.getByLabelText("of a machine, not mine"));
    fireEvent.click(screen.getByRole("button", { name: "make a token" }));
    expect(await screen.findByText("secret-token")).toBeTruthy();
    const body: unknown = await sent.find((one) => one.method === "POST")?.json();
    expect(body).toEqual({ name: "grapher", scope: "read", days: 90, machine: true });
  });

  it("say why none was made", async () => {
    answered({ type: "urn:faena:bad-input", title: "No", detail: "there is a token grapher already" }, 400);
    await open("operator");
    fireEvent.change(screen.getByLabelText("name"), { target: { value: "grapher" } });
    fireEvent.click(screen.getByRole("button", { name: "make a token" }));
    expect((await screen.findByRole("alert")).textContent).toContain("there is a token grapher already");
  });

  it("end only when one says so twice", async () => {
    const sent = answered({ revoked: true }, 200);
    await open("operator");
    fireEvent.click(screen.getByRole("button", { name: "revoke grapher" }));
    expect(sent.some((one) => one.method === "DELETE")).toBe(false);
    fireEvent.click(screen.getByRole("button", { name: "end grapher now" }));
    await waitFor(() =>
      expect(sent.some((one) => one.method === "DELETE" && one.url.endsWith("/tokens/4"))).toBe(true),
    );
  });
});

describe("the reference", () => {
  it("finds questions by all of their words", () => {
    expect([...listed(told, "leads window").keys()]).toEqual(["leads"]);
    expect([...listed(told, "").keys()]).toEqual(["leads", "cases"]);
    expect(listed(told, "nothing").size).toBe(0);
  });

  it("names shapes", () => {
    expect(named({ type: "array", items: { $ref: "#/a/LeadOut" } })).toBe("list of LeadOut");
    expect(named({ anyOf: [{ type: "integer" }, { type: "null" }] })).toBe("integer or null");
    expect(named({ enum: ["a", 1] })).toBe('"a", 1');
    expect(named(undefined)).toBe("anything");
  });

  it("shows each with a call that can be typed", async () => {
    expect(curl("post", "/api/v1/cases")).toContain("-X POST '");
    await shown(<ReferencePage search={{}} onSearch={() => undefined} />, [[descriptionQuery.queryKey, told]]);
    expect(document.body.textContent).toContain("2 questions and acts.");
    expect(document.body.textContent).toContain("answers LeadsOut");
    expect(document.body.textContent).toContain("server_id path, integer, required");
  });
});

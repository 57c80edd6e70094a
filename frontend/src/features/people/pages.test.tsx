import { cleanup, screen, within } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { afterEach, describe, expect, it, vi } from "vitest";

import type { Schemas } from "../../api/client";
import { shown } from "../../testing/shown";
import { PeoplePage } from "./PeoplePage";
import { RecordPage } from "./RecordPage";

afterEach(() => {
  cleanup();
  vi.unstubAllGlobals();
});

const person = (change: Partial<Schemas["PersonOut"]>): Schemas["PersonOut"] => ({
  id: 1,
  username: "ada",
  role: "operator",
  may_run: true,
  active: true,
  last_sign_in: null,
  operates: [],
  sees: [],
  ...change,
});

const PEOPLE = [
  person({}),
  person({ id: 2, username: "vera", role: "viewer" }),
  person({ id: 3, username: "gus", role: "admin", may_run: false, active: false }),
];

describe("people", () => {
  const view = () => shown(<PeoplePage self="ada" />, [[["people"], PEOPLE]]);
  const row = (name: string): HTMLElement => {
    const found = screen.getAllByRole("row").find((one) => one.textContent.startsWith(name));
    if (!found) throw new Error(`no row of ${name}`);
    return found;
  };

  it("cannot switch themselves off", async () => {
    await view();
    expect(row("ada").textContent).toContain("(you)");
    expect(within(row("ada")).queryByRole("button", { name: /switch/ })).toBeNull();
    expect(within(row("vera")).getByRole("button", { name: "switch off" })).toBeTruthy();
    expect(within(row("gus")).getByRole("button", { name: "switch on" })).toBeTruthy();
  });

  it("who only view run nothing, whatever is ticked", async () => {
    await view();
    const box = within(row("vera")).getByRole<HTMLInputElement>("checkbox");
    expect(box.disabled).toBe(true);
    expect(row("vera").textContent).toContain("no");
    expect(within(row("ada")).getByRole<HTMLInputElement>("checkbox").disabled).toBe(false);
  });

  /** What is sent to the server, which then says no. */
  const sending = () => {
    const sent: unknown[] = [];
    vi.stubGlobal("fetch", async (request: Request) => {
      sent.push(await request.json());
      return new Response("{}", { status: 500 });
    });
    return sent;
  };

  it("see and operate groups while they are viewers, kept when one leaves the field", async () => {
    const sent = sending();
    await view();
    expect(within(row("ada")).queryByLabelText("groups that ada sees")).toBeNull();
    const field = within(row("vera")).getByLabelText<HTMLInputElement>("groups that vera sees");
    expect(field.placeholder).toBe("all");
    await userEvent.click(field);
    await userEvent.tab();
    await userEvent.type(field, " north,south, ");
    await userEvent.tab();
    await vi.waitFor(() => expect(sent).toHaveLength(1));
    expect(sent[0]).toMatchObject({ sees: ["north", "south"], operates: null });
  });

  it.each([
    ["viewer", ["north"]],
    ["operator", []],
  ])("are added with the groups that they see: %s", async (role, sees) => {
    const sent = sending();
    await view();
    const form = within(screen.getByRole("form", { name: "Add a person" }));
    await userEvent.type(form.getByLabelText("groups that the new person sees"), "north");
    await userEvent.type(form.getByLabelText("name"), "nell");
    await userEvent.type(form.getByLabelText(/first password/), "correct horse");
    await userEvent.selectOptions(form.getByLabelText("role"), role);
    await userEvent.click(form.getByRole("button", { name: "add" }));
    await vi.waitFor(() => expect(sent).toHaveLength(1));
    expect(sent[0]).toMatchObject({ username: "nell", role, sees });
  });

  it("get a new password in a dialog that names them and begins empty", async () => {
    await view();
    await userEvent.click(within(row("vera")).getByRole("button", { name: /new password/ }));
    expect(screen.getByRole("dialog").textContent).toContain("A new password for vera");
    const set = screen.getByRole<HTMLButtonElement>("button", { name: "set it" });
    expect(set.disabled).toBe(true);
    await userEvent.type(screen.getByLabelText(/all sign-ins end/), "correct horse");
    expect(set.disabled).toBe(false);
  });
});

const entry: Schemas["AuditOut"] = {
  id: 9,
  at: "2026-11-28T02:00:00Z",
  by: "ada",
  act: "session.ended",
  server: "bookings",
  subject: "pid 42",
  detail: "asked to end",
  address: "10.0.0.7",
};

describe("the record", () => {
  it("tells acts in words, and comes out as it is narrowed", async () => {
    await shown(<RecordPage />, [
      [["audit", "", ""], [entry]],
      [["people"], PEOPLE],
    ]);
    const told = screen.getAllByRole("row")[1]?.textContent ?? "";
    for (const part of ["ada", "bookings", "pid 42", "asked to end", "10.0.0.7"]) expect(told).toContain(part);
    expect(told).not.toContain("session.ended");
    await userEvent.click(screen.getByRole("button", { name: "columns and files of Record" }));
    const link = screen.getByRole("link", { name: "the whole record as CSV" });
    expect(link.getAttribute("href")).toContain("format=csv");
  });

  it("says when nothing is in it", async () => {
    const { container } = await shown(<RecordPage />, [
      [["audit", "", ""], []],
      [["people"], []],
    ]);
    expect(container.textContent).toContain("Nothing of this kind is in the record.");
  });
});

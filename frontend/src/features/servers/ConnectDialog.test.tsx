import { screen } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { describe, expect, it, vi } from "vitest";

import type { Schemas } from "../../api/client";
import { answering, json } from "../../testing/answering";
import { shown } from "../../testing/shown";
import { ConnectDialog } from "./ConnectDialog";

const GRANT = "GRANT pg_read_all_stats TO faena;";
const found = (rights: boolean): Schemas["CheckOut"] => ({
  steps: [
    { name: "reach", ok: true, found: "answers", remedy: "", needed: true },
    { name: "rights", ok: rights, found: rights ? "all" : "none", remedy: rights ? "" : GRANT, needed: true },
    { name: "log", ok: rights ? false : null, found: "", remedy: "", needed: false },
  ],
  ready: rights,
  role_script: "CREATE ROLE faena",
});
const button = (name: string): HTMLButtonElement => screen.getByRole<HTMLButtonElement>("button", { name });

describe("connecting a server", () => {
  it("shows what mends each gap, and connects only what was tried as it stands", async () => {
    const asked = answering([json(found(false)), json(found(true)), json(found(true))]);
    await shown(<ConnectDialog open onClose={() => undefined} />);
    expect(button("connect").disabled).toBe(true);
    await userEvent.type(await screen.findByLabelText("host"), "quay.example");
    await userEvent.click(button("try the connection"));
    expect(await screen.findByText(GRANT)).toBeTruthy();
    expect(screen.getByText("missing").parentElement?.textContent).toContain("rights");
    expect(screen.getByText("not reached").parentElement?.textContent).toContain("log");
    expect(button("connect").disabled).toBe(true);

    await userEvent.click(button("try the connection"));
    await vi.waitFor(() => expect(button("connect").disabled).toBe(false));
    expect(screen.getByText("lacking").parentElement?.textContent).toContain("log");

    await userEvent.type(screen.getByLabelText("host"), ".org");
    expect(button("connect").disabled).toBe(true);
    expect(screen.queryByText("lacking")).toBeNull();
    await userEvent.click(button("try the connection"));
    await vi.waitFor(() => expect(asked).toHaveLength(3));
    expect(new Set(asked.map((one) => one.path))).toEqual(new Set(["/api/v1/servers/check"]));
    expect(asked.map((one) => (one.body as Schemas["ServerBody"]).host)).toEqual([
      "quay.example",
      "quay.example",
      "quay.example.org",
    ]);
  });

  it("keeps what was typed when it is refused, marks the field and says what to do, until that is changed", async () => {
    const refused = { title: "no", detail: "there is no host quay", field: "host", remedy: "write its address" };
    answering([json({ type: "urn:faena:bad-input", status: 400, ...refused }, 400)]);
    await shown(<ConnectDialog open onClose={() => undefined} />);
    await userEvent.type(await screen.findByLabelText("host"), "quay");
    await userEvent.type(screen.getByLabelText("name on screen"), "pier");
    await userEvent.click(button("try the connection"));
    const failure = await screen.findByRole("alert");
    expect(failure.textContent).toContain("there is no host quay");
    expect(failure.textContent).toContain("write its address");
    const host = screen.getByLabelText<HTMLInputElement>("host");
    expect([host.value, host.getAttribute("aria-invalid")]).toEqual(["quay", "true"]);
    await userEvent.type(host, "s");
    expect(screen.queryByRole("alert")).toBeNull();
    expect(screen.getByLabelText<HTMLInputElement>("name on screen").value).toBe("pier");
  });
});

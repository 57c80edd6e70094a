import { cleanup, screen } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { afterEach, describe, expect, it } from "vitest";

import type { Schemas } from "../../api/client";
import { shown } from "../../testing/shown";
import { Connection } from "./Connection";

afterEach(cleanup);

const found: Schemas["ConnectionOut"] = {
  name: "bookings",
  host: "10.1.0.5",
  port: 5432,
  database: "ferry",
  username: "faena",
  sslmode: "verify-full",
  passfile: "",
  service: "",
  cores: 4,
  paused: false,
  has_password: true,
};

const view = (change: Partial<typeof found> = {}, can = ["reach", "sample"]) =>
  shown(<Connection server={3} can={can} />, [[["connection", 3], { ...found, ...change }]]);
const press = (name: RegExp): Promise<void> => userEvent.click(screen.getByRole("button", { name }));

describe("how a server is reached", () => {
  it("is said in one line", async () => {
    const { container } = await view();
    expect(container.textContent).toContain("10.1.0.5:5432, database ferry, as faena, TLS verify-full");
    cleanup();
    const removed = await view({ host: "", paused: true });
    expect(removed.container.textContent).toContain("nowhere any more");
    expect(screen.getByRole("button", { name: "watch it again" })).toBeTruthy();
  });

  it("takes a new password without showing or asking for the kept one", async () => {
    await view();
    await press(/change/);
    const password = screen.getByLabelText<HTMLInputElement>("new password (empty: the one that is kept)");
    expect([password.type, password.value]).toEqual(["password", ""]);
    expect(screen.getByLabelText<HTMLInputElement>("host").value).toBe("10.1.0.5");
  });

  it("is forgotten only when its name is written, and its past is kept unless asked otherwise", async () => {
    await view();
    await press(/remove/);
    const keep = screen.getByRole<HTMLInputElement>("radio", { name: /its past stays/ });
    expect(keep.checked).toBe(true);
    const go = screen.getByRole<HTMLButtonElement>("button", { name: "stop watching it" });
    await userEvent.type(screen.getByLabelText(/write its name/), "booking");
    expect(go.disabled).toBe(true);
    await userEvent.type(screen.getByLabelText(/write its name/), "s");
    expect(go.disabled).toBe(false);
    await userEvent.click(screen.getByRole("radio", { name: /cannot be taken back/ }));
    expect(screen.getByRole("button", { name: "remove it with its data" })).toBeTruthy();
  });

  it("of what was imported: there is nothing to change or to pause", async () => {
    await view({}, []);
    expect(screen.getAllByRole("button").map((one) => one.textContent)).toEqual(["remove …"]);
  });
});

import { screen } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { describe, expect, it } from "vitest";

import { answering, json, refused } from "../../testing/answering";
import { shown } from "../../testing/shown";
import { Pipelines } from "./Pipelines";

const KNOWN = [
  { id: 4, name: "release", server: 3, last_used: null },
  { id: 5, name: "estate", server: null, last_used: 1_790_000_000_000 },
];
const open = (admin = true) => shown(<Pipelines server={3} admin={admin} />, [[["pipelines", 3], KNOWN]]);

describe("pipelines that tell of changes", () => {
  it("say of which servers each may tell and whether it ever did; only an admin makes and removes them", async () => {
    await open(false);
    const told = screen.getAllByRole("listitem").map((one) => one.textContent);
    expect(told[0]).toContain("this server, never used");
    expect(told[1]).toContain("all servers, last used");
    expect(screen.queryByRole("button", { name: /token/ })).toBeNull();
    expect(screen.queryByLabelText("name of a pipeline")).toBeNull();
  });

  it("are given a token that is shown once, beside a way to copy it", async () => {
    const sent = answering([json({ token: "faena_secret" })], () => json(KNOWN));
    await open();
    const make = screen.getByRole<HTMLButtonElement>("button", { name: "make a token" });
    await userEvent.type(screen.getByLabelText("name of a pipeline"), "   ");
    expect(make.disabled).toBe(true);
    await userEvent.type(screen.getByLabelText("name of a pipeline"), "nightly");
    await userEvent.click(screen.getByRole("checkbox", { name: "of all servers" }));
    await userEvent.click(make);
    expect(await screen.findByText("faena_secret")).toBeTruthy();
    expect(screen.getByRole("button", { name: "copy the token" })).toBeTruthy();
    expect(sent).toEqual([
      { method: "POST", path: "/api/v1/servers/3/pipelines", body: { name: "   nightly", every_server: true } },
    ]);
    expect(screen.getByLabelText<HTMLInputElement>("name of a pipeline").value).toBe("");
  });

  it("are not made under a name that there is, and the name stays to be changed", async () => {
    answering([refused("there is a pipeline of that name", "name")]);
    await open();
    await userEvent.type(screen.getByLabelText("name of a pipeline"), "release");
    await userEvent.click(screen.getByRole("button", { name: "make a token" }));
    expect((await screen.findByRole("alert")).textContent).toContain("there is a pipeline of that name");
    expect(screen.getByLabelText<HTMLInputElement>("name of a pipeline").value).toBe("release");
    expect(screen.queryByRole("button", { name: "copy the token" })).toBeNull();
  });

  it("are removed by their number", async () => {
    const sent = answering([new Response(null, { status: 204 })], () => json(KNOWN.slice(1)));
    await open();
    await userEvent.click(screen.getByRole("button", { name: "remove the token release" }));
    await expect.poll(() => screen.queryByText("release")).toBeNull();
    expect(sent.map((one) => `${one.method} ${one.path}`)).toEqual(["DELETE /api/v1/servers/3/pipelines/4"]);
  });
});

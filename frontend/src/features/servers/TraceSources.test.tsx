import { screen } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { describe, expect, it, vi } from "vitest";

import type { Schemas } from "../../api/client";
import { answering, json } from "../../testing/answering";
import { shown } from "../../testing/shown";
import { TraceSources } from "./TraceSources";
import { traceSourcesQuery } from "./queries";

const source = (more: Partial<Schemas["TraceSourceOut"]> = {}): Schemas["TraceSourceOut"] => ({
  id: 5,
  name: "booking-web",
  last_used: null,
  attributes: ["tidewrack.port"],
  personal: false,
  target_ms: 500,
  retention_days: 14,
  spans: 1200,
  rejected: 3,
  rejected_why: "its start is missing",
  rejected_at: 1,
  duplicates: 7,
  ...more,
});

/** Each of what is sent is answered so; questions with the sources as they are. */
const replying = (answer: Response) => answering([answer], () => json({ sources: [source()], waiting: 0 }));

const open = (canChange = true, sources = [source()]) =>
  shown(<TraceSources server={3} canChange={canChange} />, [[traceSourcesQuery(3).queryKey, { sources, waiting: 0 }]]);

describe("sources of traces", () => {
  it("tell what came of each, and why something was rejected", async () => {
    await open(false);
    const words = document.body.textContent;
    expect(words).toContain("has sent nothing yet");
    expect(words).toContain("1200 spans, 7 came twice, 3 rejected (its start is missing)");
    expect(screen.queryByRole("button")).toBeNull();
  });

  it("say where traces are sent to", async () => {
    await open(false, []);
    expect(document.body.textContent).toContain(`${window.location.origin}/v1/traces`);
  });

  it("are made with a token that is shown once, beside a way to copy it", async () => {
    const sent = replying(json({ id: 6, token: "secret-token" }));
    await open();
    const make = screen.getByRole<HTMLButtonElement>("button", { name: "make a token" });
    expect(make.disabled).toBe(true);
    await userEvent.type(screen.getByRole("textbox", { name: /another application/ }), "manifests");
    await userEvent.click(make);
    expect(await screen.findByText("secret-token")).toBeTruthy();
    expect(screen.getByRole("button", { name: "copy the token" })).toBeTruthy();
    expect(sent).toEqual([{ method: "POST", path: "/api/v1/servers/3/trace-sources", body: { name: "manifests" } }]);
  });

  it("keep the name that was typed when no token was made", async () => {
    replying(json({ title: "no", detail: "there is a source of that name already" }, 400));
    await open();
    const name = screen.getByRole<HTMLInputElement>("textbox", { name: /another application/ });
    await userEvent.type(name, "booking-web");
    await userEvent.click(screen.getByRole("button", { name: "make a token" }));
    expect(await screen.findByText(/there is a source of that name already/)).toBeTruthy();
    expect(name.value).toBe("booking-web");
  });

  it("are removed, and given another token, only when asked twice", async () => {
    const sent = replying(json({ id: 5, token: "fresh-token" }));
    await open();
    await userEvent.click(screen.getByRole("button", { name: "remove …" }));
    expect(document.body.textContent).toContain("sums stay");
    await userEvent.click(screen.getByRole("button", { name: "leave it as it is" }));
    expect(sent).toEqual([]);
    await userEvent.click(screen.getByRole("button", { name: "another token …" }));
    expect(document.body.textContent).toContain("The present token ends at once.");
    await userEvent.click(screen.getByRole("button", { name: "make another" }));
    expect(await screen.findByText("fresh-token")).toBeTruthy();
    expect(sent).toEqual([{ method: "POST", path: "/api/v1/servers/3/trace-sources/5/token", body: null }]);
  });

  it("send what is to be kept as it was typed: names apart, numbers as numbers", async () => {
    const sent = replying(json(source()));
    await open();
    const names = screen.getByRole("textbox", { name: /keeps also these attributes/ });
    await userEvent.clear(names);
    await userEvent.type(names, "tidewrack.port,  enduser.id");
    await userEvent.click(screen.getByRole("checkbox"));
    await userEvent.click(screen.getByRole("button", { name: "save" }));
    await vi.waitFor(() => expect(sent).toHaveLength(1));
    const body = { attributes: ["tidewrack.port", "enduser.id"], personal: true, target_ms: 500, retention_days: 14 };
    expect(sent[0]).toEqual({ method: "PUT", path: "/api/v1/servers/3/trace-sources/5", body });
  });
});

import { fireEvent, screen } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { describe, expect, it } from "vitest";

import type { Schemas } from "../../api/client";
import { answering, json, refused } from "../../testing/answering";
import { shown } from "../../testing/shown";
import { Handling } from "./Handling";

const PATH = "/api/v1/servers/3/deadlocks/0a1b";
const pattern = (more: Partial<Schemas["PatternOut"]> = {}): Schemas["PatternOut"] =>
  ({ pattern: "0a1b", handled_at: null, handled_by: "", change: "", ...more }) as Schemas["PatternOut"];
const open = (more: Partial<Schemas["PatternOut"]> = {}, canAct = true) =>
  shown(
    <Handling
      server={3}
      pattern={pattern(more)}
      comments={[{ at: 1_790_000_000_000, by: "olga", text: "since the release of Monday" }]}
      canAct={canAct}
    />,
  );
const count = (): HTMLButtonElement => screen.getByRole<HTMLButtonElement>("button", { name: /^count from/ });

describe("what is done about a deadlock pattern", () => {
  it("is noted as of now, or as of a moment by the clock of this screen", async () => {
    const sent = answering([json({}), json({})]);
    await open();
    expect(count().disabled).toBe(true);
    await userEvent.type(screen.getByLabelText("what was changed"), "rows locked in order of id");
    await userEvent.click(count());
    await expect.poll(() => sent.length).toBe(1);
    expect(sent[0]?.path).toBe(`${PATH}/handled`);
    expect(sent[0]?.body).toEqual({ handled: true, change: "rows locked in order of id", at: null });

    await expect.poll(() => screen.getByLabelText<HTMLInputElement>("what was changed").value).toBe("");
    await userEvent.type(screen.getByLabelText("what was changed"), "index");
    fireEvent.change(screen.getByLabelText("since when it is so; empty: now"), {
      target: { value: "2026-03-01T12:30" },
    });
    expect(count().textContent).toBe("count from then");
    await userEvent.click(count());
    await expect.poll(() => sent.length).toBe(2);
    expect(sent[1]?.body).toMatchObject({ at: new Date(2026, 2, 1, 12, 30).getTime() });
  });

  it("is taken back, without a time of its own", async () => {
    const sent = answering([json({})]);
    await open({ handled_at: 1_790_000_000_000, handled_by: "olga", change: "an index" });
    expect(document.body.textContent).toContain("olga: an index");
    fireEvent.change(screen.getByLabelText("since when it is so; empty: now"), {
      target: { value: "2026-03-01T12:30" },
    });
    await userEvent.click(screen.getByRole("button", { name: "take back" }));
    await expect.poll(() => sent.length).toBe(1);
    expect(sent[0]?.body).toEqual({ handled: false, change: "", at: null });
  });

  it("stays written when it is refused, and a comment does, too", async () => {
    answering([refused("that moment is before the first of them"), refused("too long")]);
    await open();
    await userEvent.type(screen.getByLabelText("what was changed"), "index");
    await userEvent.click(count());
    expect((await screen.findByRole("alert")).textContent).toContain("before the first of them");
    expect(screen.getByLabelText<HTMLInputElement>("what was changed").value).toBe("index");
    await userEvent.type(screen.getByLabelText("comment"), "mine");
    await userEvent.click(screen.getByRole("button", { name: "comment" }));
    expect(await screen.findByText(/too long/)).toBeTruthy();
    expect(screen.getByLabelText<HTMLInputElement>("comment").value).toBe("mine");
  });

  it("is read by viewers, who note nothing", async () => {
    await open({}, false);
    expect(document.body.textContent).toContain("since the release of Monday");
    expect(screen.queryByRole("textbox")).toBeNull();
    expect(screen.queryByRole("button")).toBeNull();
  });
});

import { fireEvent, screen } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { describe, expect, it, vi } from "vitest";

import { answering, json, refused } from "../../testing/answering";
import { shown } from "../../testing/shown";
import { BringPage } from "./BringPage";
import { recentPlansQuery } from "./queries";

const open = async () => {
  const onPlan = vi.fn();
  await shown(<BringPage onPlan={onPlan} />, [[recentPlansQuery.queryKey, []]]);
  return onPlan;
};
const plan = (): HTMLTextAreaElement => screen.getByLabelText<HTMLTextAreaElement>("the plan");
const title = (): HTMLInputElement => screen.getByLabelText<HTMLInputElement>("title");
const submit = (): HTMLButtonElement => screen.getByRole<HTMLButtonElement>("button", { name: "open the plan" });

describe("a plan that is brought", () => {
  it("is dropped as a file, whose name is its title until another is typed", async () => {
    const sent = answering([json({ key: "k7" })]);
    const onPlan = await open();
    expect(submit().disabled).toBe(true);
    const file = new File(["Seq Scan on berth"], "berths.txt", { type: "text/plain" });
    fireEvent.drop(plan(), { dataTransfer: { files: [file] } });
    await expect.poll(() => plan().value).toBe("Seq Scan on berth");
    expect(title().value).toBe("berths.txt");
    await userEvent.clear(title());
    await userEvent.type(title(), "slow berths");
    await userEvent.upload(screen.getByLabelText("file with a plan"), new File(["Index Scan"], "other.txt"));
    await expect.poll(() => plan().value).toBe("Index Scan");
    expect(title().value).toBe("slow berths");
    await userEvent.click(submit());
    await expect.poll(() => onPlan.mock.calls).toEqual([["k7"]]);
    expect(sent[0]?.body).toEqual({ plan: "Index Scan", title: "slow berths" });
  });

  it("stays where it was typed when it cannot be read, with why", async () => {
    answering([refused("line 1 is no step of a plan", "plan")]);
    const onPlan = await open();
    await userEvent.type(plan(), "SELECT 1");
    await userEvent.click(submit());
    expect((await screen.findByRole("alert")).textContent).toContain("line 1 is no step of a plan");
    expect(plan().value).toBe("SELECT 1");
    expect(onPlan).not.toHaveBeenCalled();
  });

  it("is no text that is dragged within the page", async () => {
    await open();
    const stays = fireEvent.drop(plan(), { dataTransfer: { files: [] } });
    expect(stays).toBe(true); // the browser puts it where it was let go
    expect(title().value).toBe("");
  });
});

import { cleanup, screen } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { afterEach, describe, expect, it, vi } from "vitest";

import { writeMoment } from "../lib/time";
import { shown } from "../testing/shown";
import { ExactTimes } from "./ExactTimes";

const FROM = Date.UTC(2026, 10, 23, 9, 0);
const TO = FROM + 3_600_000;

afterEach(cleanup);

async function typed(field: "from" | "to", words: string) {
  const [onWindow, onClose] = [vi.fn(), vi.fn()];
  await shown(<ExactTimes from={FROM} to={TO} onClose={onClose} onWindow={onWindow} />);
  const box = screen.getByRole("textbox", { name: field });
  await userEvent.clear(box);
  await userEvent.type(box, words);
  await userEvent.click(screen.getByRole("button", { name: "show" }));
  return { onWindow, onClose };
}

describe("a window by two moments", () => {
  it("begins with the present one, and hands over what is typed", async () => {
    const { onWindow, onClose } = await typed("to", writeMoment(TO + 60_000));
    expect(onWindow).toHaveBeenCalledWith({ from: FROM, to: TO + 60_000 });
    expect(onClose).toHaveBeenCalledOnce();
  });

  it.each(["2026-13-01 09:20", "2026-02-30 09:20", "25:00", "soon"])("says that “%s” is no moment", async (words) => {
    const { onWindow, onClose } = await typed("from", words);
    expect(screen.getByRole("alert").textContent).toContain(`“${words}” is not a moment; write 09:20`);
    expect(onWindow).not.toHaveBeenCalled();
    expect(onClose).not.toHaveBeenCalled();
    expect(screen.getByRole<HTMLInputElement>("textbox", { name: "from" }).value).toBe(words); // nothing is lost
  });

  it("says that the end must lie after the start", async () => {
    const { onWindow } = await typed("to", writeMoment(FROM));
    expect(screen.getByRole("alert").textContent).toBe("the end must lie after the start");
    expect(onWindow).not.toHaveBeenCalled();
  });
});

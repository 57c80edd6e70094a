import { cleanup, screen } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { afterEach, describe, expect, it, vi } from "vitest";

import { shown } from "../../testing/shown";
import { SignInPage } from "./SignInPage";

afterEach(() => {
  cleanup();
  vi.unstubAllGlobals();
});

const answer = (status: number, body: unknown) =>
  new Response(JSON.stringify(body), { status, headers: { "Content-Type": "application/json" } });

async function page(answers: (request: Request) => Promise<Response>, demo = false) {
  const done = vi.fn();
  const sent: unknown[] = [];
  vi.stubGlobal("fetch", async (request: Request) => {
    if (request.method === "POST") sent.push(await request.clone().json());
    return answers(request);
  });
  await shown(<SignInPage demo={demo} onDone={done} />);
  return { done, sent };
}

async function typed(name: string, password: string): Promise<void> {
  await userEvent.type(screen.getByLabelText("name"), name);
  await userEvent.type(screen.getByLabelText("password"), `${password}{Enter}`);
}

describe("signing in", () => {
  it("sends name and password once and goes on", async () => {
    const { done, sent } = await page(() =>
      Promise.resolve(answer(200, { username: "ada", role: "admin", csrf: "t" })),
    );
    await typed("ada", "correct horse");
    await vi.waitFor(() => expect(done).toHaveBeenCalledOnce());
    expect(sent).toEqual([{ username: "ada", password: "correct horse" }]);
  });

  it("tells why it was refused, and keeps what was typed", async () => {
    const refused = { title: "Not signed in", detail: "Name or password is wrong.", type: "urn:faena:test" };
    const { done } = await page(() => Promise.resolve(answer(401, refused)));
    await typed("ada", "wrong");
    expect((await screen.findByRole("alert")).textContent).toContain("Name or password is wrong.");
    expect(screen.getByLabelText("name")).toHaveProperty("value", "ada");
    expect(done).not.toHaveBeenCalled();
  });

  it("tells when Faena does not answer, which is not the password's fault", async () => {
    await page(() => Promise.reject(new TypeError("Failed to fetch")));
    await typed("ada", "correct horse");
    expect((await screen.findByRole("alert")).textContent).toContain("cannot be reached");
  });

  it("tells the demo's names only where it is the demo", async () => {
    await page(() => Promise.reject(new TypeError("off")));
    expect(screen.queryByText(/This is the demo/)).toBeNull();
    cleanup();
    await page(() => Promise.reject(new TypeError("off")), true);
    expect(screen.getByText(/This is the demo/).textContent).toContain("viewer, operator or admin");
  });

  it("leads to whoever vouches for people here, and says why that failed", async () => {
    await shown(
      <SignInPage
        demo={false}
        provider={{ name: "harbour login", back: "/servers/3/load?last=60" }}
        refused="no role here"
        onDone={() => undefined}
      />,
    );
    expect(screen.getByRole("link", { name: "sign in by harbour login" }).getAttribute("href")).toBe(
      "/oidc/begin?back=%2Fservers%2F3%2Fload%3Flast%3D60",
    );
    expect(screen.getByRole("alert").textContent).toContain("no role here");
  });
});

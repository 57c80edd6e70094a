import { useQueryClient } from "@tanstack/react-query";
import { cleanup, fireEvent, screen, waitFor } from "@testing-library/react";
import { useEffect, useState } from "react";
import { afterEach, beforeEach, describe, expect, it, vi } from "vitest";

import { casesQuery } from "../api/cases";
import { shown } from "../testing/shown";
import { type Piece, fitting, offered, subjectsShown, useOffer, useSubject } from "../ui/offers";
import { Keep } from "./Keep";

beforeEach(() => {
  sessionStorage.clear();
  window.history.replaceState(null, "", "/servers/3/load?last=900&pick=program%3Agate-scan");
  document.title = "Load · pier-1 · faena";
});
afterEach(() => {
  cleanup();
  vi.restoreAllMocks();
});

const View = ({ title, make }: { readonly title: string; readonly make?: () => Piece }) => {
  useOffer({ title, make: make ?? (() => ({ title, sentence: `${title} says.`, svg: "<svg/>" })) });
  useSubject({ about: "statement", key: "77", title: "SELECT 1" });
  return null;
};
const CASE = { ...{ id: 4, title: "Slow at nine", state: "open", conclusion: "", people: [], made: 1, by: "ada" } };
const cases = [{ ...CASE, ...{ changed: 1, address: "", links: [], evidence: 0, comments: 0 } }];

const answered = (status = 201, listed = Promise.resolve()): Request[] => {
  const sent: Request[] = [];
  vi.spyOn(globalThis, "fetch").mockImplementation(async (request) => {
    sent.push(request as Request);
    const asked = (request as Request).method === "GET";
    if (asked) await listed;
    const body = asked
      ? cases
      : status < 400
        ? cases[0]
        : { type: "urn:faena:x", title: "No", detail: "the store is away" };
    return new Response(JSON.stringify(body), {
      status: asked ? 200 : status,
      headers: { "Content-Type": "application/json" },
    });
  });
  return sent;
};

/** The dialog comes when the view has been drawn, as when its key is pressed. */
const Opening = ({ views }: { readonly views: React.ReactNode }) => {
  const [on, turn] = useState(false);
  return (
    <>
      {views}
      <button onClick={() => turn(true)}>k</button>
      {on ? <Keep server={3} onClose={() => undefined} /> : null}
    </>
  );
};

/** As after a case was made elsewhere: the list is to be asked again. */
const Stale = ({ views }: { readonly views: React.ReactNode }) => {
  const queries = useQueryClient();
  const [ready, setReady] = useState(false);
  useEffect(() => {
    void queries.invalidateQueries({ queryKey: ["cases"], refetchType: "none" }).then(() => setReady(true));
  }, [queries]);
  return ready ? <Opening views={views} /> : null;
};

const open = async (views: React.ReactNode, known = cases) => {
  await shown(<Opening views={views} />, [[casesQuery("open").queryKey, known]]);
  fireEvent.click(screen.getByRole("button", { name: "k" }));
};

describe("what is on the screen", () => {
  it("is offered while it is shown, and no longer", async () => {
    await shown(<View title="the load" />);
    expect(offered().map((one) => one.title)).toEqual(["the load"]);
    expect(subjectsShown().map((one) => one.key)).toEqual(["77"]);
    cleanup();
    expect(offered()).toEqual([]);
    expect(subjectsShown()).toEqual([]);
  });

  it("is cut to what is taken, and says so", () => {
    const rows = Array.from({ length: 2001 }, (_, i) => [i]);
    const piece = fitting({ title: "a", sentence: "b", svg: "x".repeat(2_000_000), figures: { columns: ["n"], rows } });
    expect(piece.svg).toBeUndefined();
    expect(piece.figures?.rows).toHaveLength(2000);
    expect(piece.sentence).toBe("b; its picture is too large to be kept; of its 2001 rows the first 2000");
  });
});

describe("keeping evidence", () => {
  it("sends picture, way back with the window held, and what the view is about", async () => {
    const sent = answered();
    await open(<View title="the load" />);
    fireEvent.click(await screen.findByRole("button", { name: "keep it" }));
    expect((await screen.findByRole("status")).textContent).toBe("Kept in Slow at nine.go on here");
    const request = sent.find((one) => one.method === "POST");
    expect(request?.url).toContain("/api/v1/cases/4/evidence");
    const body = (await request?.json()) as { evidence: Record<string, unknown>[]; links: unknown };
    expect(body.links).toEqual([{ about: "statement", key: "77", title: "SELECT 1", server: 3 }]);
    expect(body.evidence).toHaveLength(1);
    expect(body.evidence[0]).toMatchObject({ server: 3, sentence: "the load says.", svg: "<svg/>" });
    expect(body.evidence[0]?.["title"]).toMatch(/^The load, today \d\d:\d\d to \d\d:\d\d$/);
    expect(body.evidence[0]?.["link"]).toMatch(/^\/servers\/3\/load\?pick=program%3Agate-scan&from=\d+&to=\d+$/);
  });

  it("gives a table the sentence that its screen begins with", async () => {
    const sent = answered();
    await open(
      <>
        <h1>Better: sessions that wait for locks, 12 times fewer</h1>
        <View title="waits" make={() => ({ title: "waits", sentence: "" })} />
      </>,
    );
    fireEvent.click(await screen.findByRole("button", { name: "keep it" }));
    await waitFor(() => expect(sent.some((one) => one.method === "POST")).toBe(true));
    const body = (await sent.find((one) => one.method === "POST")?.json()) as { evidence: unknown[] };
    expect(body.evidence[0]).toMatchObject({ sentence: "Better: sessions that wait for locks, 12 times fewer" });
  });

  it("makes a new case where none is open, by the title that was given", async () => {
    const sent = answered();
    await open(<View title="the load" />, []);
    fireEvent.change(await screen.findByLabelText("title of the case"), { target: { value: "Slow at ten" } });
    fireEvent.click(screen.getByRole("button", { name: "keep it" }));
    await waitFor(() => expect(sent.some((one) => one.method === "POST")).toBe(true));
    const request = sent.find((one) => one.method === "POST");
    expect(request?.url).toMatch(/\/api\/v1\/cases$/);
    expect(((await request?.json()) as { title: string }).title).toBe("Slow at ten");
  });

  it("waits until it is known which case it belongs to", async () => {
    sessionStorage.setItem("faena-case", "4");
    let list: () => void = () => undefined;
    const sent = answered(201, new Promise((done) => (list = done)));
    await shown(<Opening views={<View title="the load" />} />);
    fireEvent.click(screen.getByRole("button", { name: "k" }));
    const button = await screen.findByRole<HTMLButtonElement>("button", { name: "keep it" });
    expect(screen.getByRole("status").textContent).toBe("Reading the open cases …");
    expect(button.disabled).toBe(true);
    list();
    await waitFor(() => expect(button.disabled).toBe(false));
    fireEvent.click(button);
    await screen.findByText("Slow at nine");
    expect(sent.find((one) => one.method === "POST")?.url).toContain("/cases/4/evidence");
  });

  it("does not take another case for the last one, which the list of before does not have", async () => {
    sessionStorage.setItem("faena-case", "4");
    const other = { ...cases[0], id: 3, title: "of last week" };
    const queries: [readonly unknown[], unknown][] = [[casesQuery("open").queryKey, [other]]];
    const sent = answered();
    await shown(<Stale views={<View title="the load" />} />, queries);
    fireEvent.click(await screen.findByRole("button", { name: "k" }));
    fireEvent.click(await screen.findByRole("button", { name: "keep it" }));
    expect(sent.filter((one) => one.method === "POST")).toEqual([]);
    await screen.findByLabelText("in");
    fireEvent.click(screen.getByRole("button", { name: "keep it" }));
    await waitFor(() => expect(sent.some((one) => one.method === "POST")).toBe(true));
    expect(sent.find((one) => one.method === "POST")?.url).toContain("/cases/4/evidence");
  });

  it("keeps several at once, a lead by its identity", async () => {
    const sent = answered();
    const lead = { server: 3, start: 1, end: 2, identity: "abc" };
    await open(
      <>
        <View title="the load" />
        <View title="lead: a" make={() => ({ title: "a", sentence: "", lead })} />
      </>,
    );
    fireEvent.click(await screen.findByLabelText("lead: a"));
    fireEvent.click(screen.getByRole("button", { name: "keep it" }));
    await waitFor(() => expect(sent.filter((one) => one.method === "POST")).toHaveLength(2));
    const bodies = await Promise.all(
      sent.filter((one) => one.method === "POST").map((one) => one.json() as Promise<object>),
    );
    expect(bodies[1]).toMatchObject({ lead: { ...lead, svg: "" }, evidence: [] });
  });

  it("keeps the view's way alone where nothing on it can be drawn", async () => {
    const sent = answered();
    await open(null);
    expect(await screen.findByLabelText("only the way to this view (Load)")).toBeTruthy();
    fireEvent.click(screen.getByRole("button", { name: "keep it" }));
    await waitFor(() => expect(sent.some((one) => one.method === "POST")).toBe(true));
  });

  it("says why nothing was kept, and keeps what was typed", async () => {
    answered(503);
    await open(<View title="the load" />);
    const note = await screen.findByLabelText<HTMLTextAreaElement>("what it shows, in Markdown");
    fireEvent.change(note, { target: { value: "look" } });
    fireEvent.click(screen.getByRole("button", { name: "keep it" }));
    expect((await screen.findByRole("alert")).textContent).toContain("the store is away");
    expect(note.value).toBe("look");
  });
});

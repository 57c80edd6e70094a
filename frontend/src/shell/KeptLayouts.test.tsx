import { cleanup, fireEvent, screen } from "@testing-library/react";
import { afterEach, describe, expect, it, vi } from "vitest";

import { layoutsQuery } from "../api/queries";
import { shown } from "../testing/shown";
import { useLayout } from "../ui/table/layouts";
import { KeptLayouts } from "./KeptLayouts";

const Columns = ({ table }: { readonly table: string }) => {
  const { layout, keep } = useLayout(table);
  return (
    <label>
      <input
        type="checkbox"
        checked={layout.shown.includes("lag")}
        onChange={(event) => keep({ ...layout, shown: event.target.checked ? ["lag"] : [] })}
      />
      {table}
    </label>
  );
};
const tables = (
  <KeptLayouts>
    <Columns table="servers" />
    <Columns table="indexes" />
  </KeptLayouts>
);
const box = (name: string) => screen.getByRole<HTMLInputElement>("checkbox", { name });
const json = (data: unknown, status = 200) =>
  new Response(JSON.stringify(data), { status, headers: { "Content-Type": "application/json" } });

afterEach(() => {
  cleanup();
  vi.unstubAllGlobals();
});

describe("how a person wants to see tables", () => {
  it("answers a click at once, and sends it for that table alone", async () => {
    const sent: string[] = [];
    vi.stubGlobal(
      "fetch",
      vi.fn(async (request: Request) => {
        sent.push(`${request.method} ${new URL(request.url).pathname} ${await request.text()}`);
        return new Response(null, { status: 204 });
      }),
    );
    await shown(tables, [[layoutsQuery.queryKey, [{ table: "indexes", hidden: [], shown: ["lag"], widths: {} }]]]);
    fireEvent.click(box("servers"));
    expect([box("servers").checked, box("indexes").checked]).toEqual([true, true]); // in the same breath: nothing was awaited
    await vi.waitFor(() => expect(sent).toHaveLength(1));
    expect(sent[0]).toBe('PUT /api/v1/layouts/servers {"hidden":[],"shown":["lag"],"widths":{}}');
  });

  it("is not taken back by an answer that was asked for before", async () => {
    let answer: (response: Response) => void = () => undefined;
    const early = new Promise<Response>((done) => {
      answer = done;
    });
    vi.stubGlobal(
      "fetch",
      vi.fn((request: Request) => (request.method === "GET" ? early : Promise.resolve(json(null)))),
    );
    await shown(tables);
    fireEvent.click(box("servers"));
    answer(json([{ table: "indexes", hidden: [], shown: ["lag"], widths: {} }]));
    await vi.waitFor(() => expect(box("indexes").checked).toBe(true));
    expect(box("servers").checked).toBe(true);
  });

  it("holds on this page though it could not be kept", async () => {
    vi.stubGlobal("fetch", vi.fn().mockRejectedValue(new TypeError("network")));
    await shown(tables, [[layoutsQuery.queryKey, []]]);
    fireEvent.click(box("servers"));
    await new Promise((done) => setTimeout(done, 30));
    expect(box("servers").checked).toBe(true);
  });
});

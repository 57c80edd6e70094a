import { QueryClient, QueryClientProvider, useQuery } from "@tanstack/react-query";
import { act, render } from "@testing-library/react";
import { afterEach, beforeEach, describe, expect, it, vi } from "vitest";

import { BEAT_MS, startBeat } from "./beat";
import { client } from "./client";

const calls: string[] = [];
let stop: () => void;
let queries: QueryClient;

const respond = async (request: Request): Promise<Response> => {
  const path = new URL(request.url).pathname;
  calls.push(path);
  if (path !== "/api/v1/refresh") return new Response("{}", { headers: { "Content-Type": "application/json" } });
  const { asked } = (await request.json()) as { asked: unknown[] };
  const answers = asked.map(() => ({ status: 200, known: "k", body: {} }));
  return new Response(JSON.stringify({ answers }), { headers: { "Content-Type": "application/json" } });
};

const Asks = ({ id, everyMs, enabled = true }: { id: number; everyMs: number | false; enabled?: boolean }) => {
  useQuery({
    queryKey: ["tables", id],
    queryFn: async ({ signal }) => {
      const path = { server_id: id };
      return (await client.GET("/api/v1/servers/{server_id}/tables", { params: { path }, signal })).data ?? null;
    },
    meta: { againMs: everyMs },
    enabled,
  });
  return null;
};

const show = (...parts: React.ReactNode[]) =>
  render(<QueryClientProvider client={queries}>{...parts}</QueryClientProvider>);

const pass = (ms: number) => act(() => vi.advanceTimersByTimeAsync(ms));

beforeEach(() => {
  vi.useFakeTimers();
  vi.stubGlobal("fetch", vi.fn(respond));
  calls.length = 0;
  queries = new QueryClient();
  stop = startBeat(queries);
});

afterEach(() => {
  stop();
  vi.useRealTimers();
  vi.unstubAllGlobals();
  Object.defineProperty(document, "hidden", { value: false, configurable: true });
});

describe("the beat", () => {
  it("asks all that is on screen in one call, as often as it is asked to", async () => {
    show(<Asks key={1} id={1} everyMs={3000} />, <Asks key={2} id={2} everyMs={3500} />);
    await pass(100);
    expect(calls).toHaveLength(2); // the first time each by itself, at once
    await pass(60_000);
    const again = calls.slice(2);
    expect(new Set(again)).toEqual(new Set(["/api/v1/refresh"]));
    expect(again.length).toBeGreaterThanOrEqual(15);
    expect(again.length).toBeLessThanOrEqual(20);
  });

  it.each([500, 1000, 1500, 2000, 2500])(
    "asks in one call what was first asked %s ms apart, when answers take their time",
    async (apart) => {
      vi.stubGlobal("fetch", async (request: Request) => {
        await new Promise((later) => setTimeout(later, 700));
        return respond(request);
      });
      const screen = (...ids: number[]) => (
        <QueryClientProvider client={queries}>
          {ids.map((id) => (
            <Asks key={id} id={id} everyMs={3000} />
          ))}
        </QueryClientProvider>
      );
      const view = render(screen(1));
      await pass(apart);
      view.rerender(screen(1, 2));
      await pass(9000);
      calls.length = 0;
      await pass(30_000);
      expect(new Set(calls)).toEqual(new Set(["/api/v1/refresh"]));
      expect(calls.length).toBeLessThanOrEqual(11);
    },
  );

  it("never asks what follows nothing, is switched off, or has left the screen", async () => {
    const view = show(<Asks key={1} id={1} everyMs={false} />, <Asks key={2} id={2} everyMs={1000} enabled={false} />);
    await pass(10_000);
    expect(calls).toHaveLength(1);
    view.rerender(<QueryClientProvider client={queries}>{<Asks key={3} id={3} everyMs={1000} />}</QueryClientProvider>);
    await pass(5000);
    const asked = calls.length;
    expect(asked).toBeGreaterThan(3);
    view.unmount();
    await pass(10_000);
    expect(calls).toHaveLength(asked);
  });

  it("rests while the tab is hidden and asks at once when it is looked at again", async () => {
    show(<Asks key={1} id={1} everyMs={2000} />);
    await pass(100);
    Object.defineProperty(document, "hidden", { value: true, configurable: true });
    await pass(600_000);
    expect(calls).toHaveLength(1);
    Object.defineProperty(document, "hidden", { value: false, configurable: true });
    document.dispatchEvent(new Event("visibilitychange"));
    await pass(1);
    expect(calls).toHaveLength(2);
  });

  it("takes the shorter period where two screens show the same", async () => {
    show(<Asks key={1} id={1} everyMs={60_000} />, <Asks key={2} id={1} everyMs={2000} />);
    await pass(10_000 + BEAT_MS);
    expect(calls.length).toBeGreaterThanOrEqual(5);
  });

  it("goes on after an answer that failed", async () => {
    let away = true;
    vi.stubGlobal("fetch", (request: Request) => (away ? Promise.reject(new TypeError("off")) : respond(request)));
    queries.setDefaultOptions({ queries: { retry: false, networkMode: "always" } });
    show(<Asks key={1} id={1} everyMs={2000} />);
    await pass(5000);
    away = false;
    await pass(3000);
    expect(calls.length).toBeGreaterThanOrEqual(1);
  });
});

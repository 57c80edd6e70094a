import { describe, expect, it, vi } from "vitest";

import { Together } from "./together";

const BASE = "http://faena.test";
const get = (path: string, signal?: AbortSignal) => new Request(BASE + path, signal ? { signal } : {});
const alone = vi.fn((request: Request) => Promise.resolve(new Response(JSON.stringify({ alone: request.url }))));
const json = async (answer: Promise<Response> | undefined): Promise<unknown> => (await answer)?.json();

type Found = { status: number; known: string | null; body: unknown };

/** A server that answers `found` in turn, and remembers what it was asked. */
function server(...found: Found[][]) {
  const asked: { path: string; known: string | null }[][] = [];
  const post = (questions: readonly { path: string; known: string | null }[]) => {
    asked.push([...questions]);
    return Promise.resolve({ response: new Response(), data: { answers: found[asked.length - 1] ?? [] } });
  };
  return { asked, post };
}

/** Begins the GETs of these paths together. */
function gathered(together: Together, ...paths: string[]): Promise<Response>[] {
  const answers: Promise<Response>[] = [];
  together.gather(() => answers.push(...paths.map((path) => together.fetch(get(path)))));
  return answers;
}

describe("Together", () => {
  it("sends several questions as one call and hands each its own answer", async () => {
    const { asked, post } = server([
      { status: 200, known: "a1", body: { load: 1 } },
      { status: 200, known: "b1", body: { sieve: 2 } },
    ]);
    const [load, sieve] = gathered(new Together(post, alone), "/load?last=900", "/sieve");
    expect(await json(load)).toEqual({ load: 1 });
    expect(await json(sieve)).toEqual({ sieve: 2 });
    expect(asked).toEqual([
      [
        { path: "/load?last=900", known: null },
        { path: "/sieve", known: null },
      ],
    ]);
  });

  it("says what it has, and gives that again where nothing changed", async () => {
    const same = { status: 304, known: "a1", body: null };
    const { asked, post } = server(
      [
        { status: 200, known: "a1", body: { n: 1 } },
        { status: 200, known: "b1", body: { n: 2 } },
      ],
      [same, { status: 200, known: "b2", body: { n: 3 } }],
    );
    const together = new Together(post, alone);
    await Promise.all(gathered(together, "/a", "/b"));
    const [a, b] = gathered(together, "/a", "/b");
    expect(await json(a)).toEqual({ n: 1 });
    expect(await json(b)).toEqual({ n: 3 });
    expect(asked[1]?.map((one) => one.known)).toEqual(["a1", "b1"]);
  });

  it("lets one fail by itself, with its status and its words", async () => {
    const { post } = server([
      { status: 404, known: null, body: { title: "There is no such thing" } },
      { status: 200, known: "b", body: {} },
    ]);
    const [missing, fine] = gathered(new Together(post, alone), "/a", "/b");
    const answer = await missing;
    expect(answer?.status).toBe(404);
    expect(await answer?.json()).toEqual({ title: "There is no such thing" });
    expect((await fine)?.ok).toBe(true);
  });

  it("fails all when Faena cannot be reached", async () => {
    const together = new Together(() => Promise.reject(new TypeError("no network")), alone);
    const results = await Promise.allSettled(gathered(together, "/a", "/b"));
    expect(results.map((one) => one.status)).toEqual(["rejected", "rejected"]);
  });

  it("asks each alone when the call as a whole is refused", async () => {
    const refused = () => Promise.resolve({ response: new Response(null, { status: 401 }) });
    const [a] = gathered(new Together(refused, alone), "/a", "/b");
    expect(await json(a)).toEqual({ alone: `${BASE}/a` });
  });

  it("fails, and hangs for ever on none, when the server gives fewer answers than it was asked for", async () => {
    const { post } = server([{ status: 200, known: "a", body: {} }]);
    const [, short] = await Promise.allSettled(gathered(new Together(post, alone), "/a", "/b"));
    expect(short?.status).toBe("rejected");
  });

  it("asks no more for what was given up meanwhile", async () => {
    const { asked, post } = server([
      { status: 200, known: "a", body: {} },
      { status: 200, known: "c", body: {} },
    ]);
    const together = new Together(post, alone);
    const gone = new AbortController();
    const answers: Promise<Response>[] = [];
    together.gather(() => {
      answers.push(together.fetch(get("/a")), together.fetch(get("/b", gone.signal)), together.fetch(get("/c")));
    });
    gone.abort();
    const [, given] = await Promise.allSettled(answers);
    expect(given).toMatchObject({ status: "rejected", reason: { name: "AbortError" } });
    expect(asked[0]?.map((one) => one.path)).toEqual(["/a", "/c"]);
  });

  it("leaves changes, single questions and what comes later as they are", async () => {
    const { asked, post } = server();
    const together = new Together(post, alone);
    const change = together.fetch(new Request(`${BASE}/x`, { method: "POST" }));
    const [single] = gathered(together, "/a");
    await Promise.all([change, single]);
    const later = together.fetch(get("/b"));
    expect(await json(later)).toEqual({ alone: `${BASE}/b` });
    expect(asked).toEqual([]);
  });

  it("splits what the API does not take in one call", async () => {
    const answer = (): Found => ({ status: 200, known: null, body: {} });
    const { asked, post } = server(Array.from({ length: 24 }, answer), Array.from({ length: 6 }, answer));
    await Promise.all(gathered(new Together(post, alone), ...Array.from({ length: 30 }, (_, i) => `/${i}`)));
    expect(asked.map((one) => one.length)).toEqual([24, 6]);
  });
});

// Several GETs as one call, of which only the answers that changed are sent. Questions and answers stay what they are.
import type { components } from "./schema";

type Answers = components["schemas"]["RefreshOut"];

/** Sends one call for all; throws when Faena cannot be reached. */
type Post = (
  asked: readonly { path: string; known: string | null }[],
) => Promise<{ response: Response; data?: Answers }>;

interface Waiting {
  readonly request: Request;
  readonly answer: (response: Response) => void;
  readonly fail: (reason: unknown) => void;
}

const MOST_KEPT = 60; // answers; an open view has a dozen
const MOST_AT_ONCE = 24; // the API takes no more

/** What goes out in one call, and what came back last for each path. */
export class Together {
  private gathered: Waiting[] | null = null;
  private readonly kept = new Map<string, { known: string; text: string }>();

  constructor(
    private readonly post: Post,
    private readonly alone: (request: Request) => Promise<Response>,
  ) {}

  /** Runs `begin`; all GETs that it begins go out as one call. */
  gather(begin: () => void): void {
    this.gathered = [];
    begin();
    // Requests are made up in steps of their own; those that `begin` caused are all here before the next task.
    setTimeout(() => {
      const waiting = this.gathered ?? [];
      this.gathered = null;
      for (let i = 0; i < waiting.length; i += MOST_AT_ONCE) void this.send(waiting.slice(i, i + MOST_AT_ONCE));
    });
  }

  /** Takes the place of fetch. */
  readonly fetch = (request: Request): Promise<Response> => {
    const gathered = this.gathered;
    if (gathered === null || request.method !== "GET") return this.alone(request);
    return new Promise((answer, fail) => {
      gathered.push({ request, answer, fail });
      request.signal.addEventListener("abort", () => fail(new DOMException("given up", "AbortError")));
    });
  };

  private async send(all: readonly Waiting[]): Promise<void> {
    const waiting = all.filter((one) => !one.request.signal.aborted);
    const [first, ...more] = waiting;
    if (!first) return;
    if (more.length === 0) {
      void this.alone(first.request).then(first.answer, first.fail);
      return;
    }
    try {
      const paths = waiting.map((one) => pathOf(one.request));
      const { response, data } = await this.post(
        paths.map((path) => ({ path, known: this.kept.get(path)?.known ?? null })),
      );
      // What refuses the whole call (signed out, too many) is for each to hear from its own question.
      if (!response.ok || !data) for (const one of waiting) void this.alone(one.request).then(one.answer, one.fail);
      else waiting.forEach((one, i) => this.hand(one, paths[i] ?? "", data.answers[i]));
    } catch (reason) {
      for (const one of waiting) one.fail(reason);
    }
  }

  private hand(one: Waiting, path: string, found: Answers["answers"][number] | undefined): void {
    const before = this.kept.get(path);
    if (!found || (found.status === 304 && !before)) {
      one.fail(new TypeError("an answer is missing"));
      return;
    }
    const text = found.status === 304 ? (before?.text ?? "") : JSON.stringify(found.body);
    if (found.known !== null) this.keep(path, found.known, text);
    const status = found.status === 304 ? 200 : found.status;
    one.answer(new Response(text, { status, headers: { "Content-Type": "application/json" } }));
  }

  private keep(path: string, known: string, text: string): void {
    this.kept.delete(path);
    this.kept.set(path, { known, text });
    const [oldest] = this.kept.keys();
    if (this.kept.size > MOST_KEPT && oldest !== undefined) this.kept.delete(oldest);
  }
}

function pathOf(request: Request): string {
  const url = new URL(request.url);
  return url.pathname + url.search;
}

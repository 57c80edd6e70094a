// For tests of what is sent: a server of a few lines.
import { vi } from "vitest";

export const json = (body: unknown, status = 200): Response =>
  new Response(JSON.stringify(body), {
    status,
    headers: { "Content-Type": status < 400 ? "application/json" : "application/problem+json" },
  });

/** Refused as the API refuses: in words, with the field that they are about. */
export const refused = (detail: string, field: string | null = null, status = 400): Response =>
  json({ type: "bad_input", title: "Bad input", status, detail, field }, status);

export interface Sent {
  readonly method: string;
  readonly path: string;
  readonly body: unknown;
}

/** What is sent but questions, in order; each is answered with the next of `answers`, a question with what `asked` says. */
export function answering(answers: readonly Response[], asked: (path: string) => Response = () => json([])): Sent[] {
  const sent: Sent[] = [];
  const left = [...answers];
  vi.stubGlobal("fetch", async (request: Request) => {
    const { pathname } = new URL(request.url);
    if (request.method === "GET") return asked(pathname);
    const body = await request.text();
    sent.push({ method: request.method, path: pathname, body: body ? (JSON.parse(body) as unknown) : null });
    return left.shift() ?? json({}, 500);
  });
  return sent;
}

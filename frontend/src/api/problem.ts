// Errors of the API as one class: what failed, where, and what to do.

export interface CollectorStatus {
  readonly readings_waiting?: number;
  readonly at?: number;
}

export class ApiError extends Error {
  constructor(
    readonly status: number,
    readonly type: string,
    readonly title: string,
    detail: string,
    readonly field: string | null = null,
    readonly remedy: string | null = null,
    readonly collector: CollectorStatus | null = null,
  ) {
    super(detail);
    this.name = "ApiError";
  }

  /** Worth trying again by itself: the store or the server is away, not the request wrong. */
  get passing(): boolean {
    return this.status >= 502 || this.status === 0;
  }
}

const text = (value: unknown): string | null => (typeof value === "string" ? value : null);

/** From the body of a failed answer, whatever it holds. */
export function toApiError(status: number, body: unknown): ApiError {
  const raw = (typeof body === "object" && body !== null ? body : {}) as Record<string, unknown>;
  const collector = typeof raw.collector === "object" ? (raw.collector as CollectorStatus | null) : null;
  return new ApiError(
    status,
    text(raw.type) ?? "urn:faena:unknown",
    text(raw.title) ?? `The server answered ${status}`,
    text(raw.detail) ?? "Try again; if it stays, look at the web server's log.",
    text(raw.field),
    text(raw.remedy),
    collector,
  );
}

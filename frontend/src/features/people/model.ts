// What the record says, in words.

const ACTS: Record<string, string> = {
  sign_in: "signed in",
  "sign_in.failed": "could not sign in",
  sign_out: "signed out",
  "person.added": "added a person",
  "person.changed": "changed a person",
  "person.password_reset": "gave a person a new password",
  "password.changed": "changed the own password",
  "password.refused": "gave a wrong present password",
  "server.connected": "connected a server",
  "server.changed": "changed how a server is reached",
  "server.paused": "paused a server",
  "server.resumed": "resumed watching a server",
  "server.removed": "removed a server",
  "capture.changed": "changed the capture",
  "close_watch.begun": "began a close watch",
  "close_watch.ended": "ended a close watch",
  "token.made": "made a token for a machine",
  "plan.asked": "asked for a plan",
  "plan.measured": "ran a statement to measure it",
  "statement.ended": "ended a statement",
  "session.ended": "ended a session",
  "deadlock.handled": "noted a deadlock as handled",
  "secret.rotated": "made a new secret",
  "record.exported": "exported the record",
  "refused.replayed": "tried again to store refused records",
};

/** Kinds of acts to narrow the record to. */
export const KINDS = [
  { value: "", label: "everything" },
  { value: "sign_", label: "sign-ins" },
  { value: "person.", label: "people" },
  { value: "server.", label: "servers" },
  { value: "capture.", label: "capture" },
  { value: "plan.", label: "plans asked for" },
  { value: "session.", label: "sessions ended" },
] as const;

export const actWords = (act: string): string => ACTS[act] ?? act.replaceAll(/[._]/g, " ");

/** Where the record comes out as a file. */
export const exportPath = (by: string, act: string, format: "csv" | "jsonl"): string =>
  `/api/v1/audit/export?${new URLSearchParams({ by, act, format })}`;

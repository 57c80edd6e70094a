import { Link } from "@tanstack/react-router";

import type { Schemas } from "../../api/client";

interface Props {
  readonly wait: Schemas["WaitOut"];
  readonly server: number;
}

/** What the wait means, what it rules out, and where to look next. */
export const Explanation = ({ wait, server }: Props) => (
  <section aria-label="What this wait means" className="text-[13px] leading-snug">
    <h2 className="font-semibold">{wait.event ? `${wait.wait_type}: ${wait.event}` : "Running, no wait"}</h2>
    <p className="text-muted">{wait.meaning}</p>
    <p className="mt-1">
      <span className="font-semibold">Next</span> {wait.look_next[0]}{" "}
      {wait.wait_type === "Lock" ? (
        <Link to="/servers/$server/blocking" params={{ server: String(server) }} className="text-accent underline">
          who holds whom
        </Link>
      ) : null}
      {wait.wait_type === "IO" ? (
        <Link to="/servers/$server/split" params={{ server: String(server) }} className="text-accent underline">
          more reads, or slower ones
        </Link>
      ) : null}
    </p>
    <details className="mt-1">
      <summary className="hover:text-accent cursor-pointer">usual causes, and what it rules out</summary>
      <ul className="mt-1 list-disc pl-4">
        {wait.causes.map((cause) => (
          <li key={cause}>{cause}</li>
        ))}
      </ul>
      <p className="mt-1">
        <span className="font-semibold">Rules out</span> {wait.rules_out.join("; ")}
      </p>
      {wait.look_next.slice(1).map((step) => (
        <p key={step} className="mt-1">
          {step}
        </p>
      ))}
    </details>
  </section>
);

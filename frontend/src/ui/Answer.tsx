import type { ReactNode } from "react";

import { clock } from "../lib/time";
import { Failure } from "./Failure";

/** What a question has come to, as far as this needs it; a query's result is one. */
export interface Asked<T> {
  readonly data: T | undefined;
  readonly error: (Error & { readonly status?: number; readonly remedy?: string | null }) | null;
  readonly isPlaceholderData: boolean;
  readonly dataUpdatedAt: number;
  readonly refetch: () => unknown;
}

interface StateProps {
  readonly of: Asked<unknown>;
  readonly what: string; // begins with a small letter: "the log of this window"
}

const FINAL = [400, 403, 404, 422]; // asking again would only be told the same

/** Says that an answer is waited for, could not be had, or is an older one; nothing where it is there. */
export const AnswerState = ({ of: asked, what }: StateProps) => {
  if (asked.error) {
    const named = what.charAt(0).toUpperCase() + what.slice(1);
    const older = asked.data !== undefined;
    return (
      <Failure
        title={older ? `${named}: no newer answer` : `${named} cannot be shown`}
        detail={older ? `${asked.error.message} This is as of ${clock(asked.dataUpdatedAt)}.` : asked.error.message}
        remedy={asked.error.remedy ?? null}
        {...(FINAL.includes(asked.error.status ?? 0) ? {} : { retry: () => void asked.refetch() })}
      />
    );
  }
  if (asked.data !== undefined) return null;
  return (
    <p role="status" className="text-muted py-2">
      Reading {what} …
    </p>
  );
};

interface Props<T> {
  readonly of: Asked<T>;
  readonly what: string;
  readonly className?: string;
  readonly children: (data: T) => ReactNode;
}

/** The one way to show what was asked for: waiting, failed, older and faint are said once and the same everywhere. */
export function Answer<T>({ of: asked, what, className = "", children }: Props<T>) {
  const faint = asked.isPlaceholderData || (asked.error && asked.data !== undefined);
  return (
    <>
      <AnswerState of={asked} what={what} />
      {asked.data === undefined ? null : (
        <div className={`${className} ${faint ? "opacity-50" : ""}`} aria-busy={asked.isPlaceholderData}>
          {children(asked.data)}
        </div>
      )}
    </>
  );
}

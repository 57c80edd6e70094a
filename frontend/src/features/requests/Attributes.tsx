import { useQuery } from "@tanstack/react-query";
import { X } from "lucide-react";
import { useState } from "react";

import { counted } from "../../lib/units";
import { type Base, windowOf } from "../../lib/view";
import { attributesQuery, type Only } from "./queries";

interface Props {
  readonly server: number;
  readonly endpoint: number | null;
  readonly search: Base & Only;
  readonly onAttributes: (attribute: string[]) => void;
}

const KNOWN = "attributes-known";

/** Attributes that requests must have: those chosen, each to be left out again, and a field for one more. */
export const Attributes = ({ server, endpoint, search, onAttributes }: Props) => {
  const [typed, setTyped] = useState("");
  const [asked, setAsked] = useState(false);
  const chosen = search.attribute ?? [];
  const known = useQuery({ ...attributesQuery(server, windowOf(search), search, endpoint), enabled: asked });
  const options = (known.data?.attributes ?? []).filter((one) => !chosen.includes(one.text));
  const add = (text: string): void => {
    if (!/^[^=]+=/.test(text)) return;
    setTyped("");
    if (!chosen.includes(text)) onAttributes([...chosen, text]);
  };
  return (
    <span className="flex flex-wrap items-baseline gap-2">
      {chosen.map((one) => (
        <button
          key={one}
          type="button"
          aria-label={`leave out ${one}`}
          className="hover:text-accent inline-flex min-h-6 items-center gap-1 border px-1"
          onClick={() => onAttributes(chosen.filter((other) => other !== one))}
        >
          {one}
          <X size={12} aria-hidden="true" />
        </button>
      ))}
      <form
        onSubmit={(event) => {
          event.preventDefault();
          add(typed.trim());
        }}
      >
        <input
          type="text"
          aria-label="attribute of requests"
          placeholder="attribute=value"
          title="requests that have this attribute; Enter narrows"
          list={KNOWN}
          value={typed}
          onFocus={() => setAsked(true)}
          onChange={(event) => {
            const text = event.target.value;
            if (options.some((one) => one.text === text)) add(text);
            else setTyped(text);
          }}
          className="min-h-6 w-32 border-b bg-transparent"
        />
        <datalist id={KNOWN}>
          {options.map((one) => (
            <option key={one.text} value={one.text}>
              {counted(Math.round(one.requests), "request")}
            </option>
          ))}
        </datalist>
      </form>
    </span>
  );
};

/** Says that figures are estimates, where an attribute narrows. */
export const Estimated = ({ of, attribute }: { readonly of: string; readonly attribute: readonly string[] }) =>
  attribute.length ? (
    <p className="text-muted text-sm">
      Estimated from the requests that are kept singly: {of} are summed up for all requests only, not by attribute.
    </p>
  ) : null;

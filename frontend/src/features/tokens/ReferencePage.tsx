import { useQuery } from "@tanstack/react-query";
import { Link } from "@tanstack/react-router";

import { count } from "../../lib/units";
import { Answer } from "../../ui/Answer";
import { CopyButton } from "../../ui/CopyButton";
import { SearchField } from "../../ui/SearchField";
import type { ReferenceSearch } from "./tokens.route";
import { DESCRIPTION, type Described, type Operation, type Shape, descriptionQuery } from "./queries";

interface Props {
  readonly search: ReferenceSearch;
  readonly onSearch: (change: Partial<ReferenceSearch>) => void;
}

/** The API as it describes itself: each question with what it takes and what it answers. */
export const ReferencePage = ({ search, onSearch }: Props) => {
  const found = useQuery(descriptionQuery);
  return (
    <div className="pane px-6 pt-3 pb-6">
      <div className="flex items-baseline justify-between">
        <h1 className="text-lg font-semibold">API reference</h1>
        <span className="flex gap-6 text-sm">
          <Link to="/tokens" className="text-accent underline">
            API tokens
          </Link>
          <a href={DESCRIPTION} className="text-accent underline">
            the same as OpenAPI
          </a>
        </span>
      </div>
      <SearchField
        className="mt-2 w-72"
        label="only what names"
        placeholder="leads, servers, export"
        value={search.operations ?? ""}
        onChange={(operations) => onSearch({ operations })}
      />
      <Answer of={found} what="the description of the API">
        {(told) => <Operations of={listed(told, search.operations ?? "")} />}
      </Answer>
    </div>
  );
};

export interface Listed {
  readonly path: string;
  readonly method: string;
  readonly operation: Operation;
}

/** By tag, in the order of the description; those that have all the words. */
export function listed(told: Described, words: string): ReadonlyMap<string, readonly Listed[]> {
  const wanted = words.toLowerCase().split(/\s+/).filter(Boolean);
  const found = new Map<string, Listed[]>();
  for (const [path, methods] of Object.entries(told.paths))
    for (const [method, operation] of Object.entries(methods)) {
      const text = `${path} ${method} ${operation.operationId} ${operation.description ?? ""}`.toLowerCase();
      if (!wanted.every((one) => text.includes(one))) continue;
      const tag = operation.tags?.[0] ?? "other";
      found.set(tag, [...(found.get(tag) ?? []), { path, method, operation }]);
    }
  return found;
}

const Operations = ({ of }: { readonly of: ReturnType<typeof listed> }) => {
  const many = [...of.values()].reduce((sum, its) => sum + its.length, 0);
  return (
    <>
      <p className="text-muted mt-2 text-sm">
        {many === 0 ? "Nothing names all of these words." : count(many)}
        {many === 0 ? "" : " questions and acts."}
      </p>
      {[...of].map(([tag, its]) => (
        <section key={tag} aria-label={tag} className="mt-4">
          <h2 className="border-strong border-b font-semibold first-letter:uppercase">{tag}</h2>
          {its.map((one) => (
            <One key={`${one.method} ${one.path}`} of={one} />
          ))}
        </section>
      ))}
    </>
  );
};

const One = ({ of: { path, method, operation } }: { readonly of: Listed }) => {
  const body = shapeOf(operation.requestBody?.content);
  const answer = shapeOf(Object.entries(operation.responses).find(([status]) => status.startsWith("2"))?.[1].content);
  return (
    <details className="border-line border-b py-0.5">
      <summary className="min-h-6">
        <span className="inline-block w-16 font-mono text-xs uppercase">{method}</span>
        <span className="font-mono text-xs">{path}</span>
        <span className="text-muted ml-4">{operation.description}</span>
      </summary>
      <div className="pb-2 pl-20 text-sm">
        {operation.parameters?.length ? (
          <ul>
            {operation.parameters.map((one) => (
              <li key={one.name}>
                <span className="font-mono text-xs">{one.name}</span>{" "}
                <span className="text-muted">
                  {one.in}, {named(one.schema)}
                  {one.required ? ", required" : ""}
                  {one.description ? `: ${one.description}` : ""}
                </span>
              </li>
            ))}
          </ul>
        ) : null}
        {body ? <p>takes {body}</p> : null}
        {answer ? <p>answers {answer}</p> : null}
        <p className="flex items-center gap-2">
          <code className="font-mono text-xs break-all">{curl(method, path)}</code>
          <CopyButton text={curl(method, path)} label={`copy the call of ${operation.operationId}`} />
        </p>
      </div>
    </details>
  );
};

const shapeOf = (content: Readonly<Record<string, { readonly schema?: Shape }>> | undefined): string => {
  const [kind, told] = Object.entries(content ?? {})[0] ?? [];
  if (kind === undefined) return "";
  return kind === "application/json" ? named(told?.schema) : kind;
};

/** A shape by its name: "ServerOut", "list of LeadOut", "integer or null". */
export function named(shape: Shape | undefined): string {
  if (!shape) return "anything";
  if (shape.$ref) return shape.$ref.split("/").at(-1) ?? "";
  if (shape.anyOf) return shape.anyOf.map(named).join(" or ");
  if (shape.enum) return shape.enum.map((one) => JSON.stringify(one)).join(", ");
  if (shape.type === "array") return `list of ${named(shape.items)}`;
  return shape.type ?? shape.title ?? "anything";
}

/** A call as it is typed, with the token in a variable. */
export const curl = (method: string, path: string): string =>
  [
    `curl -H "Authorization: Bearer $TOKEN"`,
    ...(method === "get" ? [] : [`-X ${method.toUpperCase()}`]),
    `'${window.location.origin}${path}'`,
  ].join(" ");

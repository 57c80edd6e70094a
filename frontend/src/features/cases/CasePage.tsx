import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { Link, useNavigate } from "@tanstack/react-router";
import { useState } from "react";

import { type CasePage as Page, caseQuery } from "../../api/cases";
import { ask, client } from "../../api/client";
import { when } from "../../lib/time";
import { shownZone } from "../../lib/zone";
import { Answer } from "../../ui/Answer";
import { Button } from "../../ui/Button";
import { Failure } from "../../ui/Failure";
import { Pieces } from "./Pieces";
import { Prose, Writing } from "./Writing";

interface Props {
  readonly id: number;
  readonly role: string;
}

/** One investigation: its evidence in order, what people said of it, and the conclusion. */
export const CasePage = ({ id, role }: Props) => {
  const found = useQuery(caseQuery(id));
  return (
    <div className="pane px-6 pt-3 pb-6">
      <Answer of={found} what="this case">
        {(page) => <Whole page={page} canAct={role === "operator" || role === "admin"} canDelete={role === "admin"} />}
      </Answer>
    </div>
  );
};

interface WholeProps {
  readonly page: Page;
  readonly canAct: boolean;
  readonly canDelete?: boolean;
}

const Whole = ({ page, canAct, canDelete = false }: WholeProps) => {
  const one = page.case;
  return (
    <>
      <p className="text-muted text-sm">
        <Link to="/cases" className="text-accent underline">
          casebook
        </Link>
      </p>
      <h1 className="text-lg font-semibold">{one.title}</h1>
      <p className="text-muted">
        {one.state}, begun by {one.by || "nobody"} {when(one.made, false)}
        {one.people.length ? `, with ${one.people.join(", ")}` : ""}
        {one.address ? `, imported from ${one.address}` : ""}
      </p>
      <Links page={page} />
      <div className="mt-1 flex flex-wrap items-center gap-x-6 gap-y-1 print:hidden">
        {canAct ? <State page={page} /> : null}
        <Export id={one.id} />
        {canDelete ? <Delete id={one.id} title={one.title} /> : null}
      </div>
      <div className="mt-3 grid grid-cols-[minmax(0,3fr)_minmax(0,2fr)] gap-10 small:grid-cols-1">
        <Pieces page={page} canAct={canAct} />
        <div>
          <Conclusion page={page} canAct={canAct} />
          <Comments page={page} canAct={canAct} />
        </div>
      </div>
    </>
  );
};

const WAYS = {
  lead: { to: "/servers/$server/leads/history" },
  pattern: { to: "/servers/$server/deadlocks/$pattern" },
  statement: { to: "/servers/$server/statements/$query" },
  change: { to: "/servers/$server/changes" },
  alert: { to: "/alerts/$alert" },
} as const;

const Links = ({ page }: { readonly page: Page }) =>
  page.case.links.length === 0 ? null : (
    <ul aria-label="what it is about" className="text-sm">
      {page.case.links.map((one) => (
        <li key={`${one.about} ${one.server_name} ${one.key}`}>
          <span className="text-muted">{one.label}</span>{" "}
          {one.server === null && one.about !== "alert" ? (
            one.title
          ) : (
            <Link
              to={WAYS[one.about].to}
              params={{ server: String(one.server), pattern: one.key, query: one.key, alert: one.key } as never}
              className="text-accent underline"
            >
              {one.title}
            </Link>
          )}{" "}
          {one.server_name ? <span className="text-muted">on {one.server_name}</span> : null}
        </li>
      ))}
    </ul>
  );

const useChangeCase = (id: number) => {
  const queries = useQueryClient();
  return useMutation({
    mutationFn: (body: { state?: string; conclusion?: string; seen?: number }) =>
      ask(client.PATCH("/api/v1/cases/{case_id}", { params: { path: { case_id: id } }, body })),
    onSuccess: () => queries.invalidateQueries({ queryKey: ["cases"] }),
  });
};

const State = ({ page }: { readonly page: Page }) => {
  const change = useChangeCase(page.case.id);
  const open = page.case.state === "open";
  return (
    <span className="flex items-baseline gap-3">
      <Button onClick={() => change.mutate({ state: open ? "closed" : "open" })} disabled={change.isPending}>
        {open ? "close the case" : "open it again"}
      </Button>
      {open && !page.case.conclusion ? <span className="text-muted text-sm">it has no conclusion yet</span> : null}
      {change.error ? <Failure title="The case was not changed" detail={change.error.message} /> : null}
    </span>
  );
};

const Export = ({ id }: { readonly id: number }) => {
  const zone = encodeURIComponent(shownZone() ?? Intl.DateTimeFormat().resolvedOptions().timeZone);
  const to = (form: string): string => `/api/v1/cases/${id}/export?form=${form}&zone=${zone}`;
  return (
    <span className="flex gap-4 text-sm">
      <a href={to("page")} download className="text-accent underline">
        export as a page
      </a>
      <a href={to("archive")} download className="text-accent underline">
        export as Markdown with pictures
      </a>
    </span>
  );
};

const Delete = ({ id, title }: { readonly id: number; readonly title: string }) => {
  const queries = useQueryClient();
  const navigate = useNavigate();
  const [asked, setAsked] = useState(false);
  const remove = useMutation({
    mutationFn: () => ask(client.DELETE("/api/v1/cases/{case_id}", { params: { path: { case_id: id } } })),
    onSuccess: () => {
      void queries.invalidateQueries({ queryKey: ["cases"], refetchType: "none" });
      void navigate({ to: "/cases" });
    },
  });
  if (!asked) return <Button onClick={() => setAsked(true)}>delete…</Button>;
  return (
    <span className="flex items-baseline gap-3">
      <span>“{title}” goes with all of its evidence, for everybody.</span>
      <Button onClick={() => remove.mutate()} disabled={remove.isPending}>
        delete it for good
      </Button>
      <Button onClick={() => setAsked(false)}>do not delete</Button>
      {remove.error ? <Failure title="The case was not deleted" detail={remove.error.message} /> : null}
    </span>
  );
};

const Conclusion = ({ page, canAct }: WholeProps) => {
  const change = useChangeCase(page.case.id);
  return (
    <section aria-label="Conclusion">
      <h2 className="border-strong border-b font-semibold">Conclusion</h2>
      <Writing
        text={page.case.conclusion}
        html={page.conclusion_html}
        label="conclusion"
        none="What it was, and what mended it, is not written yet."
        canWrite={canAct}
        onKeep={(conclusion) => change.mutateAsync({ conclusion, seen: page.case.changed })}
      />
    </section>
  );
};

const Comments = ({ page, canAct }: WholeProps) => {
  const queries = useQueryClient();
  const add = (text: string) =>
    ask(
      client.POST("/api/v1/cases/{case_id}/comments", {
        params: { path: { case_id: page.case.id } },
        body: { text },
      }),
    ).then((told) => queries.setQueryData(caseQuery(page.case.id).queryKey, told));
  return (
    <section aria-label="Comments" className="mt-5">
      <h2 className="border-strong border-b font-semibold">Comments</h2>
      {page.comments.map((one) => (
        <article key={`${one.at} ${one.by}`} className="border-line border-b py-1">
          <p className="text-muted text-sm">
            {one.by}, {when(one.at, false)}
          </p>
          <Prose html={one.html} />
        </article>
      ))}
      {canAct ? <Writing text="" html="" label="comment" none="" canWrite onKeep={add} /> : null}
    </section>
  );
};

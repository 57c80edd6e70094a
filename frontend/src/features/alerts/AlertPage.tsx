import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { Link } from "@tanstack/react-router";
import { useState } from "react";

import { ask, client, type Schemas } from "../../api/client";
import { stepParts } from "../../lib/nextStep";
import { when } from "../../lib/time";
import { counted } from "../../lib/units";
import { InCases } from "../../shell/InCases";
import { Answer } from "../../ui/Answer";
import { Button } from "../../ui/Button";
import { Ddl } from "../../ui/Ddl";
import { Failure } from "../../ui/Failure";
import { Acts } from "./Acts";
import { alertQuery } from "./queries";

type Page = Schemas["AlertPageOut"];

interface Props {
  readonly id: number;
  readonly role: string;
}

/** One alert: what held, what was at fault then, who was told, and what people say. */
export const AlertPage = ({ id, role }: Props) => {
  const found = useQuery(alertQuery(id));
  return (
    <div className="pane px-6 pt-3 pb-6">
      <Answer of={found} what="this alert">
        {(page) => <Told page={page} canKeep={role === "operator" || role === "admin"} />}
      </Answer>
    </div>
  );
};

const Told = ({ page, canKeep }: { readonly page: Page; readonly canKeep: boolean }) => (
  <>
    <p className="text-muted text-sm">
      <Link to="/alerts" className="text-accent underline">
        alerts
      </Link>
    </p>
    <h1 className="text-lg font-semibold">{page.alert.headline}</h1>
    <p className="text-muted">
      {page.when || `Since ${when(page.alert.began)}.`} Severity: {page.alert.severity_label}.{" "}
      {page.times > 1 ? `The same fired ${counted(page.times, "time")} in 30 days.` : ""}
    </p>
    <div className="mt-2 flex items-baseline gap-6">
      <Look page={page} />
      <span>
        {page.alert.state}
        {page.alert.state_by ? ` by ${page.alert.state_by} ${when(page.alert.state_at, false)}` : ""}
      </span>
      {page.alert.may_act ? <Acts of={page.alert} /> : null}
    </div>
    {page.server === null ? null : (
      <div className="mt-2">
        <InCases
          server={page.server}
          about="alert"
          of={String(page.alert.id)}
          {...(canKeep ? { make: { alert: page.alert.id } } : {})}
        />
      </div>
    )}
    <div className="mt-4 grid grid-cols-[minmax(0,3fr)_minmax(0,2fr)] gap-10 small:grid-cols-1">
      <div>
        <Part title="What holds">
          {page.alert.firings.map((one) => (
            <li key={`${one.condition_id} ${one.server_id} ${one.began}`}>
              {one.sentence}
              <span className="text-muted"> {one.over === null ? "goes on" : `until ${when(one.over)}`}</span>
            </li>
          ))}
        </Part>
        {page.chain.length ? (
          <Part title="What was at fault, as Faena found it then" ordered>
            {page.chain.map((sentence) => (
              <li key={sentence}>{sentence}</li>
            ))}
          </Part>
        ) : null}
        {page.next_step ? (
          <section className="mt-4">
            <h2 className="font-semibold">Next step</h2>
            <NextStep told={page.next_step} />
          </section>
        ) : null}
        {page.changes.length ? (
          <Part title="What had changed">
            {page.changes.map((line) => (
              <li key={line}>{line}</li>
            ))}
          </Part>
        ) : null}
      </div>
      <div>
        {page.picture ? (
          <img src={page.picture} alt={page.picture_says} width={560} height={150} className="mt-4 max-w-full" />
        ) : null}
        <Notices page={page} />
        <Comments page={page} />
      </div>
    </div>
  </>
);

/** SQL to copy, and what it does. */
const NextStep = ({ told }: { readonly told: string }) => {
  const { sql, words } = stepParts(told);
  return (
    <>
      {sql ? <Ddl text={sql} /> : null}
      {words ? <p className="first-letter:uppercase">{words}</p> : null}
    </>
  );
};

/** To the very window that the alert tells of. */
const Look = ({ page }: { readonly page: Page }) =>
  page.server === null ? null : (
    <Link
      to="/servers/$server/leads"
      params={{ server: String(page.server) }}
      search={{ from: page.start, to: page.end }}
      className="bg-accent text-ground rounded-sm px-2 py-0.5 font-semibold"
    >
      open its window
    </Link>
  );

interface PartProps {
  readonly title: string;
  readonly ordered?: boolean;
  readonly children: React.ReactNode;
}

const Part = ({ title, ordered = false, children }: PartProps) => (
  <section className="mt-4" aria-label={title}>
    <h2 className="font-semibold">{title}</h2>
    {ordered ? <ol className="list-decimal pl-5">{children}</ol> : <ul>{children}</ul>}
  </section>
);

const Notices = ({ page }: { readonly page: Page }) => (
  <Part title="Who was told">
    {page.notices.length === 0 ? (
      <li className="text-muted">{page.alert.muted ? "Nobody: it is muted." : "Nobody yet, by any way."}</li>
    ) : null}
    {page.notices.map((one) => (
      <li key={`${one.way} ${one.made} ${one.what}`}>
        {one.what} by {one.way}:{" "}
        {one.state === "sent" && one.sent !== null ? (
          `sent ${when(one.sent)}`
        ) : one.state === "waiting" && one.tries === 0 ? (
          "on its way"
        ) : (
          <span className="text-danger">
            {one.state === "given_up" ? "given up" : `not taken yet, next try ${when(one.next)}`}
            {one.error ? `: ${one.error}` : ""}
          </span>
        )}
      </li>
    ))}
  </Part>
);

const Comments = ({ page }: { readonly page: Page }) => {
  const queries = useQueryClient();
  const [text, setText] = useState("");
  const add = useMutation({
    mutationFn: () =>
      ask(
        client.POST("/api/v1/alerts/{alert_id}/comments", {
          params: { path: { alert_id: page.alert.id } },
          body: { text },
        }),
      ),
    onSuccess: () => {
      setText("");
      void queries.invalidateQueries({ queryKey: ["alerts"] });
    },
  });
  return (
    <section className="mt-4" aria-label="Comments">
      <h2 className="font-semibold">Comments</h2>
      {page.said.map((one) => (
        <p key={one.at} className="mt-1">
          <span className="text-muted text-sm">
            {one.by}, {when(one.at, false)}
          </span>
          <br />
          {one.text}
        </p>
      ))}
      {page.alert.may_act ? (
        <form
          className="mt-2 flex items-baseline gap-3"
          onSubmit={(event) => {
            event.preventDefault();
            add.mutate();
          }}
        >
          <input
            value={text}
            onChange={(event) => setText(event.target.value)}
            aria-label="a comment"
            className="border-line bg-raised grow border px-2"
          />
          <Button type="submit" disabled={!text.trim() || add.isPending}>
            comment
          </Button>
        </form>
      ) : null}
      {add.error ? <Failure title="The comment was not kept" detail={add.error.message} /> : null}
    </section>
  );
};

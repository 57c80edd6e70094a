import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";

import { type Schemas, ask, client } from "../../api/client";
import { stamp } from "../../lib/time";
import { count } from "../../lib/units";
import { AnswerState } from "../../ui/Answer";
import { Button } from "../../ui/Button";
import { CopyButton } from "../../ui/CopyButton";
import { Failure } from "../../ui/Failure";
import { traceSourcesQuery } from "./queries";

type Source = Schemas["TraceSourceOut"];

interface Props {
  readonly server: number;
  readonly canChange: boolean;
}

/** Applications that send traces of this server, each with a token of its own, and what is kept of their spans. */
export const TraceSources = ({ server, canChange }: Props) => {
  const sources = useQuery(traceSourcesQuery(server));
  const [told, setTold] = useState<{ readonly name: string; readonly token: string } | null>(null);
  return (
    <section>
      <h2 className="border-strong border-b font-semibold">Traces</h2>
      <p className="text-muted py-1">
        An application sends OpenTelemetry traces to {window.location.origin}/v1/traces (OTLP over HTTP, protobuf or
        JSON) with the header <code className="font-mono text-xs">Authorization: Bearer …</code>
      </p>
      <AnswerState of={sources} what="sources of traces" />
      {sources.data?.sources.map((one) => (
        <OneSource key={one.id} server={server} source={one} canChange={canChange} onToken={setTold} />
      ))}
      {told ? (
        <p role="status" className="bg-raised my-1 px-3 py-1">
          The token of {told.name}, told this once: <code className="font-mono text-xs break-all">{told.token}</code>{" "}
          <CopyButton text={told.token} label="copy the token" />
        </p>
      ) : null}
      {canChange ? <NewSource server={server} onToken={setTold} /> : null}
    </section>
  );
};

interface TokenProps {
  readonly server: number;
  readonly onToken: (told: { readonly name: string; readonly token: string }) => void;
}

const NewSource = ({ server, onToken }: TokenProps) => {
  const [name, setName] = useState("");
  const queries = useQueryClient();
  const make = useMutation({
    mutationFn: () =>
      ask(
        client.POST("/api/v1/servers/{server_id}/trace-sources", {
          params: { path: { server_id: server } },
          body: { name },
        }),
      ),
    onSuccess: async ({ token }) => {
      onToken({ name, token });
      setName("");
      await queries.invalidateQueries({ queryKey: traceSourcesQuery(server).queryKey });
    },
  });
  return (
    <form
      className="flex items-center gap-2 py-1"
      onSubmit={(event) => {
        event.preventDefault();
        make.mutate();
      }}
    >
      <label>
        another application{" "}
        <input
          value={name}
          placeholder="name"
          onChange={(event) => setName(event.target.value)}
          className="border-line bg-raised w-40 border px-1"
        />
      </label>
      <Button type="submit" disabled={make.isPending || name.trim() === ""}>
        make a token
      </Button>
      {make.error ? <Failure title="No token was made" detail={make.error.message} /> : null}
    </form>
  );
};

/** What came of a source, and what is kept of its spans. */
const OneSource = ({
  server,
  source,
  canChange,
  onToken,
}: TokenProps & { readonly source: Source; readonly canChange: boolean }) => {
  const queries = useQueryClient();
  const path = { server_id: server, source_id: source.id };
  const fresh = () => queries.invalidateQueries({ queryKey: traceSourcesQuery(server).queryKey });
  const [asked, setAsked] = useState<"renew" | "remove" | null>(null);
  const act = useMutation({
    mutationFn: async (what: "renew" | "remove") => {
      if (what === "remove")
        await ask(client.DELETE("/api/v1/servers/{server_id}/trace-sources/{source_id}", { params: { path } }));
      else {
        const { token } = await ask(
          client.POST("/api/v1/servers/{server_id}/trace-sources/{source_id}/token", { params: { path } }),
        );
        onToken({ name: source.name, token });
      }
      setAsked(null);
      await fresh();
    },
  });
  return (
    <div className="border-line border-b py-1">
      <p>
        <b className="font-semibold">{source.name}</b>{" "}
        <span className="text-muted">
          {source.last_used === null ? "has sent nothing yet" : `sent last at ${stamp(source.last_used)}`} ·{" "}
          {count(source.spans)} spans, {count(source.duplicates)} came twice, {count(source.rejected)} rejected
          {source.rejected_why ? ` (${source.rejected_why})` : ""}
        </span>
      </p>
      {canChange ? (
        <>
          <Keeps key={JSON.stringify(source.attributes)} server={server} source={source} onSaved={fresh} />
          <p className="flex gap-2 text-sm">
            {asked === null ? (
              <>
                <Button onClick={() => setAsked("renew")}>another token …</Button>
                <Button onClick={() => setAsked("remove")}>remove …</Button>
              </>
            ) : (
              <>
                {asked === "renew"
                  ? "The present token ends at once."
                  : "Its token ends and its single requests go; sums stay."}
                <Button look="action" disabled={act.isPending} onClick={() => act.mutate(asked)}>
                  {asked === "renew" ? "make another" : "remove it"}
                </Button>
                <Button onClick={() => setAsked(null)}>leave it as it is</Button>
              </>
            )}
          </p>
        </>
      ) : null}
      {act.error ? <Failure title="That was not done" detail={act.error.message} /> : null}
    </div>
  );
};

interface KeepsProps {
  readonly server: number;
  readonly source: Source;
  readonly onSaved: () => Promise<unknown>;
}

const Keeps = ({ server, source, onSaved }: KeepsProps) => {
  const [attributes, setAttributes] = useState(source.attributes.join(", "));
  const [personal, setPersonal] = useState(source.personal);
  const [target, setTarget] = useState(String(source.target_ms));
  const [days, setDays] = useState(String(source.retention_days));
  const save = useMutation({
    mutationFn: () =>
      ask(
        client.PUT("/api/v1/servers/{server_id}/trace-sources/{source_id}", {
          params: { path: { server_id: server, source_id: source.id } },
          body: {
            attributes: attributes.split(/[\s,]+/).filter(Boolean),
            personal,
            target_ms: Number(target) || 0,
            retention_days: Number(days) || 0,
          },
        }),
      ),
    onSuccess: onSaved,
  });
  const look = "border-line bg-raised border px-1";
  return (
    <form
      className="flex flex-wrap items-center gap-x-4 gap-y-1 py-1 text-sm"
      onSubmit={(event) => {
        event.preventDefault();
        save.mutate();
      }}
    >
      <label title="beyond those that say where and by what something was done, which always are">
        keeps also these attributes{" "}
        <input value={attributes} onChange={(event) => setAttributes(event.target.value)} className={`${look} w-44`} />
      </label>
      <label>
        <input type="checkbox" checked={personal} onChange={(event) => setPersonal(event.target.checked)} /> also those
        that may tell of a person
      </label>
      <label>
        target{" "}
        <input
          value={target}
          onChange={(event) => setTarget(event.target.value)}
          className={`${look} w-16 text-right`}
        />{" "}
        ms
      </label>
      <label>
        requests are kept{" "}
        <input value={days} onChange={(event) => setDays(event.target.value)} className={`${look} w-12 text-right`} />{" "}
        days
      </label>
      <Button type="submit" disabled={save.isPending}>
        save
      </Button>
      {save.isSuccess ? <span role="status">saved</span> : null}
      {save.error ? <Failure title="It was not saved" detail={save.error.message} /> : null}
    </form>
  );
};

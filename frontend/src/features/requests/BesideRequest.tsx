import { useQuery } from "@tanstack/react-query";
import { Link } from "@tanstack/react-router";

import type { Schemas } from "../../api/client";
import { stamp } from "../../lib/time";
import { Answer } from "../../ui/Answer";
import { Changes } from "./Changes";
import { Sides } from "./Sides";
import { USUAL, besideQuery } from "./queries";

interface Props {
  readonly server: number;
  readonly request: Schemas["RequestOut"];
  readonly other: string; // a trace, or USUAL
}

type One = Schemas["RequestSideOut"];

const side = (heading: string, one: One) => ({ ...one, heading, requests: 1, mean_ms: one.duration_ms });

/** A request beside another of its endpoint: time by layer, statements and calls that came, went or are repeated. */
export const BesideRequest = ({ server, request, other }: Props) => {
  const found = useQuery(besideQuery(server, request.trace, request.top, other));
  return (
    <Answer of={found} what="a request to stand beside it" className="max-h-[45%] shrink-0 overflow-y-auto">
      {(data) => (
        <>
          <p className="text-muted text-sm">
            Beside {other === USUAL ? "a usual one, of middle duration among those of its endpoint before it" : "one"}:{" "}
            <Link
              to="/servers/$server/requests/$trace"
              params={{ server: String(server), trace: data.other.trace }}
              search={{ top: data.other.top, beside_trace: request.trace } as never}
              className="text-accent underline"
            >
              that of {stamp(data.other.at)}
            </Link>
            {data.other.version && data.other.version !== data.this.version
              ? `, of version ${data.other.version} and not ${data.this.version || "this one"}`
              : ""}
          </p>
          <div className="my-1 grid grid-cols-[320px_minmax(0,1fr)] gap-x-8">
            <Sides
              label="this request beside the other"
              first={side("this", data.this)}
              second={side("other", data.other)}
            />
            <div className="min-w-0">
              <Changes
                server={server}
                changes={data.changes}
                tookMs={data.this.duration_ms}
                headings={["this", "other"]}
              />
            </div>
          </div>
        </>
      )}
    </Answer>
  );
};

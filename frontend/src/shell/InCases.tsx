import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { Link, useNavigate } from "@tanstack/react-router";

import { type About, casesAboutQuery, makeCase } from "../api/cases";
import type { Schemas } from "../api/client";
import { Button } from "../ui/Button";
import { Failure } from "../ui/Failure";

interface Props {
  readonly server: number;
  readonly about: About;
  readonly of: string; // its key on that server
  readonly make?: Partial<Schemas["CaseBody"]>; // of what a new case is made; none where nobody may
}

/** Cases about this: what was found the last time. And a new one of it. */
export const InCases = ({ server, about, of, make }: Props) => {
  const found = useQuery(casesAboutQuery(server, about, of));
  const queries = useQueryClient();
  const navigate = useNavigate();
  const begin = useMutation({
    mutationFn: () => makeCase(make ?? {}),
    onSuccess: (made) => {
      void queries.invalidateQueries({ queryKey: ["cases"] });
      void navigate({ to: "/cases/$case", params: { case: String(made.id) } });
    },
  });
  const cases = found.data ?? [];
  if (cases.length === 0 && !make) return null;
  return (
    <div className="flex flex-wrap items-baseline gap-x-4 gap-y-1 text-sm print:hidden">
      {cases.map((one) => (
        <span key={one.id}>
          case{" "}
          <Link to="/cases/$case" params={{ case: String(one.id) }} className="text-accent underline">
            {one.title}
          </Link>
          , {one.state}
          {one.conclusion ? `: ${one.conclusion.split("\n")[0]?.slice(0, 160) ?? ""}` : ""}
        </span>
      ))}
      {make ? (
        <Button onClick={() => begin.mutate()} disabled={begin.isPending}>
          {cases.length ? "make another case of it" : "make a case of it"}
        </Button>
      ) : null}
      {begin.error ? <Failure title="The case was not made" detail={begin.error.message} /> : null}
    </div>
  );
};

import { useQuery } from "@tanstack/react-query";
import { Link } from "@tanstack/react-router";

import { leadsQuery } from "../api/queries";
import { present } from "../lib/time";
import { type Base, bounds, windowOf } from "../lib/view";

interface Props {
  readonly server: number;
  readonly search: Base;
}

const LONGEST_MS = 86_400_000; // leads are looked for in windows of up to a day

/** What is at fault in the window that is looked at, above every view of a server; nothing where that is not known. */
export const LeadLine = ({ server, search }: Props) => {
  const spec = windowOf(search);
  const { from, to } = bounds(spec, present());
  const found = useQuery({ ...leadsQuery(server, spec), enabled: to - from <= LONGEST_MS });
  const first = to - from <= LONGEST_MS ? found.data?.leads.find((one) => one.known?.state !== "dismissed") : undefined;
  if (!first) return null;
  return (
    <p className={`min-w-0 truncate ${found.isPlaceholderData ? "opacity-50" : ""}`}>
      at fault:{" "}
      <Link
        to="/servers/$server/leads"
        params={{ server: String(server) }}
        search={search}
        className="text-ink font-semibold underline"
      >
        {first.title}
      </Link>
    </p>
  );
};

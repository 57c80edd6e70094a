import { useMutation, useQueryClient } from "@tanstack/react-query";
import { Star as StarIcon } from "lucide-react";

import { ask, client } from "../../api/client";

interface Props {
  readonly server: number;
  readonly query: string;
  readonly starred: boolean;
}

/** The user's own mark on a statement. */
export const Star = ({ server, query, starred }: Props) => {
  const queries = useQueryClient();
  const toggle = useMutation({
    mutationFn: () =>
      ask(
        client.PUT("/api/v1/servers/{server_id}/stars/{query_id}", {
          params: { path: { server_id: server, query_id: query }, query: { on: !starred } },
        }),
      ),
    onSuccess: async () => {
      await queries.invalidateQueries({ queryKey: ["statements", server] });
      await queries.invalidateQueries({ queryKey: ["statement", server] });
    },
  });
  return (
    <button
      type="button"
      aria-pressed={starred}
      aria-label={starred ? "remove the star" : "star this statement"}
      title={starred ? "remove the star" : "star this statement"}
      className="hover:text-accent p-0.5"
      onClick={() => toggle.mutate()}
    >
      <StarIcon size={14} aria-hidden="true" fill={starred ? "currentColor" : "none"} />
    </button>
  );
};

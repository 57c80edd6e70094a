import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";

import { ask, client } from "../api/client";
import { present, readMoment, writeMoment } from "../lib/time";
import { type WindowSpec, bounds, follows } from "../lib/view";
import { Button } from "../ui/Button";
import { Dialog } from "../ui/Dialog";

interface Props {
  readonly server: number;
  readonly spec: WindowSpec;
  readonly onClose: () => void;
}

const FIELD = "bg-raised border-strong w-full border px-2 py-1";

/** Notes a change: what it was, and when; now, or in a window of the past its start. */
export const NoteChange = ({ server, spec, onClose }: Props) => {
  const queries = useQueryClient();
  const [what, setWhat] = useState("");
  const [at, setAt] = useState(() => writeMoment(follows(spec) ? present() : bounds(spec, present()).from));
  const [version, setVersion] = useState("");
  const [link, setLink] = useState("");
  const [wrong, setWrong] = useState("");
  const note = useMutation({
    mutationFn: (moment: number) =>
      ask(
        client.POST("/api/v1/servers/{server_id}/changes", {
          params: { path: { server_id: server } },
          body: { what, at: moment, version, link, kind: version ? "deploy" : "note", object: "" },
        }),
      ),
    onSuccess: () => {
      void queries.invalidateQueries({ queryKey: ["changes", server] });
      void queries.invalidateQueries({ queryKey: ["marks", server] });
      onClose();
    },
    onError: (error) => setWrong(error.message),
  });
  const submit = (): void => {
    const moment = readMoment(at, present());
    if (moment === null) setWrong(`“${at}” is not a moment; write 09:20, 09:20:15 or 2026-11-23 09:20`);
    else note.mutate(moment);
  };
  return (
    <Dialog title="Note a change" open keep={what !== ""} onClose={onClose}>
      <form
        className="grid grid-cols-2 gap-3"
        onSubmit={(event) => {
          event.preventDefault();
          submit();
        }}
      >
        <label className="col-span-2 block">
          <span className="text-muted block text-sm">what changed</span>
          <input autoFocus value={what} onChange={(event) => setWhat(event.target.value)} className={FIELD} />
        </label>
        <label className="block">
          <span className="text-muted block text-sm">when</span>
          <input value={at} onChange={(event) => setAt(event.target.value)} className={`${FIELD} font-mono`} />
        </label>
        <label className="block">
          <span className="text-muted block text-sm">version, of a deploy</span>
          <input value={version} onChange={(event) => setVersion(event.target.value)} className={FIELD} />
        </label>
        <label className="col-span-2 block">
          <span className="text-muted block text-sm">link</span>
          <input
            value={link}
            placeholder="https://…"
            onChange={(event) => setLink(event.target.value)}
            className={FIELD}
          />
        </label>
        <p className="text-muted col-span-2 text-sm">
          It stands on the rail and every time axis from then on, and what comes after is compared with the half hour
          before it.
        </p>
        <p role="alert" className="text-danger col-span-2 min-h-5">
          {wrong}
        </p>
        <div className="col-span-2 flex gap-3">
          <Button type="submit" look="action" disabled={!what.trim() || note.isPending}>
            note it
          </Button>
          <Button onClick={onClose}>leave it</Button>
        </div>
      </form>
    </Dialog>
  );
};

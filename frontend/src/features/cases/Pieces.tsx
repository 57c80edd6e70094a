import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";

import { type CasePage, type Kept, caseQuery } from "../../api/cases";
import { ask, client } from "../../api/client";
import { DataTwin } from "../../charts/ChartFrame";
import { when } from "../../lib/time";
import { Button } from "../../ui/Button";
import { Failure } from "../../ui/Failure";
import { Writing } from "./Writing";

interface Props {
  readonly page: CasePage;
  readonly canAct: boolean;
}

/** The evidence of a case, in the order that people gave it. */
export const Pieces = ({ page, canAct }: Props) => {
  const id = page.case.id;
  const queries = useQueryClient();
  const put = (told: CasePage): void => {
    queries.setQueryData(caseQuery(id).queryKey, told);
  };
  const order = useOrdering(id, put);
  const remove = useMutation({
    mutationFn: (evidence: number) =>
      ask(
        client.DELETE("/api/v1/cases/{case_id}/evidence/{evidence_id}", {
          params: { path: { case_id: id, evidence_id: evidence } },
        }),
      ),
    onSuccess: put,
  });
  const annotate = (evidence: number, note: string) =>
    ask(
      client.PUT("/api/v1/cases/{case_id}/evidence/{evidence_id}/note", {
        params: { path: { case_id: id, evidence_id: evidence } },
        body: { note },
      }),
    ).then(put);
  const places = page.evidence.map((one) => one.id);
  const move = (at: number, by: number): void => {
    const moved = places.filter((_, i) => i !== at);
    moved.splice(at + by, 0, places[at] ?? 0);
    order.mutate(moved);
  };
  const wrong = order.error ?? remove.error;
  return (
    <section aria-label="Evidence">
      <h2 className="border-strong border-b font-semibold">Evidence</h2>
      {page.evidence.length === 0 ? (
        <p className="text-muted py-1">
          Nothing is kept in it yet: press <kbd className="border-line border px-1 font-mono text-xs">k</kbd> on a view.
        </p>
      ) : null}
      {wrong ? <Failure title="The evidence was not changed" detail={wrong.message} /> : null}
      <ol>
        {page.evidence.map((one, at) => (
          <li key={one.id} className="border-line border-b py-2 break-inside-avoid">
            <div className="flex items-baseline justify-between gap-4">
              <h3 className="font-semibold">
                {at + 1}. {one.title}
              </h3>
              {canAct ? (
                <Acts
                  number={at + 1}
                  first={at === 0}
                  last={at === places.length - 1}
                  onMove={(by) => move(at, by)}
                  onRemove={() => remove.mutate(one.id)}
                />
              ) : null}
            </div>
            <Piece one={one} />
            <Writing
              text={one.note}
              html={one.note_html}
              label={`note on ${at + 1}`}
              none=""
              canWrite={canAct}
              onKeep={(note) => annotate(one.id, note)}
            />
          </li>
        ))}
      </ol>
    </section>
  );
};

/** Puts evidence in another order. `put` takes the case as the server tells it then. */
function useOrdering(id: number, put: (told: CasePage) => void) {
  const queries = useQueryClient();
  // It stands where it was moved to at once, so that the next press moves it on from there; one goes after the other.
  const ordering = ["case-order", id];
  return useMutation({
    mutationKey: ordering,
    scope: { id: ordering.join() },
    onMutate: (places: number[]) => {
      const at = (one: { id: number }): number => places.indexOf(one.id);
      queries.setQueryData(
        caseQuery(id).queryKey,
        (told) => told && { ...told, evidence: told.evidence.toSorted((a, b) => at(a) - at(b)) },
      );
    },
    mutationFn: (places: number[]) =>
      ask(
        client.PUT("/api/v1/cases/{case_id}/evidence/order", {
          params: { path: { case_id: id } },
          body: { order: places },
        }),
      ),
    onSuccess: (told) => {
      if (queries.isMutating({ mutationKey: ordering }) === 1) put(told);
    },
    onError: () => queries.invalidateQueries({ queryKey: caseQuery(id).queryKey }),
  });
}

interface ActsProps {
  readonly number: number;
  readonly first: boolean;
  readonly last: boolean;
  readonly onMove: (by: number) => void;
  readonly onRemove: () => void;
}

const Acts = ({ number, first, last, onMove, onRemove }: ActsProps) => {
  const [asked, setAsked] = useState(false);
  return (
    <span className="flex shrink-0 gap-2 text-sm print:hidden">
      {asked ? (
        <>
          <Button onClick={onRemove}>remove {number} for good</Button>
          <Button onClick={() => setAsked(false)}>leave {number} in</Button>
        </>
      ) : (
        <>
          <Button disabled={first} onClick={() => onMove(-1)} aria-label={`up: evidence ${number}`}>
            up
          </Button>
          <Button disabled={last} onClick={() => onMove(1)} aria-label={`down: evidence ${number}`}>
            down
          </Button>
          <Button onClick={() => setAsked(true)} aria-label={`remove evidence ${number}`}>
            remove
          </Button>
        </>
      )}
    </span>
  );
};

/** As it was when it was kept. */
const Piece = ({ one }: { readonly one: Kept }) => (
  <>
    <p className="text-muted text-sm">
      {one.label}
      {one.server ? ` on ${one.server}` : ""}, kept by {one.by} {when(one.at, false)}
      {one.link ? (
        <>
          {" · "}
          <a href={one.link} className="text-accent underline">
            as it is seen now
          </a>
        </>
      ) : null}
    </p>
    {one.sentence ? <p>{one.sentence}</p> : null}
    {one.lines.length ? (
      <ol className="list-decimal pl-5">
        {one.lines.map((line) => (
          <li key={line}>{line}</li>
        ))}
      </ol>
    ) : null}
    {one.picture ? <img src={one.picture} alt={one.sentence || one.title} className="mt-1 w-full" /> : null}
    {one.figures ? <Figures one={one} open={!one.picture} /> : null}
  </>
);

const FEW_ROWS = 12;

const Figures = ({ one, open }: { readonly one: Kept; readonly open: boolean }) =>
  one.figures === null ? null : (
    <details open={open && one.figures.rows.length <= FEW_ROWS} className="mt-1 text-sm">
      <summary className="text-muted min-h-6">
        its figures, {one.figures.rows.length} {one.figures.rows.length === 1 ? "row" : "rows"}
      </summary>
      <div className="max-h-80 overflow-auto">
        <DataTwin table={one.figures} />
      </div>
    </details>
  );

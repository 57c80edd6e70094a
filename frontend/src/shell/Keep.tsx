import { type UseQueryResult, useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { Link } from "@tanstack/react-router";
import { useState } from "react";

import { type Case, casesQuery, keepIn, lastCase, makeCase } from "../api/cases";
import type { Schemas } from "../api/client";
import { clock, present, when } from "../lib/time";
import { bounds, heldAddress, readBase, windowOf } from "../lib/view";
import { AnswerState } from "../ui/Answer";
import { Button } from "../ui/Button";
import { Dialog } from "../ui/Dialog";
import { Failure } from "../ui/Failure";
import { type Offer, type Piece, type Subject, fitting, offered, subjectsShown } from "../ui/offers";

interface Props {
  readonly server: number | null;
  readonly onClose: () => void;
}

const FIELD = "bg-raised border-strong w-full border px-2 py-1";
const NEW = "new";

/** Keeps what is on the screen as evidence of a case: its picture, its figures and the way back to it. */
export const Keep = ({ server, onClose }: Props) => {
  const queries = useQueryClient();
  // As it is when the key is pressed: a view that follows now goes on behind the dialog.
  const [here] = useState(() => seenHere(server));
  const [picked, setPicked] = useState<readonly number[]>([0]);
  const cases = useQuery(casesQuery("open"));
  const [into, setInto] = useState<string | null>(null);
  const [title, setTitle] = useState("");
  const [note, setNote] = useState("");
  const open = openCases(cases);
  const target = into ?? (open ? lastInto(open) : "");
  const keep = useMutation({
    mutationFn: () =>
      keepAll(
        here,
        picked.flatMap((at) => here.offers[at] ?? []),
        { into: target, title, note },
      ),
    onSuccess: () => {
      void queries.invalidateQueries({ queryKey: ["cases"] });
    },
  });
  return (
    <Dialog title="Keep as evidence" open keep={note !== "" && !keep.data} onClose={onClose}>
      {keep.data ? (
        <Done kept={keep.data} onClose={onClose} />
      ) : (
        <form
          className="flex flex-col gap-3"
          onSubmit={(event) => {
            event.preventDefault();
            keep.mutate();
          }}
        >
          <What offers={here.offers} picked={picked} onPicked={setPicked} />
          <Into open={open} target={target} onInto={setInto} />
          {cases.error ? <AnswerState of={cases} what="the open cases" /> : null}
          {target === NEW ? (
            <label className="block">
              <span className="text-muted block text-sm">title of the case</span>
              <input
                value={title}
                maxLength={200}
                placeholder={here.offers[picked[0] ?? 0]?.title ?? ""}
                onChange={(event) => setTitle(event.target.value)}
                className={FIELD}
              />
            </label>
          ) : null}
          <label className="block">
            <span className="text-muted block text-sm">what it shows, in Markdown</span>
            <textarea value={note} rows={2} onChange={(event) => setNote(event.target.value)} className={FIELD} />
          </label>
          <p className="text-muted text-sm">Everyone who signs in can read what is kept, as it is on your screen.</p>
          {keep.error ? <Failure title="Nothing was kept" detail={keep.error.message} /> : null}
          <div className="flex gap-3">
            <Button type="submit" look="action" disabled={picked.length === 0 || open === null || keep.isPending}>
              keep it
            </Button>
            <Button onClick={onClose}>cancel</Button>
          </div>
        </form>
      )}
    </Dialog>
  );
};

interface IntoProps {
  readonly open: readonly Case[] | null;
  readonly target: string;
  readonly onInto: (target: string) => void;
}

const Into = ({ open, target, onInto }: IntoProps) =>
  open === null ? (
    <p role="status" className="text-muted">
      Reading the open cases …
    </p>
  ) : (
    <label className="block">
      <span className="text-muted block text-sm">in</span>
      <select value={target} onChange={(event) => onInto(event.target.value)} className={FIELD}>
        {open.map((one) => (
          <option key={one.id} value={one.id}>
            {one.title}
          </option>
        ))}
        <option value={NEW}>a new case</option>
      </select>
    </label>
  );

interface WhatProps {
  readonly offers: readonly Offer[];
  readonly picked: readonly number[];
  readonly onPicked: (picked: readonly number[]) => void;
}

const What = ({ offers, picked, onPicked }: WhatProps) => (
  <fieldset className="max-h-60 overflow-auto">
    <legend className="text-muted text-sm">what is on the screen</legend>
    {offers.map((one, at) => (
      <label key={at} className="flex min-h-6 items-center gap-2 first-letter:uppercase">
        <input
          type="checkbox"
          checked={picked.includes(at)}
          onChange={(event) =>
            onPicked(event.target.checked ? [...picked, at].sort((a, b) => a - b) : picked.filter((one) => one !== at))
          }
        />
        {one.title}
      </label>
    ))}
  </fieldset>
);

const Done = ({ kept, onClose }: { readonly kept: Case; readonly onClose: () => void }) => (
  <div role="status" className="flex flex-col gap-3">
    <p>
      Kept in{" "}
      <Link
        to="/cases/$case"
        params={{ case: String(kept.id) }}
        onClick={onClose}
        className="text-accent font-semibold underline"
      >
        {kept.title}
      </Link>
      .
    </p>
    <div>
      <Button onClick={onClose}>go on here</Button>
    </div>
  </div>
);

interface Here {
  readonly server: number | null;
  readonly link: string;
  readonly window: string;
  readonly headline: string; // what the screen says as a whole: the sentence of what has none of its own
  readonly offers: readonly Offer[];
  readonly subjects: readonly Subject[];
}

/** Those that it may be kept in; null while it is not known whether the last one is among them. */
function openCases({ data, error, isFetching }: Pick<UseQueryResult<Case[]>, "data" | "error" | "isFetching">) {
  if (data === undefined) return error ? [] : null;
  const last = lastCase();
  const missed = last !== null && !data.some((one) => String(one.id) === last);
  return missed && isFetching ? null : data; // what was listed before it was made does not have it
}

const lastInto = (open: readonly Case[]): string => {
  const last = lastCase();
  return open.some((one) => String(one.id) === last) ? (last ?? NEW) : String(open[0]?.id ?? NEW);
};

function seenHere(server: number | null): Here {
  const now = present();
  const url = new URL(server === null ? window.location.href : heldAddress(window.location.href, now));
  const { from, to } = bounds(windowOf(readBase(Object.fromEntries(url.searchParams))), now);
  const page = document.title.split(" · ")[0] ?? "";
  const whole: Offer = { title: `only the way to this view (${page})`, make: () => ({ title: page, sentence: "" }) };
  return {
    server,
    link: `${url.pathname}${url.search}`,
    window: server === null ? "" : `, ${when(from, false)} to ${clock(to, false)}`,
    headline: document.querySelector("h1")?.textContent ?? "",
    offers: [...offered(), whole],
    subjects: subjectsShown(),
  };
}

interface Asked {
  readonly into: string;
  readonly title: string;
  readonly note: string;
}

/** One after the other, since each lead is looked up by the server; what was kept before one that fails stays kept. */
async function keepAll(here: Here, offers: readonly Offer[], asked: Asked): Promise<Case> {
  const bodies = offers.map((one, i) => {
    const piece = one.make();
    return bodyOf(here, fitting({ ...piece, sentence: piece.sentence || here.headline }), i === 0 ? asked.note : "");
  });
  const [first, ...others] = bodies;
  if (!first) throw new Error("choose what to keep");
  const links = here.server === null ? [] : here.subjects.map((one) => ({ ...one, server: here.server ?? 0 }));
  const withLinks = { ...first, links };
  let kept =
    asked.into === NEW
      ? await makeCase({ title: asked.title, ...withLinks })
      : await keepIn(Number(asked.into), withLinks);
  for (const one of others) kept = await keepIn(kept.id, one);
  return kept;
}

function bodyOf(here: Here, piece: Piece, note: string): Partial<Schemas["KeepBody"]> {
  if (piece.lead) return { lead: { ...piece.lead, svg: piece.svg ?? "" } };
  const title = piece.title.charAt(0).toUpperCase() + piece.title.slice(1);
  return {
    evidence: [
      {
        title: `${title}${here.window}`.slice(0, 200),
        server: here.server,
        sentence: piece.sentence,
        link: here.link.slice(0, 2000),
        lines: [],
        svg: piece.svg ?? "",
        figures: piece.figures
          ? { columns: [...piece.figures.columns], rows: piece.figures.rows.map((row) => [...row]) }
          : null,
        note,
      },
    ],
  };
}

import { useState } from "react";

import { Button } from "../../ui/Button";
import { Failure } from "../../ui/Failure";

/** What somebody wrote, as the server made it of their Markdown: no HTML of theirs is in it. */
export const Prose = ({ html }: { readonly html: string }) => (
  <div className="prose" dangerouslySetInnerHTML={{ __html: html }} />
);

interface Props {
  readonly text: string;
  readonly html: string;
  readonly label: string; // what it is: "conclusion"
  readonly none: string; // said where nothing is written
  readonly canWrite: boolean;
  readonly onKeep: (text: string) => Promise<unknown>;
}

/** A text in Markdown, to be read and to be written. */
export const Writing = ({ text, html, label, none, canWrite, onKeep }: Props) => {
  const [draft, setDraft] = useState<string | null>(null);
  const [wrong, setWrong] = useState("");
  const [busy, setBusy] = useState(false);
  const keep = async (written: string): Promise<void> => {
    setBusy(true);
    try {
      await onKeep(written);
      setDraft(null);
      setWrong("");
    } catch (error) {
      setWrong(error instanceof Error ? error.message : String(error));
    } finally {
      setBusy(false);
    }
  };
  if (draft === null)
    return (
      <div className="py-1">
        {text ? <Prose html={html} /> : none ? <p className="text-muted">{none}</p> : null}
        {canWrite ? (
          <Button className="mt-1 text-sm print:hidden" onClick={() => setDraft(text)}>
            {text ? `change the ${label}` : `write a ${label}`}
          </Button>
        ) : null}
      </div>
    );
  return (
    <form
      className="flex flex-col gap-2 py-1"
      onSubmit={(event) => {
        event.preventDefault();
        void keep(draft);
      }}
    >
      <textarea
        autoFocus
        value={draft}
        rows={Math.min(12, Math.max(3, draft.split("\n").length + 1))}
        aria-label={`${label}, in Markdown`}
        onChange={(event) => setDraft(event.target.value)}
        className="bg-raised border-strong w-full border px-2 py-1"
      />
      {wrong ? <Failure title={`The ${label} was not kept`} detail={wrong} /> : null}
      <div className="flex gap-3">
        <Button type="submit" look="action" disabled={busy || (draft.trim() === "" && text === "")}>
          keep the {label}
        </Button>
        <Button onClick={() => setDraft(null)}>cancel</Button>
      </div>
    </form>
  );
};

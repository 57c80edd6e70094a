import { type ReactNode, useState } from "react";

import { upload } from "../../api/upload";
import { Button } from "../../ui/Button";
import { Failure } from "../../ui/Failure";

interface Props<Report> {
  readonly what: string; // the file has, in the plural: "samples"
  readonly accept?: string;
  readonly canAct: boolean;
  readonly ready?: boolean; // what else must be said is said
  readonly refusal?: (file: File) => string; // why a file cannot be taken, or empty
  readonly url: (file: File) => string;
  readonly onDone: (report: Report) => void;
  readonly children?: ReactNode; // further fields, before the file
}

/** A file on its way in: chosen, sent with progress, and why it was not taken. What came of it is the caller's to show. */
export function FileImport<Report>(props: Props<Report>) {
  const { what, accept, canAct, ready = true, refusal = () => "", url, onDone, children } = props;
  const [file, setFile] = useState<File | null>(null);
  const [sent, setSent] = useState<number | null>(null);
  const [failure, setFailure] = useState("");
  const refused = file ? refusal(file) : "";
  const start = async (chosen: File): Promise<void> => {
    setFailure("");
    setSent(0);
    try {
      onDone(await upload<Report>(url(chosen), chosen, setSent));
    } catch (error) {
      setFailure(error instanceof Error ? error.message : "the upload broke off");
    } finally {
      setSent(null);
    }
  };
  return (
    <>
      <fieldset disabled={!canAct || sent !== null} className="flex flex-wrap items-center gap-3">
        {children}
        <input
          type="file"
          aria-label={`file with ${what}`}
          accept={accept}
          onChange={(event) => setFile(event.target.files?.[0] ?? null)}
          className="max-w-56 text-sm"
        />
        <Button look="action" disabled={!file || refused !== "" || !ready} onClick={() => void (file && start(file))}>
          import {what}
        </Button>
      </fieldset>
      {refused ? <p className="text-danger">{refused}</p> : null}
      {sent === null ? null : (
        <p aria-live="polite">
          <progress value={sent} max={1} className="mr-2 align-middle" aria-label="sent" />
          {sent < 1 ? `${(sent * 100).toFixed(0)}% sent` : "sent; reading and storing …"}
        </p>
      )}
      {failure ? <Failure title="Nothing was imported" detail={failure} /> : null}
    </>
  );
}

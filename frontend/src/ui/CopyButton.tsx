import { Copy } from "lucide-react";
import { type ReactNode, useState } from "react";

interface Props {
  readonly text: string;
  readonly label: string; // "copy the text"
  readonly title?: string;
  readonly children?: ReactNode; // in place of the sign
  readonly className?: string;
}

/** Copies a text and says what came of it, for a moment to see and once to hear. */
export const CopyButton = ({ text, label, title = label, children, className = "" }: Props) => {
  const [said, say] = useState("");
  const copy = async (): Promise<void> => {
    say("");
    try {
      await navigator.clipboard.writeText(text);
      say("copied");
    } catch {
      say("the browser does not let us copy; mark the text and copy it");
    }
  };
  return (
    <span className="inline-flex items-center gap-1">
      <button
        type="button"
        className={`hover:text-accent inline-grid min-h-6 min-w-6 place-items-center ${className}`}
        aria-label={label}
        title={title}
        onClick={() => void copy()}
      >
        {children ?? <Copy size={14} aria-hidden="true" />}
      </button>
      <span role="status" className="text-muted text-sm empty:hidden">
        {said}
      </span>
    </span>
  );
};

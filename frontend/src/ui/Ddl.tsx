import { Copy } from "lucide-react";

/** A statement to copy. Faena never runs it. */
export const Ddl = ({ text }: { readonly text: string }) => (
  <span className="flex items-start gap-1">
    <code className="bg-raised font-mono text-xs whitespace-pre-wrap">{text}</code>
    <button
      type="button"
      className="hover:text-accent p-0.5"
      aria-label="copy the statement"
      title="copy the statement; Faena does not run it"
      onClick={() => void navigator.clipboard.writeText(text)}
    >
      <Copy size={12} aria-hidden="true" />
    </button>
  </span>
);

import { CopyButton } from "./CopyButton";

/** A statement to copy. Faena never runs it. */
export const Ddl = ({ text }: { readonly text: string }) => (
  <span className="flex items-start gap-1">
    <code className="bg-raised font-mono text-xs whitespace-pre-wrap">{text}</code>
    <CopyButton text={text} label="copy the statement" title="copy the statement; Faena does not run it" />
  </span>
);

import type { ButtonHTMLAttributes } from "react";

interface Props extends ButtonHTMLAttributes<HTMLButtonElement> {
  readonly look?: "plain" | "action";
}

/** `action` is the one thing to do next on a form; everything else is plain. */
export const Button = ({ look = "plain", className = "", ...rest }: Props) => (
  <button
    type="button"
    className={`inline-flex items-center gap-1 rounded-sm px-2 py-0.5 disabled:opacity-50 ${
      look === "action" ? "bg-accent text-ground font-semibold" : "border-line hover:border-strong border"
    } ${className}`}
    {...rest}
  />
);

import { ChevronDown } from "lucide-react";
import type { ReactNode } from "react";

import { later } from "./later";

export interface ChoiceOption<T extends string> {
  readonly value: T;
  readonly label: string;
}

export interface ChoiceProps<T extends string> {
  readonly label: string;
  readonly value: T;
  readonly options: readonly ChoiceOption<T>[];
  readonly onChange: (value: T) => void;
  readonly className?: string;
}

export const shownOf = ({ value, options }: Pick<ChoiceProps<string>, "value" | "options">): string =>
  options.find((option) => option.value === value)?.label ?? value;

const AnyChoice = later<ChoiceProps<string>>(
  () => import("./floating/Choice").then((m) => m.FloatingChoice),
  ({ call, className = "", ...props }) => (
    <button
      type="button"
      aria-label={`${props.label}: ${shownOf(props)}`}
      aria-haspopup="listbox"
      onClick={call}
      className={`hover:text-accent inline-flex items-center gap-1 ${className}`}
    >
      {shownOf(props)}
      <ChevronDown size={12} aria-hidden="true" />
    </button>
  ),
);

/** One of several values, shown as text with a small arrow. */
export const Choice = AnyChoice as (<T extends string>(props: ChoiceProps<T>) => ReactNode) & typeof AnyChoice;

import { Listbox, ListboxButton, ListboxOption, ListboxOptions } from "@headlessui/react";
import { ChevronDown } from "lucide-react";

export interface ChoiceOption<T extends string> {
  readonly value: T;
  readonly label: string;
}

interface Props<T extends string> {
  readonly label: string;
  readonly value: T;
  readonly options: readonly ChoiceOption<T>[];
  readonly onChange: (value: T) => void;
  readonly className?: string;
}

/** One of several values, shown as text with a small arrow. */
export function Choice<T extends string>({ label, value, options, onChange, className = "" }: Props<T>) {
  const shown = options.find((option) => option.value === value);
  return (
    <Listbox value={value} onChange={onChange}>
      <ListboxButton
        aria-label={`${label}: ${shown?.label ?? value}`}
        className={`hover:text-accent inline-flex items-center gap-1 ${className}`}
      >
        {shown?.label ?? value}
        <ChevronDown size={12} aria-hidden="true" />
      </ListboxButton>
      <ListboxOptions
        anchor={{ to: "bottom start", gap: 4 }}
        className="bg-raised border-strong z-30 max-h-80 border py-1 text-sm font-normal shadow-sm focus:outline-none"
      >
        {options.map((option) => (
          <ListboxOption
            key={option.value}
            value={option.value}
            className="data-focus:bg-line cursor-pointer px-3 py-1 data-selected:font-semibold"
          >
            {option.label}
          </ListboxOption>
        ))}
      </ListboxOptions>
    </Listbox>
  );
}

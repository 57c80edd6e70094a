import { Listbox, ListboxButton, ListboxOption, ListboxOptions } from "@headlessui/react";
import { ChevronDown } from "lucide-react";

import { type ChoiceProps, shownOf } from "../Choice";

/** See `ui/Choice`, which loads it. */
export function FloatingChoice({ label, value, options, onChange, className = "" }: ChoiceProps<string>) {
  const shown = shownOf({ value, options });
  return (
    <Listbox value={value} onChange={onChange}>
      <ListboxButton
        aria-label={`${label}: ${shown}`}
        className={`hover:text-accent inline-flex items-center gap-1 ${className}`}
      >
        {shown}
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

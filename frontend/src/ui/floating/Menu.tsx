import { Menu as HeadlessMenu, MenuButton, MenuItem, MenuItems } from "@headlessui/react";

import type { MenuProps } from "../Menu";

/** See `ui/Menu`, which loads it. */
export const FloatingMenu = ({ label, children, entries, className = "" }: MenuProps) => (
  <HeadlessMenu>
    <MenuButton aria-label={label} className={`hover:text-accent inline-flex items-center gap-1 ${className}`}>
      {children}
    </MenuButton>
    <MenuItems
      anchor={{ to: "bottom end", gap: 4 }}
      className="bg-raised border-strong z-30 min-w-36 border py-1 text-sm shadow-sm focus:outline-none"
    >
      {entries.map((entry) => (
        <MenuItem key={entry.label}>
          <button type="button" onClick={entry.act} className="data-focus:bg-line block w-full px-3 py-1 text-left">
            {entry.label}
          </button>
        </MenuItem>
      ))}
    </MenuItems>
  </HeadlessMenu>
);

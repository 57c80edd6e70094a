import type { ReactNode } from "react";

import { later } from "./later";

export interface MenuEntry {
  readonly label: string;
  readonly act: () => void;
}

export interface MenuProps {
  readonly label: string;
  readonly children: ReactNode;
  readonly entries: readonly MenuEntry[];
  readonly className?: string;
}

/** A button that opens a list of acts. `label` is spoken; `children` is what is seen. */
export const Menu = later<MenuProps>(
  () => import("./floating/Menu").then((m) => m.FloatingMenu),
  ({ label, children, className = "", call }) => (
    <button
      type="button"
      aria-label={label}
      aria-haspopup="menu"
      onClick={call}
      className={`hover:text-accent inline-flex items-center gap-1 ${className}`}
    >
      {children}
    </button>
  ),
);

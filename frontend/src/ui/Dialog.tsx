import type { ReactNode } from "react";

import { later } from "./later";

export interface DialogProps {
  readonly title: string;
  readonly open: boolean;
  readonly onClose: () => void;
  readonly keep?: boolean; // what was typed would be lost: only the buttons close it
  readonly wide?: boolean; // for rows of texts, which are read by their beginnings
  readonly children: ReactNode;
}

/** A dialog over the page; Escape and a click outside close it, but where that would lose what was typed. */
export const Dialog = later<DialogProps>(
  () => import("./floating/Dialog").then((m) => m.FloatingDialog),
  () => null,
);

import { Dialog as Base, DialogPanel, DialogTitle } from "@headlessui/react";
import { X } from "lucide-react";

import type { DialogProps } from "../Dialog";

/** See `ui/Dialog`, which loads it. */
export const FloatingDialog = ({ title, open, onClose, keep = false, wide = false, children }: DialogProps) => (
  <Base open={open} onClose={keep ? () => undefined : onClose} className="relative z-40">
    <div className="bg-ink/30 fixed inset-0" aria-hidden="true" />
    <div className="fixed inset-0 flex items-start justify-center overflow-y-auto p-8 pt-20">
      <DialogPanel className={`bg-ground border-strong w-full border p-5 ${wide ? "max-w-5xl" : "max-w-2xl"}`}>
        <div className="mb-3 flex items-start justify-between">
          <DialogTitle className="text-lg font-semibold">{title}</DialogTitle>
          <button type="button" aria-label="close" onClick={onClose} className="hover:text-accent p-1">
            <X size={16} aria-hidden="true" />
          </button>
        </div>
        {children}
      </DialogPanel>
    </div>
  </Base>
);

// A sheet laid over the page, for one thing at a time.
import { Dialog, DialogBackdrop, DialogPanel, DialogTitle } from "@headlessui/react";
import type { ReactNode } from "react";

export function Sheet({
  open,
  close,
  title,
  wide = false,
  children,
}: {
  open: boolean;
  close: () => void;
  title: string;
  wide?: boolean;
  children: ReactNode;
}) {
  return (
    <Dialog open={open} onClose={close} className="relative z-20">
      <DialogBackdrop className="fixed inset-0 bg-ink/40 dark:bg-black/60" />
      <div className="fixed inset-0 overflow-y-auto p-4">
        <DialogPanel
          className={`mx-auto rounded-sm border border-rule bg-paper p-6 ${wide ? "mt-[3vh] max-w-3xl" : "mt-[8vh] max-w-lg"}`}
        >
          <DialogTitle className="mb-4 font-serif text-2xl">{title}</DialogTitle>
          {children}
        </DialogPanel>
      </div>
    </Dialog>
  );
}

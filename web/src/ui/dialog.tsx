import { Dialog as Radix } from "radix-ui";
import { type ReactNode, useRef } from "react";

/** For a dialog that no button of its own opens: afterwards the cursor is where it was before. */
export function useFocusReturn() {
  const before = useRef<Element | null>(null);
  return {
    onOpenAutoFocus: () => {
      before.current = document.activeElement;
    },
    onCloseAutoFocus: (event: Event) => {
      event.preventDefault();
      if (before.current instanceof HTMLElement) before.current.focus();
    },
  };
}

/** A dialog over the screen; Escape and a click outside close it. */
export function Dialog({
  title,
  open,
  onClose,
  children,
  wide = false,
}: {
  title: string;
  open: boolean;
  onClose: () => void;
  children: ReactNode;
  wide?: boolean;
}) {
  const focus = useFocusReturn();
  return (
    <Radix.Root open={open} onOpenChange={(now) => !now && onClose()}>
      <Radix.Portal>
        <Radix.Overlay className="fixed inset-0 z-40 bg-[#10191d66]" />
        <Radix.Content
          {...focus}
          aria-describedby={undefined}
          className={`fixed top-[12%] left-1/2 z-50 max-h-[76vh] w-[calc(100vw-32px)] -translate-x-1/2 overflow-auto rounded-lg border border-line bg-panel p-5 shadow-xl ${wide ? "max-w-[640px]" : "max-w-[440px]"}`}
        >
          <Radix.Title className="mb-3 font-narrow font-semibold text-[18px]">{title}</Radix.Title>
          {children}
        </Radix.Content>
      </Radix.Portal>
    </Radix.Root>
  );
}

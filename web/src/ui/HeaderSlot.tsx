import { createContext, type ReactNode, useContext } from "react";
import { createPortal } from "react-dom";

const Slot = createContext<HTMLElement | null>(null);

/** Where a page may put its label and stages: the middle of the header. */
export const HeaderSlot = Slot.Provider;

/** Puts its children into the header. */
export function InHeader({ children }: { children: ReactNode }) {
  const slot = useContext(Slot);
  return slot ? createPortal(children, slot) : null;
}

import { useEffect, useRef } from "react";
import { api } from "../../client/api";

const SAY_AGAIN_MS = 180;

type Order = (order: () => Promise<unknown>) => void;

/**
 * A move that goes on only while it is held: the server is told so a few times a second, and stops the rail by itself
 * when it hears no more: a lost key-up, a closed tab, a broken line.
 */
export function useHold(act: Order, atOnce: Order) {
  const now = useRef<{ hold: string; timer: number } | null>(null);
  const orders = useRef({ act, atOnce });
  orders.current = { act, atOnce };

  const release = () => {
    const held = now.current;
    if (!held) return;
    now.current = null;
    window.clearInterval(held.timer);
    orders.current.atOnce(() => api.release(held.hold));
  };
  const press = (to_um: number) => {
    if (now.current) return;
    const hold = `${Date.now().toString(36)}-${Math.random().toString(36).slice(2)}`;
    const timer = window.setInterval(() => void api.holdOn(hold).catch(() => undefined), SAY_AGAIN_MS);
    now.current = { hold, timer };
    orders.current.act(() => api.move({ to_um, hold }));
  };
  const leave = useRef(release);
  leave.current = release;
  useEffect(() => () => leave.current(), []);
  return { press, release };
}

import { Link, Outlet, useMatchRoute } from "@tanstack/react-router";
import { useEffect, useState } from "react";
import { HeaderSlot } from "../ui/HeaderSlot";
import { Desk } from "./Desk";
import { Keys } from "./Keys";
import { Person } from "./Person";
import { Queue } from "./Queue";
import { Undo } from "./Undo";

/** The frame around every page: the header with mark, label, stages or places. */
export function Frame() {
  const [slot, setSlot] = useState<HTMLElement | null>(null);
  const [dim, setDim] = useState(() => localStorage.getItem("room") === "dim");
  const [large, setLarge] = useState(() => localStorage.getItem("text") === "large");
  const onStack = useMatchRoute()({ to: "/stacks/$stackId", fuzzy: true });
  const onSpecimen = useMatchRoute()({ to: "/specimens/$specimenId/plan" });
  const inside = Boolean(onStack || onSpecimen);
  useEffect(() => {
    document.documentElement.dataset.room = dim ? "dim" : "light";
    localStorage.setItem("room", dim ? "dim" : "light");
  }, [dim]);
  useEffect(() => {
    document.documentElement.dataset.text = large ? "large" : "normal";
    localStorage.setItem("text", large ? "large" : "normal");
  }, [large]);

  return (
    <div className="flex h-full flex-col">
      <a
        href="#main"
        className="absolute top-1 left-1 z-50 -translate-y-20 border border-ink bg-card px-3 py-2 focus:translate-y-0"
      >
        Skip to the page
      </a>
      <header className="flex min-h-[3.6rem] shrink-0 flex-wrap items-stretch border-ink border-b bg-card">
        <Link
          to="/"
          className="flex items-center gap-2.5 border-rule border-r px-4"
          aria-label="Amber Ladder, to the cabinet"
        >
          <svg viewBox="0 0 20 26" className="h-[26px]" aria-hidden="true">
            <path d="M2 1v24M18 1v24" stroke="var(--ink)" strokeWidth="2.6" />
            <path d="M3 5h14M3 10.3h14M3 15.6h14M3 21h14" stroke="var(--amber-fill)" strokeWidth="3" />
          </svg>
          {/* Inside a stack the stages need the room. */}
          <span
            className={`head whitespace-nowrap text-[1.125rem] ${inside ? "max-2xl:hidden" : "max-xl:hidden"}`}
          >
            Amber Ladder
          </span>
        </Link>
        <div ref={setSlot} className="flex min-h-[3.6rem] min-w-0 flex-wrap items-stretch">
          {!inside && (
            <nav aria-label="Places" className="flex items-stretch pl-4">
              <Place to="/">Cabinet</Place>
              <Place to="/day">Day</Place>
              <Place to="/card">Card</Place>
              <Place to="/rigs">Rigs</Place>
              <Place to="/ledger">Ledger</Place>
              <Place to="/practice">Practice</Place>
            </nav>
          )}
        </div>
        <nav
          aria-label="More"
          className="ml-auto flex items-center gap-3 whitespace-nowrap px-3 text-[0.9375rem] text-ink2"
        >
          {inside && (
            <>
              <Link to="/" className="inline-flex min-h-11 items-center hover:text-ink hover:underline">
                Cabinet
              </Link>
              <Link to="/card" className="inline-flex min-h-11 items-center hover:text-ink hover:underline">
                Card
              </Link>
              <Link to="/rigs" className="inline-flex min-h-11 items-center hover:text-ink hover:underline">
                Rigs
              </Link>
              <Link to="/ledger" className="inline-flex min-h-11 items-center hover:text-ink hover:underline">
                Ledger
              </Link>
            </>
          )}
          <Desk dim={dim} large={large} onDim={setDim} onLarge={setLarge} />
          <Queue />
          <Undo />
          <Person />
          <Keys onDim={() => setDim(!dim)} />
        </nav>
      </header>
      <main id="main" className="min-h-0 flex-1 small:overflow-y-auto">
        <HeaderSlot value={slot}>
          <Outlet />
        </HeaderSlot>
      </main>
    </div>
  );
}

interface PlaceProps {
  to: "/" | "/day" | "/card" | "/rigs" | "/ledger" | "/practice";
  children: string;
}

function Place({ to, children }: PlaceProps) {
  return (
    <Link
      to={to}
      activeOptions={{ exact: to === "/" }}
      className="head flex items-center border-transparent border-b-[5px] border-t-[5px] px-4 text-[0.9375rem] text-ink2 hover:text-ink data-[status=active]:border-b-amber-fill data-[status=active]:text-ink"
    >
      {children}
    </Link>
  );
}

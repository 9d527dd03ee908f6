import { Link, Outlet, useMatchRoute } from "@tanstack/react-router";
import { useEffect, useState } from "react";
import { HeaderSlot } from "../ui/HeaderSlot";
import { Keys } from "./Keys";

/** The frame around every page: the header with mark, label, stages or places. */
export function Frame() {
  const [slot, setSlot] = useState<HTMLElement | null>(null);
  const [dim, setDim] = useState(() => localStorage.getItem("room") === "dim");
  const onStack = useMatchRoute()({ to: "/stacks/$stackId", fuzzy: true });
  const onSpecimen = useMatchRoute()({ to: "/specimens/$specimenId/plan" });
  const inside = Boolean(onStack || onSpecimen);
  useEffect(() => {
    document.documentElement.dataset.room = dim ? "dim" : "light";
    localStorage.setItem("room", dim ? "dim" : "light");
  }, [dim]);

  return (
    <div className="flex h-full min-w-[960px] flex-col">
      <a
        href="#main"
        className="absolute top-1 left-1 z-50 -translate-y-20 border border-ink bg-card px-3 py-2 focus:translate-y-0"
      >
        Skip to the page
      </a>
      <header className="flex h-[58px] shrink-0 items-stretch border-ink border-b bg-card">
        <Link
          to="/"
          className="flex items-center gap-2.5 border-rule border-r px-5"
          aria-label="Amber Ladder, to the cabinet"
        >
          <svg viewBox="0 0 20 26" className="h-[26px]" aria-hidden="true">
            <path d="M2 1v24M18 1v24" stroke="var(--ink)" strokeWidth="2.6" />
            <path d="M3 5h14M3 10.3h14M3 15.6h14M3 21h14" stroke="var(--amber-fill)" strokeWidth="3" />
          </svg>
          <span className="head text-[18px]">Amber Ladder</span>
        </Link>
        <div ref={setSlot} className="flex min-w-0 flex-1 items-stretch">
          {!inside && (
            <nav aria-label="Places" className="flex items-stretch pl-4">
              <Place to="/">Cabinet</Place>
              <Place to="/rigs">Rigs</Place>
            </nav>
          )}
        </div>
        <nav aria-label="More" className="flex items-center gap-4 px-4 text-[14px] text-ink2">
          {inside && (
            <>
              <Link to="/" className="hover:text-ink hover:underline">
                Cabinet
              </Link>
              <Link to="/rigs" className="hover:text-ink hover:underline">
                Rigs
              </Link>
            </>
          )}
          <button
            type="button"
            aria-pressed={dim}
            className="min-h-11 px-1 hover:text-ink hover:underline"
            onClick={() => setDim(!dim)}
          >
            {dim ? "Dim room on" : "Dim room off"}
          </button>
          <Keys />
        </nav>
      </header>
      <main id="main" className="min-h-0 flex-1">
        <HeaderSlot value={slot}>
          <Outlet />
        </HeaderSlot>
      </main>
    </div>
  );
}

function Place({ to, children }: { to: "/" | "/rigs"; children: string }) {
  return (
    <Link
      to={to}
      activeOptions={{ exact: true }}
      className="head flex items-center border-transparent border-b-[5px] border-t-[5px] px-4 text-[15px] text-ink2 hover:text-ink data-[status=active]:border-b-amber-fill data-[status=active]:text-ink"
    >
      {children}
    </Link>
  );
}

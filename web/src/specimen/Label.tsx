import type { Specimen } from "../client/api";

/** A specimen's label in the header, as on a drawer card. */
export function Label({ specimen, under }: { specimen: Specimen; under: string }) {
  return (
    <div className="flex w-[270px] shrink-0 flex-col justify-center border-rule border-r px-4">
      <h1 className="truncate text-[15px] leading-tight">
        {specimen.catalogue_number} {specimen.name}
      </h1>
      <p className="truncate text-[13px] text-ink2">
        {specimen.kind}
        {specimen.mount && `, ${specimen.mount}`} · {under}
      </p>
    </div>
  );
}

import type { Specimen, StackLine } from "../client/api";
import { Flyout } from "../ui/Flyout";
import { StackList } from "./StackList";

interface Props {
  specimen: Specimen;
  under: string;
  /** All stacks of the specimen; the label opens them. */
  stacks?: StackLine[];
  stackId?: number;
  takeId?: number;
}

/** A specimen's label in the header, as on a drawer card. */
export function Label({ specimen, under, stacks, stackId, takeId }: Props) {
  const words = (
    <>
      <span className="block truncate leading-tight">
        {specimen.catalogue_number} {specimen.name}
      </span>
      <span className="block truncate font-normal text-[0.875rem] text-ink2 [font-family:var(--font-text)] [font-stretch:100%]">
        {under}
        {stacks && " ▾"} · {specimen.kind}
        {specimen.mount && `, ${specimen.mount}`}
      </span>
    </>
  );
  return (
    <h1 className="flex w-[clamp(150px,21vw,270px)] shrink-0 border-rule border-r text-[0.9375rem]">
      {stacks ? (
        <Flyout
          label="Stacks and takes"
          trigger={
            <>
              {words}
              <span className="sr-only">: all stacks and takes</span>
            </>
          }
          triggerClass="head w-full min-w-0 px-4 text-left hover:bg-rule/40"
          align="start"
          className="max-h-[70vh] w-[460px] overflow-y-auto"
        >
          <StackList specimen={specimen} stacks={stacks} stackId={stackId} takeId={takeId} />
        </Flyout>
      ) : (
        <span className="head flex w-full min-w-0 flex-col justify-center px-4">{words}</span>
      )}
    </h1>
  );
}

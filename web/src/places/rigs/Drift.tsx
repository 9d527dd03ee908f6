import { useQuery } from "@tanstack/react-query";
import { api, type Calibration } from "../../client/api";
import { moment, trimmed } from "../../lib/numbers";
import { Notice } from "../../ui/Notice";

/** What the scales of a rig tell together: that they agree, that they drift, or which one stands apart. */
export function Drift({ rigId, calibrations }: { rigId: number; calibrations: Calibration[] }) {
  const found = useQuery({
    // Judged anew whenever one comes, goes, or is set aside.
    queryKey: ["drift", rigId, calibrations.map((one) => [one.id, one.set_aside_at, one.result !== null])],
    queryFn: () => api.drift(rigId),
  });
  if (!found.data || found.data.verdict === "few") return null;
  const { verdict, scales, per_month, u_per_month, apart } = found.data;
  if (verdict === "steady")
    return (
      <p className="py-2 text-[0.9375rem] text-ink2">
        The {scales} scales that count agree within their uncertainties.
      </p>
    );
  if (verdict === "drifts" && per_month !== null && u_per_month !== null)
    return (
      <Notice kind="fault" title="The scale drifts.">
        By {share(per_month)} ± {share(Math.abs(u_per_month))} a month (k = 2), beyond chance. Stacks between
        two calibrations are off by their part of it: measure before each day's work, and look for what gives
        way.
      </Notice>
    );
  const stranger = calibrations.find((one) => one.id === apart);
  return (
    <Notice kind="fault" title="The scales do not agree.">
      They differ by more than their uncertainties allow
      {stranger && <>; that of {moment(stranger.made_at)} stands apart most</>}. If the rig was changed since,
      set those of before aside; if not, measure again.
    </Notice>
  );
}

const share = (value: number) => `${trimmed((100 * value).toPrecision(2))}\u00a0%`;

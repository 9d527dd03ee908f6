import type { Day, DayItem } from "../../client/api";
import { clock } from "../../specimen/day";

const WIDTH = 1200;
const TOP = 22;
const TALL = 92;
const MERGES = TOP + TALL + 12;
const HOUR_MS = 3_600_000;

/** The day as one band of time: ladders where they are shot, changes as notches, last moments in red. */
export function Band({ day }: { day: Day }) {
  const first = Math.min(Date.parse(day.starts_at), ...day.items.map((one) => Date.parse(one.begins_at)));
  const ends = [day.ends_at, ...day.items.flatMap((one) => [one.ends_at, one.last_moment ?? one.ends_at])];
  const last = Math.max(...ends.map(Date.parse)) + HOUR_MS / 12;
  const x = (time: string | number) =>
    Math.max(0, ((typeof time === "number" ? time : Date.parse(time)) - first) / (last - first)) * WIDTH;
  const hours: number[] = [];
  for (let hour = Math.ceil(first / HOUR_MS) * HOUR_MS; hour < last; hour += HOUR_MS) hours.push(hour);
  const every = Math.ceil(hours.length / 14);
  return (
    <svg
      viewBox={`-24 0 ${WIDTH + 48} ${MERGES + 24}`}
      className="w-full text-ink2"
      role="img"
      aria-label={`The day as a band of time, from ${clock(day.starts_at)} to ${clock(day.ends_at)}: the list below says the same`}
    >
      <defs>
        <pattern id="break" width="7" height="7" patternUnits="userSpaceOnUse" patternTransform="rotate(45)">
          <path d="M0 0v7" stroke="var(--rule)" strokeWidth="3" />
        </pattern>
      </defs>
      <rect
        x={x(day.starts_at)}
        y={TOP}
        width={x(day.ends_at) - x(day.starts_at)}
        height={TALL}
        fill="var(--card)"
        stroke="var(--ink)"
      />
      {day.breaks.map((one) => (
        <rect
          key={one.from_at}
          x={x(one.from_at)}
          y={TOP}
          width={Math.max(0, x(one.until_at) - x(one.from_at))}
          height={TALL}
          fill="url(#break)"
        />
      ))}
      {hours
        .filter((_, place) => place % every === 0)
        .map((hour) => (
          <g key={hour}>
            <path d={`M${x(hour)} ${TOP - 4}v4`} stroke="var(--ink2)" />
            <text x={x(hour)} y={TOP - 8} textAnchor="middle" fontSize="14" fill="currentColor">
              {clock(new Date(hour).toISOString())}
            </text>
          </g>
        ))}
      {day.items.map((one) => (
        <Ladder key={one.stack_id} item={one} x={x} />
      ))}
      {x(day.now) < WIDTH && Date.parse(day.now) > first && (
        <g>
          <path d={`M${x(day.now)} ${TOP - 6}V${MERGES + 10}`} stroke="var(--amber-fill)" strokeWidth="3" />
          <text x={x(day.now)} y={MERGES + 22} textAnchor="middle" fontSize="14" fill="var(--amber)">
            now
          </text>
        </g>
      )}
    </svg>
  );
}

/** A ladder from when it is set up to its last frame; its rungs lie where it is shot. */
function Ladder({ item, x }: { item: DayItem; x: (time: string | number) => number }) {
  const [from, shoots, until] = [x(item.begins_at), x(item.shoots_at), x(item.ends_at)];
  const wide = Math.max(2, until - shoots);
  const rungs = Math.max(1, Math.min(item.frames, Math.floor(wide / 4)));
  const rails = item.fits ? "var(--ink)" : "var(--fault)";
  const dashed = item.state === "to come" && !item.fits ? "5 4" : undefined;
  return (
    <g>
      {item.changes && (
        <path d={`M${from - 7} ${TOP}h14l-7 12z`} fill="var(--ink)">
          <title>{`change to ${item.rig_name}`}</title>
        </path>
      )}
      <path d={`M${from} ${TOP + TALL / 2}H${shoots}`} stroke="var(--ink2)" strokeDasharray="3 3" />
      <rect
        x={shoots}
        y={TOP + 16}
        width={wide}
        height={TALL - 34}
        fill={item.state === "done" ? "var(--rule)" : "var(--sheet)"}
        stroke="none"
      />
      {Array.from({ length: rungs }, (_, place) => (
        <path
          // biome-ignore lint/suspicious/noArrayIndexKey: rungs have nothing but their place
          key={place}
          d={`M${shoots + ((place + 0.5) * wide) / rungs} ${TOP + 20}v${TALL - 42}`}
          stroke={item.state === "to come" ? "var(--ink3)" : "var(--amber-fill)"}
          strokeWidth={item.state === "shooting" ? 2.4 : 1.6}
        />
      ))}
      <path
        d={`M${shoots} ${TOP + 16}h${wide}M${shoots} ${TOP + TALL - 18}h${wide}`}
        stroke={rails}
        strokeWidth="2.4"
        strokeDasharray={dashed}
      />
      {until - from > 44 ? (
        <text
          x={(from + until) / 2}
          y={TOP + TALL - 4}
          textAnchor="middle"
          fontSize="13"
          fill={item.fits ? "var(--ink)" : "var(--fault)"}
        >
          {item.catalogue_number}
        </text>
      ) : null}
      {item.merged_at && item.state === "to come" && (
        <path d={`M${until} ${MERGES}H${x(item.merged_at)}`} stroke="var(--ink3)" strokeWidth="3">
          <title>{`${item.catalogue_number} is merged by ${clock(item.merged_at)}`}</title>
        </path>
      )}
      {item.last_moment && item.state === "to come" && (
        <>
          <path
            d={`M${x(item.last_moment)} ${TOP - 2}v${TALL + 4}`}
            stroke="var(--fault)"
            strokeWidth="2.4"
          />
          <text x={x(item.last_moment) + 5} y={TOP + 15} fontSize="13" fill="var(--fault)">
            {item.catalogue_number}
          </text>
        </>
      )}
    </g>
  );
}

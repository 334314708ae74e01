import { DropdownMenu } from 'radix-ui';
import { createStore, useStore } from 'zustand';
import { Button } from '../../ui/controls';
import { ASPECTS, within } from './frames';

/** Frames of other shapes that are shown; they belong to the window, not to the shot. */
const chosen = createStore(() => ({ names: [] as string[] }));

export function OtherFrames() {
  const names = useStore(chosen, (s) => s.names);
  const put = (name: string, on: boolean) =>
    chosen.setState({ names: on ? [...names, name] : names.filter((n) => n !== name) });
  return (
    <DropdownMenu.Root>
      <DropdownMenu.Trigger asChild>
        <Button look="quiet" active={names.length > 0}>
          {names.length ? `frames ${names.join(' ')}` : 'other frames'}
        </Button>
      </DropdownMenu.Trigger>
      <DropdownMenu.Portal>
        <DropdownMenu.Content
          align="end"
          sideOffset={4}
          className="z-50 min-w-32 rounded-lg border bg-raised p-1 text-sm shadow-xl"
        >
          {ASPECTS.map(([name]) => (
            <DropdownMenu.CheckboxItem
              key={name}
              checked={names.includes(name)}
              onCheckedChange={(on) => put(name, on)}
              onSelect={(e) => e.preventDefault()}
              className="flex items-center gap-2 rounded px-2 py-1 outline-none data-[highlighted]:bg-panel"
            >
              <span className="w-3 text-moss">{names.includes(name) ? '✓' : ''}</span>
              {name}
            </DropdownMenu.CheckboxItem>
          ))}
        </DropdownMenu.Content>
      </DropdownMenu.Portal>
    </DropdownMenu.Root>
  );
}

/** Action safe 93 %, title safe 90 % (EBU R 95), thirds, the centre, baselines, cap lines, the widest line, and frames of
 *  other shapes. */
export function Guides({
  lines,
  widest,
  aspect,
}: {
  lines: [number, number, number, number][];
  widest: { left: number; right: number; foot: number } | null;
  aspect: number;
}) {
  const names = useStore(chosen, (s) => s.names);
  const others = ASPECTS.filter(([name]) => names.includes(name)).map(
    ([name, other]) => [name, ...within(other, aspect).map((share) => share * 100)] as const,
  );
  return (
    <>
      {widest && (
        <p
          className="pointer-events-none absolute rounded bg-black/60 px-1 text-white text-xs"
          style={{
            left: `${((widest.left + widest.right) / 2) * 100}%`,
            top: `${Math.min(widest.foot * 100 + 1.5, 95)}%`,
            transform: 'translateX(-50%)',
          }}
        >
          widest line {Math.round((widest.right - widest.left) * 100)} % of the frame
        </p>
      )}
      {others.map(([name, x, y]) => (
        <p
          key={name}
          className="pointer-events-none absolute rounded-br bg-black/60 px-1 text-[10px] text-white"
          style={{ left: `${x}%`, top: `${y}%` }}
        >
          {name}
        </p>
      ))}
      <svg
        className="pointer-events-none absolute inset-0 h-full w-full"
        viewBox="0 0 100 100"
        preserveAspectRatio="none"
        aria-hidden="true"
      >
        <g fill="none" stroke="#fff" strokeOpacity="0.45" strokeWidth="1">
          <rect x="3.5" y="3.5" width="93" height="93" vectorEffect="non-scaling-stroke" />
          <rect x="5" y="5" width="90" height="90" strokeDasharray="4 3" vectorEffect="non-scaling-stroke" />
          <path d="M50 46 V54 M48 50 H52" vectorEffect="non-scaling-stroke" />
          <path
            d="M33.333 0 V100 M66.667 0 V100 M0 33.333 H100 M0 66.667 H100"
            strokeOpacity="0.22"
            vectorEffect="non-scaling-stroke"
          />
          <path
            d={lines.map(([x, y, u, v]) => `M${x * 100} ${y * 100}L${u * 100} ${v * 100}`).join('')}
            stroke="#e6ad4e"
            strokeOpacity="0.9"
            vectorEffect="non-scaling-stroke"
          />
          {others.map(([name, x, y, width, height]) => (
            <rect
              key={name}
              data-frame={name}
              x={x}
              y={y}
              width={width}
              height={height}
              stroke="#7fb4d8"
              strokeOpacity="0.95"
              vectorEffect="non-scaling-stroke"
            />
          ))}
          {widest && (
            <path
              d={`M${widest.left * 100} ${widest.foot * 100 - 2}V${widest.foot * 100 + 1}H${widest.right * 100}V${widest.foot * 100 - 2}`}
              stroke="#8fc7a0"
              strokeOpacity="0.95"
              vectorEffect="non-scaling-stroke"
            />
          )}
        </g>
      </svg>
    </>
  );
}

import { useShot } from '../context';
import type { Overlay } from './overlay';

const ARM = 7;

/** About what the chosen step turns: of each letter, word, line or block, or of a group. */
export function Pivots({ picking, size }: Overlay) {
  const step = useShot((s) => s.step);
  const frame = useShot((s) => s.frame);
  const playing = useShot((s) => s.playing);
  const draft = useShot((s) => s.draft);
  if (playing || !draft) return null;
  const places = picking.pivotsOf(step);
  if (!places.length) return null;
  return (
    <svg
      className="pointer-events-none absolute inset-0 h-full w-full"
      aria-hidden="true"
      data-testid="pivots"
      data-frame={frame}
    >
      {places.map(([x, y]) => {
        const [left, top] = [x * size.width, y * size.height];
        const cross = `M${left - ARM} ${top}H${left + ARM}M${left} ${top - ARM}V${top + ARM}`;
        return (
          <g key={`${x} ${y}`} fill="none">
            <path d={cross} stroke="#000" strokeOpacity="0.6" strokeWidth="3.5" />
            <path d={cross} stroke="#e6ad4e" strokeWidth="1.5" />
            <circle cx={left} cy={top} r="3" stroke="#e6ad4e" strokeWidth="1.5" />
          </g>
        );
      })}
    </svg>
  );
}

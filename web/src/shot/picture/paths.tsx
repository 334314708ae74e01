import { useShot } from '../context';
import { spanAt } from '../draft';
import type { Overlay } from './overlay';

const MOST = 6;
const GHOSTS = [-8, -4, 4, 8];

/** The ways of picked letters through the picture, a tick a frame, and their outlines some frames before and after. */
export function Paths({ picking, size }: Overlay) {
  const picked = useShot((s) => s.picked);
  const draft = useShot((s) => s.draft);
  const frame = useShot((s) => s.frame);
  const playing = useShot((s) => s.playing);
  const span = draft && spanAt(draft, frame);
  if (!draft || !span || playing || !picked.length) return null;
  const px = ([x, y]: [number, number]) => `${x * size.width} ${y * size.height}`;
  return (
    <svg
      className="pointer-events-none absolute inset-0 h-full w-full"
      aria-hidden="true"
      data-testid="paths"
    >
      {picked.slice(0, MOST).map((letter) => {
        const way = picking.wayOf(letter);
        const seen = way.filter((p): p is [number, number] => p !== null);
        if (seen.length < 2 || !spread(seen)) return null;
        return (
          <g key={letter}>
            <polyline
              points={seen.map(([x, y]) => `${x * size.width},${y * size.height}`).join(' ')}
              fill="none"
              stroke="#fff"
              strokeOpacity="0.75"
              strokeWidth="1.2"
            />
            {way.map(
              (p, k) =>
                p && (
                  <circle
                    key={k}
                    cx={p[0] * size.width}
                    cy={p[1] * size.height}
                    r={span.first + k === frame ? 4 : (span.first + k) % 5 === 0 ? 2.4 : 1.4}
                    fill={span.first + k === frame ? '#e6ad4e' : '#fff'}
                  />
                ),
            )}
            {GHOSTS.map((by) => {
              const outline = picking.outline(letter, frame + by);
              return outline ? (
                <path
                  key={by}
                  d={`M${outline.map(px).join('L')}Z`}
                  fill="none"
                  stroke={by < 0 ? '#e6ad4e' : '#b8cb6f'}
                  strokeOpacity={Math.abs(by) > 4 ? 0.4 : 0.75}
                />
              ) : null;
            })}
          </g>
        );
      })}
    </svg>
  );
}

/** Does a letter move in the picture at all? */
function spread(points: [number, number][]): boolean {
  const xs = points.map((p) => p[0]);
  const ys = points.map((p) => p[1]);
  return Math.max(...xs) - Math.min(...xs) > 0.002 || Math.max(...ys) - Math.min(...ys) > 0.002;
}

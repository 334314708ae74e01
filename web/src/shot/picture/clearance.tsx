import { useShot } from '../context';
import { CONTACT, spanAt } from '../draft';
import type { Overlay } from './overlay';

/** Fronts of letters that at the playhead meet others, or go into floor or wall. */
export function Clearance({ picking, size }: Overlay) {
  const draft = useShot((s) => s.draft);
  const frame = useShot((s) => s.frame);
  const playing = useShot((s) => s.playing);
  const guides = useShot((s) => s.guides);
  const picked = useShot((s) => s.picked);
  const span = draft && spanAt(draft, frame);
  if (!span || playing || !(guides || picked.length)) return null;
  const count = span.letters.length;
  const at = (frame - span.first) * count;
  const met = span.letters.flatMap((_, k) => {
    const bits = (span.contacts[at + k] ?? 0) & (CONTACT.letters | CONTACT.stage);
    const outline = bits ? picking.outline(k) : null;
    return outline ? [{ bits, outline, k }] : [];
  });
  if (!met.length) return null;
  return (
    <svg
      className="pointer-events-none absolute inset-0 h-full w-full"
      aria-hidden="true"
      data-testid="clearance"
      data-met={met.map(({ k }) => k).join(' ')}
    >
      {met.map(({ k, bits, outline }) => (
        <path
          key={k}
          d={`M${outline.map(([x, y]) => `${x * size.width} ${y * size.height}`).join('L')}Z`}
          fill="#e0714b"
          fillOpacity="0.12"
          stroke="#e0714b"
          strokeWidth="1.4"
          strokeDasharray={bits & CONTACT.letters ? undefined : '4 3'}
        />
      ))}
    </svg>
  );
}

import { spanAt } from '../draft';
import type { ShotStore } from '../store';
import { letterBefore, overriding, ownValue, runsOf } from './overrides';

/** Move the picked letters by shares of their cap height. */
export function nudge(store: ShotStore, dx: number, dy: number) {
  const { document, draft, frame, picked } = store.getState();
  if (!document) return;
  const runs = runsOf(document, draft, frame, picked);
  const patch = overriding(document, runs, 'shift', (run) => {
    const [x = 0, y = 0, z = 0] = ownValue(document, run, 'shift', [0, 0, 0]) as number[];
    return [x + dx, y + dy, z].map((v) => Number(v.toFixed(4)));
  });
  store.edit(patch, 'nudge letters');
}

/** Open or close the space before the first picked letter of each run: the tracking of the letter before it. */
export function kern(store: ShotStore, by: number) {
  const { document, draft, frame, picked } = store.getState();
  const span = draft && spanAt(draft, frame);
  if (!document || !span) return;
  const before = runsOf(document, draft, frame, picked)
    .map((run) => letterBefore(span, run.letters[0] as number))
    .filter((k) => k >= 0);
  const runs = before.flatMap((k) => runsOf(document, draft, frame, [k]));
  const patch = overriding(
    document,
    runs,
    'tracking',
    (run) => (ownValue(document, run, 'tracking', 0) as number) + by,
  );
  store.edit(patch, 'kern');
}

/** Pick every letter of the chosen block, or of all when no block is chosen. */
export function pickAll(store: ShotStore) {
  const { draft, frame, step } = store.getState();
  const span = draft && spanAt(draft, frame);
  if (!span) return;
  const block = span.blocks.findIndex((b) => b.step === step);
  store.pick(span.letters.flatMap((l, k) => (block < 0 || l.block === block ? [k] : [])));
}

import { NEUTRAL } from '../desk/starts';
import type { Step } from '../open/state';
import type { ShotStore } from '../store';
import { placeFor } from './steps';

/** An id that no step has. */
export const newId = (kind: Step['kind']) => `${kind}-${Date.now().toString(36)}`;

/** Letters drawn by tubes, where none are yet: only tubes grow. */
function tubesOf(steps: Step[]) {
  const forms = steps.flatMap((step, k) => (step.kind === 'form' ? [{ step, k }] : []));
  if (forms.some(({ step }) => step.tubes?.on !== false)) return [];
  return forms.map(({ k }) => ({ op: 'replace' as const, path: `/steps/${k}/tubes/on`, value: true }));
}

/** Pieces that stay at home, where nothing is cut yet: what becomes something else goes in pieces. */
function cutsOf(steps: Step[]) {
  if (steps.some((step) => step.kind === 'pieces')) return [];
  const value = {
    id: newId('pieces'),
    kind: 'pieces',
    name: 'Cut',
    reaches: [{ kind: 'everywhere', level: 0 }],
  };
  return [{ op: 'add' as const, path: `/steps/${placeFor(steps, 'pieces')}`, value }];
}

/** What takes letters from whole to gone in the second half of a shot. */
const going = (first: number, last: number) => ({
  kind: 'passage',
  passed: {
    keys: [
      { frame: Math.round(first + 0.45 * (last - first)), value: 0 },
      { frame: Math.round(first + 0.9 * (last - first)), value: 1 },
    ],
  },
});

/** Add a step of a kind where it usually stands, and go to it. */
export function addStep(store: ShotStore, kind: Step['kind'], more: Record<string, unknown> = {}) {
  const steps = store.getState().document?.steps ?? [];
  const id = newId(kind);
  const { first = 0, last = 0 } = store.getState().document ?? {};
  const extra =
    kind === 'drive'
      ? { name: 'Drive', offset: NEUTRAL }
      : kind === 'pieces' || kind === 'become'
        ? { reaches: [going(first, last)] }
        : {};
  const cuts = kind === 'become' ? cutsOf(steps) : [];
  store.edit(
    [
      ...(kind === 'grow' ? tubesOf(steps) : []),
      ...cuts,
      {
        op: 'add',
        path: `/steps/${placeFor(steps, kind) + cuts.length}`,
        value: { id, kind, ...extra, ...more },
      },
    ],
    `add ${kind}`,
    true,
  );
  store.selectStep(id);
}

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

/** Add a step of a kind where it usually stands, and go to it. */
export function addStep(store: ShotStore, kind: Step['kind'], more: Record<string, unknown> = {}) {
  const steps = store.getState().document?.steps ?? [];
  const id = newId(kind);
  const extra = kind === 'drive' ? { name: 'Drive', offset: NEUTRAL } : {};
  store.edit(
    [
      ...(kind === 'grow' ? tubesOf(steps) : []),
      { op: 'add', path: `/steps/${placeFor(steps, kind)}`, value: { id, kind, ...extra, ...more } },
    ],
    `add ${kind}`,
    true,
  );
  store.selectStep(id);
}

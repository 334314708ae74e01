import { useShot, useShotStore } from '../context';

/** The chosen step with what its grips in the picture need; nothing while the shot plays. */
export function useChosen() {
  const store = useShotStore();
  const document = useShot((s) => s.document);
  const draft = useShot((s) => s.draft);
  const frame = useShot((s) => s.frame);
  const playing = useShot((s) => s.playing);
  const step = useShot((s) => s.document?.steps?.find((one) => one.id === s.step));
  if (!document || !draft || playing || !step) return null;
  const base = `/steps/${document.steps?.indexOf(step) ?? -1}`;
  return { store, document, draft, frame, step, base };
}

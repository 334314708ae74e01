import type { ShotStore } from './store';

/** Set a marker at the playhead; where there is one, take it away. */
export function mark(store: ShotStore) {
  const { document, frame } = store.getState();
  const there = (document?.markers ?? []).findIndex((m) => m.frame === frame);
  if (there >= 0) store.edit([{ op: 'remove', path: `/markers/${there}` }], 'take a marker away');
  else store.edit([{ op: 'add', path: '/markers/-', value: { frame, name: '' } }], 'set a marker');
}

/** Move the playhead to the next marker before or after it. */
export function toMarker(store: ShotStore, by: 1 | -1) {
  const { document, frame } = store.getState();
  const ahead = (document?.markers ?? []).map((m) => m.frame).filter((f) => (f - frame) * by > 0);
  if (ahead.length) store.seek(by > 0 ? Math.min(...ahead) : Math.max(...ahead));
}

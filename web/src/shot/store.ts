import type { Seen, Speeds } from './draft';
import { drafts as draftsOf } from './open/drafts';
import { edits as editsOf } from './open/edits';
import { type Hearing, live as liveOf } from './open/live';
import { orders } from './open/orders';
import { previews as previewsOf } from './open/previews';
import { proofs as proofsOf } from './open/proofs';
import { type ShotState, unopened, type View } from './open/state';
import type { Key } from './values';

const MOST_LANES = 3;

/** Everything about one open shot. */
export function createShot(id: string, across = false) {
  const store = unopened(id, across);
  const { getState: get, setState: set } = store;
  const live = liveOf(id, () => hearing);
  const drafts = draftsOf(store);
  const previews = previewsOf(store, drafts, live);
  const proofs = proofsOf(store, live);
  const edits = editsOf(store, drafts, previews, proofs);
  const hearing: Hearing = {
    words(said) {
      if (said.type === 'changed') edits.hear(said.revision);
      else if (said.type === 'proof_kept') set((s) => ({ kept: s.kept + 1 }));
      else if (said.type === 'refused') {
        proofs.refused(said.seq, said.detail);
        previews.refused(said.seq);
      }
    },
    picture(head, body) {
      if (head.type === 'preview') previews.hear(head, body);
      else proofs.hear(head, body);
    },
    opened() {
      edits.back();
      proofs.again(); // one that was lost begins again
    },
    lost: previews.lost,
  };

  return {
    ...store,
    ...orders(store, edits),
    /** Hear of every draft and frame to be shown, before anything else does, and of every draft of an edit that is
     *  asked for. Answers how to stop. */
    onPicture(paint: (picture: Seen, frame: number) => void, asked: () => void) {
      const [leave, ignore] = [drafts.onPicture(paint), previews.onAsked(asked)];
      return () => {
        leave();
        ignore();
      };
    },
    /** How many pictures the draft has drawn: counted apart, since nothing is to be drawn again for it. */
    pictures: { shown: 0 },
    open() {
      live.open();
      void edits.load();
    },
    close: live.close,
    edit: edits.edit,
    history: edits.history,
    preview: previews.preview,
    setMode: proofs.setMode,
    setFineness: proofs.setFineness,
    setRegion: proofs.setRegion,
    /** Put the draft back to what is stored, after a drag that was given up. */
    settle() {
      previews.outdate();
      void drafts.refresh();
    },
    seek(frame: number) {
      const { draft } = get();
      if (!draft) return;
      const clamped = Math.min(Math.max(Math.round(frame), draft.first), draft.last);
      if (clamped === get().frame) return;
      set({ frame: clamped });
      if (get().mode === 'proof') proofs.soon();
    },
    copy: (copied: Key[]) => set({ copied }),
    point: (pointing: ShotState['pointing']) => set({ pointing }),
    selectStep: (step: string) => set({ step, pointing: null }),
    /** Go to a step and into the desk: to one of its values, by its path, or to the first. */
    enter: (step: string, field = '') =>
      set((s) => ({ step, pointing: null, field, entered: s.entered + 1 })),
    pick: (picked: number[]) => set({ picked }),
    /** Open the help at a place, or close it. */
    explain: (help: ShotState['help']) => set({ help }),
    /** Go to a step of the guided first title; -1 ends it. */
    guide: (guided: number) => set({ guided }),
    setView: (view: View) => {
      if (get().mode === 'proof' && view !== 'shot') proofs.setMode('draft');
      set({ view });
    },
    /** The first or last frame that is played; one past the other lets go of that. */
    setRange: (end: 'from' | 'to' | null) =>
      set(({ range, draft, frame }) => {
        if (!end || !draft) return { range: null };
        const [from, to] = range ?? [draft.first, draft.last];
        const next: [number, number] = end === 'from' ? [frame, to] : [from, frame];
        if (next[0] >= next[1]) return { range: end === 'from' ? [frame, draft.last] : [draft.first, frame] };
        return { range: next };
      }),
    toggle: (what: 'loop' | 'guides' | 'meter' | 'everyFrame' | 'across' | 'fitted') =>
      set((s) => ({ [what]: !s[what] }) as Partial<ShotState>),
    setPlaying: (playing: boolean) => {
      if (playing && get().mode === 'proof') proofs.setMode('draft');
      set({ playing });
    },
    shadeBy: (shading: keyof Speeds) => set({ shading }),
    setWork: (work: string) => set({ work }),
    /** How many triangles the draft draws of each block. */
    setTriangles: (triangles: Record<string, number>) => {
      if (JSON.stringify(triangles) !== JSON.stringify(get().triangles)) set({ triangles });
    },
    /** Open or close the curve of a value; where there are too many the oldest gives way. */
    setLane: (lane: string) =>
      set((s) => ({
        lanes: s.lanes.includes(lane)
          ? s.lanes.filter((l) => l !== lane)
          : [...s.lanes, lane].slice(-MOST_LANES),
      })),
    closeLanes: () => set({ lanes: [] }),
    /** Show this curve and no other. */
    onlyLane: (lane: string) => set({ lanes: [lane] }),
    /** Show one part of a value's curve, or with null all. */
    isolate: (lane: string, part: number | null) =>
      set((s) => {
        const { [lane]: _, ...others } = s.isolated;
        return { isolated: part === null ? others : { ...others, [lane]: part } };
      }),
    chooseKeys: (chosen: Record<string, number[]>) => set({ chosen }),
  };
}

export type ShotStore = ReturnType<typeof createShot>;

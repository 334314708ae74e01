import { api, bytes, ok } from '../../api/client';
import { type Draft, readDraft, type Seen, spanAt } from '../draft';
import type { State } from './state';
import { tell } from './telling';

/** The drafts of an open shot: fetched, and shown where they are drawn before anything else hears of them. */
export function drafts({ getState: get, setState: set, subscribe }: State) {
  const painters = new Set<(picture: Seen, frame: number) => void>();
  let refreshing = 0;
  let newest = 0; // of the drafts that were shown
  let goOn = () => false; // ask for more of what is solved frame by frame; answers whether that can be

  subscribe((now, before) => {
    if (now.draft && (now.draft !== before.draft || now.frame !== before.frame)) paint(now.draft);
  });

  function paint(picture: Seen) {
    for (const draw of painters) draw(picture, get().frame);
    const solved = picture.solved ?? null;
    if (solved !== get().solved) set({ solved });
  }

  function show(draft: Draft) {
    newest += 1;
    // A shot opens on its rest pose: what an arrival ends in is what is judged first. Later the playhead is the user's.
    const frame = get().draft ? get().frame : Math.ceil(draft.rest);
    const at = Math.min(Math.max(frame, draft.first), draft.last);
    const letters = (of: Draft | null) =>
      (of &&
        spanAt(of, at)
          ?.letters.map((l) => l.text)
          .join('')) ??
      '';
    const picked = letters(get().draft) === letters(draft) ? get().picked : [];
    set({ draft, frame: at, picked });
  }

  /** Not waited for: it builds every solid, and nothing depends on it but a remark in the desk. */
  function findRidges() {
    const mine = refreshing;
    void ok(api.GET('/api/shots/{shot}/ridges', { params: { path: { shot: get().id } } })).then(
      (out) => mine === refreshing && set({ ridges: out.letters }),
      () => {},
    );
  }

  return {
    paint,
    findRidges,
    /** Hear of every draft and frame to be shown, before anything else does. Answers how to stop. */
    onPicture(painter: (picture: Seen, frame: number) => void) {
      painters.add(painter);
      return () => painters.delete(painter);
    },
    /** A draft of an edit under way goes to the picture first; the rest of the screen follows once that is shown. */
    showFirst(draft: Draft) {
      paint(draft);
      const mine = ++newest;
      requestAnimationFrame(() => setTimeout(() => mine === newest && show(draft)));
    },
    /** How more is asked for of what is solved frame by frame. */
    goesOn(ask: () => boolean) {
      goOn = ask;
    },
    /** What is being fetched is out of date. */
    outdate() {
      refreshing += 1;
    },
    /** Fetch the draft of what is stored. */
    async refresh() {
      const mine = ++refreshing;
      try {
        const { body } = await bytes(`/api/shots/${get().id}/draft`);
        if (mine !== refreshing) return;
        const draft = readDraft(body);
        show(draft);
        findRidges();
        if (get().solved !== null && !goOn()) void this.refresh();
      } catch (error) {
        tell(error);
      }
    },
  };
}

export type Drafts = ReturnType<typeof drafts>;

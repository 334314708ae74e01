import { readDraft, readSeen, type Seen } from '../draft';
import { keptChunks } from '../picture/swelling';
import type { Operation } from '../values';
import type { Drafts } from './drafts';
import type { Live } from './live';
import type { State } from './state';

const PREVIEW_WAIT = 2000; // milliseconds; then the draft of what is stored is fetched

/** Drafts of edits that are not stored yet: of what is dragged, and of what is being stored. */
export function previews({ getState: get }: State, drafts: Drafts, live: Live) {
  const asking = new Set<() => void>();
  let outdated = 0; // previews asked for before this one
  let early: { seq: number; picture: Seen } | null = null; // the newest one's, until all of it is there
  let foreseen: { seq: number; came: Promise<boolean> } | null = null; // of edits that are being stored
  let arrive: (shown: boolean) => void = () => {};
  let asked: { patch: Operation[]; revision: number } | null = null; // the newest

  /** Ask for a draft of what a patch would make of the shot. */
  function preview(patch: Operation[]): boolean {
    if (!live.isOpen()) return false;
    ask(patch);
    for (const hear of asking) hear();
    return true;
  }

  function ask(patch: Operation[]) {
    asked = { patch, revision: get().revision };
    live.say({ type: 'preview', patch, seq: live.next(), revision: asked.revision, has: keptChunks() });
  }

  /** Ask for more of what is solved frame by frame, as long as nothing else is asked for, nor stored. */
  function goOn(seq: number) {
    if (seq === foreseen?.seq) arrive(false);
    if (seq === live.last() && asked?.revision === get().revision) ask(asked.patch);
  }

  drafts.goesOn(() => preview([]));

  return {
    preview,
    /** Hear of every draft of an edit that is asked for. Answers how to stop. */
    onAsked(hear: () => void) {
      asking.add(hear);
      return () => asking.delete(hear);
    },
    /** Previews that are under way are out of date. */
    outdate() {
      outdated = live.next();
    },
    /** Show edits while they are being stored. */
    foresee(patch: Operation[]) {
      if (preview(patch)) foreseen = { seq: live.last(), came: new Promise((come) => (arrive = come)) };
    },
    /** Did the preview of the edits that are now stored show what they have made of the shot? */
    async wasForeseen() {
      const mine = foreseen;
      if (mine?.seq !== live.last()) return false;
      const soon = new Promise<boolean>((come) => setTimeout(() => come(false), PREVIEW_WAIT));
      return (await Promise.race([mine.came, soon])) && mine === foreseen && mine.seq === live.last();
    },
    forget() {
      foreseen = null;
    },
    hear({ seq, part }: { seq: number; part?: string }, body: ArrayBuffer) {
      if (seq < outdated) return;
      if (part === 'picture') {
        early = { seq, picture: readSeen(body) };
        drafts.paint(early.picture);
        if (get().solved !== null) goOn(seq);
        else live.say({ type: 'rest', seq });
        return;
      }
      drafts.showFirst(readDraft(body, early?.seq === seq ? early.picture : undefined));
      if (seq === foreseen?.seq) arrive(true);
    },
    refused(seq: number) {
      if (seq === foreseen?.seq) arrive(false);
    },
    lost: () => arrive(false),
  };
}

export type Previews = ReturnType<typeof previews>;

import { replaceEqualDeep } from '@tanstack/react-query';
import { immutableJSONPatch } from 'immutable-json-patch';
import { ApiError, api, ok, type Schemas } from '../../api/client';
import { toast } from '../../ui/toasts';
import type { Operation } from '../values';
import type { Drafts } from './drafts';
import type { Previews } from './previews';
import type { Proofs } from './proofs';
import type { Shot, State } from './state';
import { tell } from './telling';

const AWAY_MS = 1500;
const STORED_MS = 30;

interface Waiting {
  patch: Operation[];
  label: string;
}

/** What is made of an open shot. Edits are applied here at once, sent one by one, and stand when the server says so. */
export function edits(
  { getState: get, setState: set }: State,
  drafts: Drafts,
  previews: Previews,
  proofs: Proofs,
) {
  const params = { path: { shot: get().id } };
  const waiting: Waiting[] = [];
  let sending = false;
  let heard = 0; // the newest revision that the server spoke of

  function take(answer: unknown) {
    const out = answer as Schemas['ShotOut']; // the client's generics lose the lengths of tuples
    if (out.revision < get().revision) return; // an answer that was overtaken
    set({
      // What is as it was stays the same object: nothing that shows it is drawn again.
      document: replaceEqualDeep(
        get().document,
        waiting.reduce((d, w) => patched(d, w.patch), out.document as Shot),
      ),
      production: { id: out.production_id, name: out.production },
      revision: out.revision,
      undo: out.undo,
      redo: out.redo,
    });
  }

  async function load() {
    try {
      const out = await ok(api.GET('/api/shots/{shot}', { params }));
      const first = get().document === null;
      take(out);
      if (first) set({ step: out.document.steps?.[0]?.id ?? '', frame: out.document.first ?? 0 });
      await drafts.refresh();
    } catch (error) {
      set({ failed: error instanceof Error ? error.message : String(error) });
    }
  }

  async function reload() {
    try {
      take(await ok(api.GET('/api/shots/{shot}', { params })));
    } catch (error) {
      tell(error);
    }
  }

  async function afterChange() {
    if (get().solved === null || !previews.preview([])) await drafts.refresh();
    proofs.again();
  }

  /** Make an edit. With `later` it shows only when the server has filled in what the patch leaves out. */
  function edit(patch: Operation[], label: string, later = false) {
    const { document } = get();
    if (!document || !patch.length) return;
    waiting.push({ patch, label });
    previews.outdate();
    drafts.outdate();
    set({ document: later ? document : patched(document, patch), saving: 'saving' });
    const all = waiting.flatMap((w) => w.patch);
    if (!later && all.every(repeatable)) previews.foresee(all);
    void send();
  }

  async function send() {
    if (sending) return;
    sending = true;
    while (waiting.length) {
      const next = waiting[0] as Waiting;
      try {
        const body = { revision: get().revision, label: next.label, patch: next.patch as never };
        const out = await ok(api.POST('/api/shots/{shot}/edits', { params, body }));
        waiting.shift();
        take(out);
        if (waiting.length) continue;
        if (await previews.wasForeseen()) {
          drafts.findRidges();
          proofs.again();
        } else if (!waiting.length) await afterChange();
      } catch (error) {
        const code = error instanceof ApiError ? error.problem.code : '';
        if (code === 'shot.revision_stale') {
          // Someone else was first: take their state, put ours on top of it, try again.
          previews.forget();
          await reload();
        } else if (code === 'server.away' || code === 'database.away') {
          set({ saving: 'away' });
          await new Promise((r) => setTimeout(r, AWAY_MS));
        } else {
          waiting.shift();
          tell(error);
          await reload();
          await drafts.refresh();
        }
      }
    }
    sending = false;
    set({ saving: 'saved' });
    await catchUp();
  }

  /** Fetch what others have changed: at once, or when the edits under way are stored and shown. */
  async function catchUp() {
    if (heard <= get().revision || sending || waiting.length) return;
    await reload();
    await afterChange();
  }

  /** Let the core work out an edit at the playhead. Waits for edits under way: it works on what is stored. Where the
   *  process that worked on it ended, it is asked once more. Answers what went wrong, in words; nothing if it is done. */
  async function workedOut(
    send: (now: { revision: number; frame: number }) => Parameters<typeof ok<unknown>>[0],
    again = true,
  ): Promise<string> {
    while (sending || waiting.length) await new Promise((r) => setTimeout(r, STORED_MS));
    const { revision, frame } = get();
    set({ saving: 'saving' });
    try {
      take(await ok(send({ revision, frame })));
      set({ saving: 'saved' });
      await afterChange();
      return '';
    } catch (error) {
      const died = error instanceof ApiError && error.problem.code === 'compute.failed';
      if (died && again) return workedOut(send, false);
      set({ saving: 'saved' });
      tell(error);
      return error instanceof Error ? error.message : String(error);
    }
  }

  async function history(kind: 'undo' | 'redo') {
    const what = get()[kind];
    if (!what || waiting.length) return;
    try {
      const path = kind === 'undo' ? '/api/shots/{shot}/undo' : '/api/shots/{shot}/redo';
      take(await ok(api.POST(path, { params })));
      toast(kind === 'undo' ? `Undone: ${what}` : `Done again: ${what}`);
      await afterChange();
    } catch (error) {
      tell(error);
    }
  }

  return {
    load,
    edit,
    workedOut,
    history,
    /** Somebody has made a revision. */
    hear(revision: number) {
      heard = Math.max(heard, revision);
      void catchUp();
    },
    /** After an absence, what others did meanwhile is fetched. */
    back() {
      if (get().document && !sending) void reload().then(drafts.refresh);
    },
  };
}

export type Edits = ReturnType<typeof edits>;

function patched(document: Shot, patch: Operation[]): Shot {
  try {
    return immutableJSONPatch(document, patch as never) as unknown as Shot;
  } catch {
    return document; // the server will say what does not fit
  }
}

/** Does an operation that was done already change nothing when it is done again? */
function repeatable({ op, path }: Operation): boolean {
  return op === 'replace' || (op === 'add' && !/\/(\d+|-)$/.test(path));
}

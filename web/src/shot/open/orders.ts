import { api, type Schemas } from '../../api/client';
import { FACTS } from '../../api/facts';
import { byKeyboard } from '../../ui/modality';
import type { Edits } from './edits';
import type { State } from './state';

/** Edits that the core works out. */
export function orders({ getState: get, setState: set }: State, { workedOut }: Edits) {
  const params = { path: { shot: get().id } };

  /** Work an edit out, and go to the first step that it has made: one that moves letters before what it brings along. */
  async function choosing(send: Parameters<typeof workedOut>[0]): Promise<string> {
    const before = new Set(get().document?.steps?.map((s) => s.id));
    const wrong = await workedOut(send);
    const all = get().document?.steps?.filter((s) => !before.has(s.id)) ?? [];
    const made = all.find(({ kind }) => FACTS[kind].column === 'move') ?? all[0];
    if (made) set({ step: made.id, field: '', entered: get().entered + (byKeyboard() ? 1 : 0) });
    return wrong;
  }

  return {
    /** Align, space, fit or stand blocks. */
    arrange: (order: Partial<Schemas['Arrangement']> & { what: Schemas['Arrangement']['what'] }) =>
      workedOut((now) => {
        const usual = { step: 'block', side: 'centre', to: 'frame', share: 0.8, angle: 12 } as const;
        return api.POST('/api/shots/{shot}/arrange', { params, body: { ...usual, ...order, ...now } });
      }),
    /** Put on a look, or parts of it. */
    wear: (look: string, parts: NonNullable<Schemas['Wearing']['parts']>) =>
      workedOut((now) => api.POST('/api/shots/{shot}/wear', { params, body: { look, parts, ...now } })),
    /** Give letters a material of their own, and show the step that has it. */
    dress: (letters: number[]) =>
      choosing((now) => api.POST('/api/shots/{shot}/dress', { params, body: { letters, ...now } })),
    /** Move, scale, reverse or copy keys: frames by the path of their value. */
    moveKeys: (order: Partial<Schemas['KeyMove']> & { chosen: Record<string, number[]> }) =>
      workedOut(({ revision }) => {
        const body = { by: 0, scale: 1, reverse: false, copied: false, ...order, revision };
        return api.POST('/api/shots/{shot}/keys/move', { params, body });
      }),
    /** Put the copied keys on values, from the playhead on; for each further value `delay` frames later. */
    pasteKeys: (paths: string[], reverse: boolean, delay = 0) =>
      workedOut(({ revision, frame }) => {
        const keys = get().copied as unknown as Schemas['KeyPaste']['keys'];
        const body = { revision, frame, paths, reverse, delay, keys };
        return api.POST('/api/shots/{shot}/keys/paste', { params, body });
      }),
    /** Give the shot a motion of the book or a kept one. */
    setMotion: (motion: string, texts: string[], keep: boolean) =>
      choosing(({ revision }) =>
        api.POST('/api/shots/{shot}/motion', { params, body: { revision, motion, texts, keep } }),
      ),
    /** Another frame rate that keeps the frames or the seconds. */
    retime: (numerator: number, denominator: number, keep: 'frames' | 'seconds') =>
      workedOut(({ revision }) => {
        const body = { revision, fps: { numerator, denominator }, keep };
        return api.POST('/api/shots/{shot}/retime', { params, body });
      }),
    /** Place lights: a kit, or one by its effect. */
    light: (order: Partial<Schemas['Lighting']>) =>
      workedOut((now) => {
        const usual = { step: 'lights', light: 0, effect: 'highlight' as const, x: 0.5, y: 0.5, letters: [] };
        return api.POST('/api/shots/{shot}/light', { params, body: { ...usual, ...order, ...now } });
      }),
  };
}

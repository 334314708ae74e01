import { toast } from '../../ui/toasts';
import type { Live } from './live';
import type { Fineness, Mode, Proof, Region, State } from './state';

const SOON_MS = 250;
const SEEN_MS = 1000; // then a picture that another has taken the place of may go

interface Head extends Proof {
  type: string;
  seq: number;
  format: string;
  finished: boolean;
}

/** The proof of an open shot: what is asked for, and what has come of it. */
export function proofs({ getState: get, setState: set }: State, live: Live) {
  let asked = 0; // the number of the proof that is waited for
  let soon = 0;

  function prove() {
    const { document, frame, proof, region, fineness } = get();
    if (!document || !live.isOpen()) return;
    asked = live.next();
    set({ mode: 'proof', playing: false, proof: proof && { ...proof, working: true } });
    const order = { width: document.width, height: document.height, ...fineness, frame, region };
    live.say({ type: 'proof', seq: asked, ...order });
  }

  const again = () => get().mode === 'proof' && prove();

  function setMode(mode: Mode) {
    if (mode === 'proof') {
      set({ mode });
      prove();
      return;
    }
    live.say({ type: 'stop_proof' });
    asked = 0;
    const { proof, under } = get();
    for (const url of [proof?.picture, proof?.exposure, under]) if (url) URL.revokeObjectURL(url);
    set({ mode, proof: null, under: '', region: null });
  }

  function come(facts: Head, body: ArrayBuffer) {
    const { proof: old, under } = get();
    const picture = URL.createObjectURL(new Blob([body], { type: facts.format }));
    const { samples, of, noise, frame, revision, region, scopes = null } = facts;
    const seen = { samples, of, noise, frame, revision, region };
    const working = !facts.finished;
    const whole = !working && !region ? picture : under;
    set({
      proof: { ...seen, picture, working, scopes, exposure: '', bands: [] },
      under: whole,
    });
    const gone = [old?.picture, old?.exposure, under].filter((url) => url && url !== get().under);
    setTimeout(() => {
      for (const url of gone) URL.revokeObjectURL(url as string);
    }, SEEN_MS);
  }

  return {
    /** Prove the frame anew, where a proof is what is looked at. */
    again,
    soon() {
      clearTimeout(soon);
      soon = window.setTimeout(again, SOON_MS);
    },
    setMode,
    setFineness(fineness: Fineness) {
      set({ fineness });
      again();
    },
    /** Prove a part of the frame, or all of it again. */
    setRegion(region: Region | null) {
      set({ region });
      again();
    },
    hear(head: { type: string; seq: number }, body: ArrayBuffer) {
      const facts = head as Head;
      if (facts.seq !== asked) return;
      if (facts.type === 'proof' && get().mode === 'proof') come(facts, body);
      else if (facts.type === 'exposure') {
        const exposure = URL.createObjectURL(new Blob([body], { type: facts.format }));
        const { bands } = facts;
        set((s) => ({ proof: s.proof && { ...s.proof, exposure, bands } }));
      }
    },
    refused(seq: number, why: string) {
      if (seq === asked) toast(why, 'wrong');
    },
  };
}

export type Proofs = ReturnType<typeof proofs>;

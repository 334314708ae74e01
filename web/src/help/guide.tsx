import { useEffect, useState } from 'react';
import { useShot, useShotStore } from '../shot/context';
import type { ShotState } from '../shot/open/state';
import { Button } from '../ui/controls';

/** Kept in the browser: somebody who was led once is not led again unasked. */
const LED = 'moss-crown.guided';

interface Step {
  title: string;
  text: string;
  at: string; // what it is about, to be found on the screen
  done: (now: ShotState, begun: ShotState) => boolean; // was it done, by whatever way?
  ready?: (store: ReturnType<typeof useShotStore>) => void; // what is opened for it
}

const kindOf = (state: ShotState, kind: string) => state.document?.steps?.find((step) => step.kind === kind);
const changed = (kind: string) => (now: ShotState, begun: ShotState) =>
  JSON.stringify(kindOf(now, kind)) !== JSON.stringify(kindOf(begun, kind));
const choose = (kind: string) => (store: ReturnType<typeof useShotStore>) => {
  const step = kindOf(store.getState(), kind);
  if (step) store.selectStep(step.id);
};

const STEPS: Step[] = [
  {
    title: 'Your words',
    text: 'Type your title into the text on the desk. Enter makes a second line. The family beside it opens on your own words.',
    at: 'section[aria-label="Desk"]',
    done: changed('block'),
    ready: choose('block'),
  },
  {
    title: 'Depth and edge',
    text: 'Depth and bevel makes a form of them. Drag the number of the depth sideways, or type another.',
    at: 'section[aria-label="Desk"]',
    done: changed('form'),
    ready: choose('form'),
  },
  {
    title: 'What it is made of',
    text: 'Choose a material: each is shown as it looks on a letter. K would show whole looks on your title.',
    at: 'section[aria-label="Desk"]',
    done: (now, begun) => changed('material')(now, begun) || changed('environment')(now, begun),
    ready: choose('material'),
  },
  {
    title: 'See it move',
    text: 'Press Space, or the button to play, below the picture. The letters arrive one after the other.',
    at: '[aria-label="Transport"]',
    done: (now) => now.playing,
  },
  {
    title: 'When each letter comes',
    text: 'On the sheet frames run down, and every letter has a column. Drag the diagonal to move the arrival, or one start of it to stretch it.',
    at: 'section[aria-label="Sheet"]',
    done: changed('drive'),
    ready: choose('drive'),
  },
  {
    title: 'Is it lit well?',
    text: 'Press B for the light meter: it says which letters do not read, and can mend that. B again puts it away.',
    at: 'section[aria-label="Picture"]',
    done: (now) => now.meter,
  },
  {
    title: 'The frame as it will be',
    text: 'Press P: a proof of this frame by the renderer, finer and finer. P again goes back to the draft.',
    at: 'section[aria-label="Picture"]',
    done: (now) => now.mode === 'proof',
  },
  {
    title: 'A take for the edit',
    text: 'Press D, or Deliver at the top, and order a take: a movie, or frames. That is all of the way. Help is F1, and Ctrl+K finds anything by its name.',
    at: 'header',
    done: () => false,
  },
];

/** Leads through a first title, on the user's own words and with the real controls. */
export function Guide() {
  const store = useShotStore();
  const at = useShot((s) => s.guided);
  const there = useShot((s) => s.document !== null);
  useEffect(() => {
    if (!there || localStorage.getItem(LED)) return;
    if (sessionStorage.getItem(FIRST) !== store.getState().id) return;
    store.guide(0);
  }, [store, there]);
  const step = STEPS[at];
  return step ? <Card key={at} step={step} number={at} /> : null;
}

/** Set where a shot is made: the guide begins in a shot of one's own, not in one of the demo. */
export const FIRST = 'moss-crown.first-shot';

function Card({ step, number }: { step: Step; number: number }) {
  const store = useShotStore();
  const [begun] = useState(() => store.getState());
  const done = useShot((now) => step.done(now, begun));
  const last = number === STEPS.length - 1;
  useEffect(() => step.ready?.(store), [step, store]);
  useEffect(() => {
    const part = document.querySelector<HTMLElement>(step.at);
    part?.setAttribute('data-guided', '');
    return () => part?.removeAttribute('data-guided');
  }, [step]);
  const end = () => {
    localStorage.setItem(LED, 'yes');
    store.guide(-1);
  };
  return (
    <aside
      aria-label="First title, step by step"
      className="m-2 shrink-0 rounded-xl border border-moss bg-raised p-3 text-sm"
    >
      <p className="text-dim text-xs">
        First title, {number + 1} of {STEPS.length}
      </p>
      <div aria-live="polite">
        <h2 className="mb-1 font-semibold text-base">{step.title}</h2>
        <p>{step.text}</p>
        {done && <p className="mt-1 text-moss">Done.</p>}
      </div>
      <div className="mt-2 flex flex-wrap items-center gap-1.5">
        <Button
          look={done || last ? 'main' : 'plain'}
          onClick={() => (last ? end() : store.guide(number + 1))}
        >
          {last ? 'end' : done ? 'next' : 'next, without it'}
        </Button>
        {number > 0 && (
          <Button look="quiet" onClick={() => store.guide(number - 1)}>
            back
          </Button>
        )}
        {!last && (
          <Button look="quiet" onClick={end}>
            leave the guide
          </Button>
        )}
      </div>
    </aside>
  );
}

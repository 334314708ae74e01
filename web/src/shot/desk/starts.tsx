import { useShotStore } from '../context';
import type { Step } from '../open/state';
import type { Operation } from '../values';

type Drive = Extract<Step, { kind: 'drive' }>;

const NOTHING = {
  move: [0, 0, 0],
  turn: [0, 0, 0],
  scale: [1, 1, 1],
  spacing: 0,
  opacity: 1,
  outside: 'none',
};

/** What a new drive may begin as: from where letters come, or to where they go, by the values that say so. */
const STARTS: [string, Partial<typeof NOTHING>, string?][] = [
  ['rise', { move: [0, -0.8, 0], opacity: 0 }],
  ['drop', { move: [0, 1.2, 0], opacity: 0 }],
  ['come nearer', { move: [0, 0, -1.6], opacity: 0 }],
  ['shrink', { scale: [2.2, 2.2, 2.2], opacity: 0 }],
  ['grow', { scale: [0.02, 0.02, 0.02] }],
  ['turn in', { turn: [-90, 0, 0], move: [0, 0, 0.4] }],
  ['swing in', { turn: [0, 90, 0] }, 'left'],
  ['roll', { turn: [0, 0, -180], opacity: 0 }],
  ['fade', { opacity: 0 }],
  ['spread', { spacing: 0.6, opacity: 0 }],
  ['from beside', { outside: 'left' }],
];

/** A drive that does nothing yet. */
export const NEUTRAL = { move: NOTHING.move, turn: NOTHING.turn, scale: NOTHING.scale };

const same = (a: unknown, b: unknown) => JSON.stringify(a) === JSON.stringify(b);

/** While a drive does nothing: a row of starts, each of which sets its values. */
export function DriveStarts({ step, index }: { step: Drive; index: number }) {
  const store = useShotStore();
  const offset = step.offset as Record<string, unknown> | undefined;
  if (Object.entries(NOTHING).some(([name, value]) => !same(offset?.[name] ?? value, value))) return null;
  return (
    <div
      role="group"
      aria-label="Starts"
      className="col-span-full flex flex-wrap items-center gap-1.5 text-sm"
    >
      <span className="text-dim">letters</span>
      {STARTS.map(([name, values, pivot]) => (
        <button
          key={name}
          type="button"
          className="h-7 rounded-md border bg-raised px-2 hover:bg-moss-deep"
          onClick={() => {
            const patch: Operation[] = Object.entries(values).map(([member, value]) => ({
              op: 'replace',
              path: `/steps/${index}/offset/${member}`,
              value,
            }));
            if (pivot) patch.push({ op: 'replace', path: `/steps/${index}/pivot/place`, value: pivot });
            store.edit(patch, name);
          }}
        >
          {name}
        </button>
      ))}
    </div>
  );
}

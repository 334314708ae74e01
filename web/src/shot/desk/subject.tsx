import { useShot, useShotStore } from '../context';
import { type Draft, spanAt } from '../draft';
import type { Step } from '../open/state';

type Camera = Extract<Step, { kind: 'camera' }>;
type Subject = NonNullable<Camera['follow']>;

/** The picked letter with its place in its block; the block, where several are picked. */
function subjectOf(draft: Draft | null, frame: number, picked: number[]): Subject | null {
  const span = draft && spanAt(draft, frame);
  const first = span?.letters[picked[0] ?? -1];
  if (!span || !first) return null;
  const block = span.blocks[first.block]?.step ?? '';
  if (picked.length > 1) return { block, letter: null };
  const before = span.letters.slice(0, picked[0]).filter((l) => l.block === first.block).length;
  return { block, letter: before };
}

function nameOf(draft: Draft | null, frame: number, subject: Subject): string {
  const span = draft && spanAt(draft, frame);
  const own = span?.letters.filter((l) => span.blocks[l.block]?.step === subject.block) ?? [];
  if (typeof subject.letter !== 'number') return own.map((l) => l.text).join('') || 'a block';
  return own[subject.letter]?.text ?? 'a letter';
}

/** What the camera follows, and what it stays sharp on: chosen by picking it. */
export function CameraSubject({ step, index }: { step: Camera; index: number }) {
  const store = useShotStore();
  const draft = useShot((s) => s.draft);
  const frame = useShot((s) => s.frame);
  const picked = useShot((s) => s.picked);
  const wanted = subjectOf(draft, frame, picked);
  const row = (member: 'follow' | 'focus_on', does: string, done: string) => {
    const now = step[member];
    return (
      <span key={member} className="flex items-center gap-2">
        <span className="text-dim text-xs">
          {now ? `${done} ${nameOf(draft, frame, now)}` : `${does}: nothing`}
        </span>
        {(wanted || now) && (
          <button
            type="button"
            className="rounded-full border px-2 py-0.5 text-xs hover:bg-raised"
            onClick={() =>
              store.edit(
                [{ op: 'replace', path: `/steps/${index}/${member}`, value: now ? null : wanted }],
                now ? `${done} nothing` : `${does} ${nameOf(draft, frame, wanted as Subject)}`,
              )
            }
          >
            {now ? 'stop' : `${does} ${nameOf(draft, frame, wanted as Subject)}`}
          </button>
        )}
      </span>
    );
  };
  return (
    <div className="col-span-full flex flex-wrap gap-x-6 gap-y-1">
      {row('follow', 'follow', 'follows')}
      {row('focus_on', 'focus on', 'sharp on')}
      {!wanted && !step.follow && !step.focus_on && (
        <span className="text-dim text-xs">pick a letter in the picture, then choose this step again</span>
      )}
    </div>
  );
}

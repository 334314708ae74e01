import { useShot, useShotStore } from '../context';
import { spanAt } from '../draft';
import type { Operation } from '../values';
import { letteringFields } from './fields';
import { overriding, ownValue, PLAIN, type Run, runsOf } from './overrides';
import { Control, ValueField } from './value';

/** What the picked letters have of their own. */
export function Letters({ index }: { index: number }) {
  const store = useShotStore();
  const document = useShot((s) => s.document);
  const draft = useShot((s) => s.draft);
  const frame = useShot((s) => s.frame);
  const picked = useShot((s) => s.picked);
  const span = draft && spanAt(draft, frame);
  if (!document || !span) return null;
  const runs = runsOf(document, draft, frame, picked).filter((run) => run.step === index);
  if (!runs.length) {
    return (
      <p className="max-w-prose text-dim">
        Select letters in the text, or click them in the picture; drag a frame around several, Shift adds to
        them.
      </p>
    );
  }
  const words = runs.map((run) => run.letters.map((k) => span.letters[k]?.text).join('')).join(', ');
  const own = runs.filter((run) => run.override >= 0);
  const single = runs.length === 1 && own.length === 1 ? (own[0] as Run) : null;
  const clear = () =>
    store.edit(
      own
        .sort((a, b) => b.override - a.override)
        .map((run): Operation => ({ op: 'remove', path: `/steps/${index}/overrides/${run.override}` })),
      `${words}: as the rest`,
    );
  return (
    <div>
      <p className="mb-1.5 flex gap-3 text-sm">
        <b>{words}</b>
        <span className="text-dim">
          {own.length ? 'differs from its block' : 'set like the rest of its block'}
        </span>
        <button
          type="button"
          className="text-dim underline hover:text-ink"
          onClick={() => void store.dress(picked)}
        >
          a material of their own
        </button>
        {own.length > 0 && (
          <button type="button" className="text-dim underline hover:text-ink" onClick={clear}>
            as the rest again
          </button>
        )}
      </p>
      <div className="grid grid-cols-4 gap-x-4 gap-y-2">
        {letteringFields().map((field) => {
          const name = field.path.slice(1);
          if (single)
            return (
              <ValueField
                key={field.path}
                field={field}
                base={`/steps/${index}/overrides/${single.override}`}
              />
            );
          const values = runs.map((run) => ownValue(document, run, name, PLAIN[name]));
          const mixed = values.some((v) => JSON.stringify(v) !== JSON.stringify(values[0]));
          const patch = (value: unknown) => overriding(document, runs, name, () => value);
          return (
            <div key={field.path} className={field.wide || field.kind === 'vector' ? 'col-span-2' : ''}>
              <div className="mb-0.5 flex h-4.5 gap-1.5 text-dim text-xs">
                <span id={`letters-${name}`}>{field.label}</span>
                <span>{mixed ? 'mixed' : field.unit}</span>
              </div>
              <Control
                field={field}
                path={`/steps/${index}/overrides`}
                label={`letters-${name}`}
                shown={values[0]}
                keyed={false}
                commit={(value) => store.edit(patch(value), `${field.label} of ${words}`)}
                preview={(value) => store.preview(patch(value))}
              />
            </div>
          );
        })}
      </div>
    </div>
  );
}

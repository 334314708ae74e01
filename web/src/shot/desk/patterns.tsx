import { X } from 'lucide-react';
import { Hint } from '../../ui/controls';
import { useShot, useShotStore } from '../context';
import type { Step } from '../open/state';
import { letteringFields } from './fields';
import { RuleFields } from './some';
import { ValueField } from './value';

type Block = Extract<Step, { kind: 'block' }>;
type Pattern = NonNullable<Block['patterns']>[number];

const READY: { name: string; value: Partial<Pattern> }[] = [
  {
    name: 'First and last letter larger',
    value: { unit: 'letter', pick: 'first_and_last', within: 'block', size: 1.4 },
  },
  {
    name: 'First letter of each word larger',
    value: { unit: 'letter', pick: 'first', within: 'word', size: 1.3 },
  },
  {
    name: 'Every second line smaller',
    value: { unit: 'line', pick: 'every', within: 'block', every: 2, start: 2, size: 0.6 },
  },
  {
    name: 'Every second letter raised',
    value: { unit: 'letter', pick: 'every', within: 'word', every: 2, start: 2, shift: [0, 0.12, 0] },
  },
  { name: 'A pattern of your own', value: {} },
];

/** Lettering by rule: each pattern says which letters, and what is different about them. */
export function Patterns({ index }: { index: number }) {
  const store = useShotStore();
  const block = useShot((s) => s.document?.steps?.[index]) as Block;
  const patterns = block.patterns ?? [];
  const base = `/steps/${index}/patterns`;
  const put = (k: number, name: string, value: unknown) =>
    store.edit([{ op: 'replace', path: `${base}/${k}/${name}`, value }], 'pattern');
  return (
    <div className="flex flex-col gap-2">
      {patterns.map((pattern, k) => (
        <fieldset key={k} className="rounded-lg border p-2" data-testid="pattern">
          <legend className="flex items-center gap-2 px-1 text-sm">
            {pattern.name || `pattern ${k + 1}`}
            <Hint text="Remove this pattern">
              <button
                type="button"
                aria-label={`Remove ${pattern.name || `pattern ${k + 1}`}`}
                className="text-dim hover:text-ink"
                onClick={() => store.edit([{ op: 'remove', path: `${base}/${k}` }], 'remove a pattern')}
              >
                <X size={13} />
              </button>
            </Hint>
          </legend>
          <div className="grid grid-cols-4 gap-x-4 gap-y-2">
            <RuleFields rule={pattern} onPut={(name, value) => put(k, name, value)} />
            {letteringFields().map((field) => (
              <ValueField key={field.path} field={field} base={`${base}/${k}`} />
            ))}
          </div>
        </fieldset>
      ))}
      <div className="flex flex-wrap items-center gap-1.5 text-sm">
        <span className="text-dim">add:</span>
        {READY.map((ready) => (
          <button
            key={ready.name}
            type="button"
            className="rounded-md border bg-raised px-2 py-0.5 hover:bg-moss-deep"
            onClick={() =>
              store.edit(
                [{ op: 'add', path: `${base}/-`, value: { ...ready.value, name: ready.name } }],
                'add a pattern',
                true,
              )
            }
          >
            {ready.name}
          </button>
        ))}
      </div>
    </div>
  );
}

import type { Schemas } from '../../api/client';
import { FACTS } from '../../api/facts';
import { inputLook } from '../../ui/controls';
import { useShot, useShotStore } from '../context';
import { spanAt } from '../draft';
import type { Step } from '../open/state';
import { stepTitle } from '../recipe/steps';
import { PART, runsOf } from './overrides';

type Rule = Schemas['Rule'];
type MaterialStep = Extract<Step, { kind: 'material' }>;

const CHOICES = [
  ['pick', 'Which', ['first', 'last', 'first_and_last', 'every']],
  ['unit', 'Of what', ['letter', 'word', 'line']],
  ['within', 'Within each', ['block', 'line', 'word']],
] as const;

/** Which letters a rule takes. */
export function RuleFields({
  rule,
  onPut,
}: {
  rule: Partial<Rule>;
  onPut: (name: keyof Rule, value: string | number) => void;
}) {
  return (
    <>
      {CHOICES.map(([name, label, options]) => (
        <label key={name} className="block text-dim text-xs">
          {label}
          <select
            aria-label={label}
            className={inputLook}
            value={rule[name]}
            onChange={(e) => onPut(name, e.target.value)}
          >
            {options.map((o) => (
              <option key={o} value={o}>
                {o.replaceAll('_', ' ')}
              </option>
            ))}
          </select>
        </label>
      ))}
      {rule.pick === 'every' && (
        <span className="grid grid-cols-2 gap-1">
          {(['every', 'start'] as const).map((name) => (
            <label key={name} className="block text-dim text-xs">
              {name === 'every' ? 'Every' : 'From'}
              <input
                type="number"
                min={1}
                max={400}
                className={inputLook}
                value={rule[name]}
                onChange={(e) => onPut(name, Math.round(Number(e.target.value)))}
              />
            </label>
          ))}
        </span>
      )}
    </>
  );
}

/** Which blocks something is for, where there are several: all of them, until one is taken out. `among` are the steps
 *  to choose from, blocks and what stands for some; all blocks without it. */
export function OnlyBlocks({
  only,
  says,
  among,
  onPut,
}: {
  only: string[];
  says: string;
  among?: Step[];
  onPut: (only: string[]) => void;
}) {
  const steps = useShot((s) => s.document?.steps) ?? [];
  const blocks = among ?? steps.filter((s) => FACTS[s.kind].letters);
  if (blocks.length < 2) return null;
  const put = (id: string, on: boolean) => {
    const kept = only.length ? only : blocks.map((b) => b.id);
    const next = on ? [...kept, id] : kept.filter((b) => b !== id);
    // For no block at all is what switching off is for; for all of them none is named.
    if (next.length) onPut(blocks.every((b) => next.includes(b.id)) ? [] : next);
  };
  return (
    <fieldset className="flex w-full flex-wrap items-center gap-3">
      <legend className="sr-only">{says}</legend>
      <span className="text-dim">{says.toLowerCase()}:</span>
      {blocks.map((block) => (
        <label key={block.id} className="inline-flex items-center gap-1.5">
          <input
            type="checkbox"
            checked={!only.length || only.includes(block.id)}
            onChange={(e) => put(block.id, e.target.checked)}
          />
          {stepTitle(block)}
        </label>
      ))}
    </fieldset>
  );
}

/** The blocks and groups above a group that it holds. */
export function GroupMembers({ step, index }: { step: Extract<Step, { kind: 'group' }>; index: number }) {
  const store = useShotStore();
  const steps = useShot((s) => s.document?.steps) ?? [];
  const above = steps.slice(0, index).filter((s) => FACTS[s.kind].held);
  const known = (step.members ?? []).filter((id) => above.some((s) => s.id === id));
  return (
    <div className="col-span-full">
      <OnlyBlocks
        only={known}
        says="Holds"
        among={above}
        onPut={(members) =>
          store.edit([{ op: 'add', path: `/steps/${index}/members`, value: members }], 'what a group holds')
        }
      />
    </div>
  );
}

/** The letters that a material is for. */
export function SomeLetters({ step, index }: { step: MaterialStep; index: number }) {
  const store = useShotStore();
  const document = useShot((s) => s.document);
  const draft = useShot((s) => s.draft);
  const frame = useShot((s) => s.frame);
  const picked = useShot((s) => s.picked);
  const some = step.some;
  const span = draft && spanAt(draft, frame);
  if (!some || !document) return null;
  const put = (name: string, value: unknown) =>
    store.edit([{ op: 'replace', path: `/steps/${index}/some/${name}`, value }], 'who wears it');
  const hand = some.hand ?? [];
  const words = hand.map((h) => h.of.slice(h.first, h.last + 1)).join(', ');
  const take = () =>
    put(
      'hand',
      runsOf(document, draft, frame, picked).map(({ step, of, first, last }) => ({
        block: document.steps?.[step]?.id,
        of,
        first,
        last,
      })),
    );
  return (
    <div className="col-span-full flex flex-col gap-2 text-sm">
      <div className="grid grid-cols-4 gap-x-4">
        <label className="block text-dim text-xs">
          Letters
          <select
            aria-label="Letters"
            className={inputLook}
            value={some.by}
            onChange={(e) => put('by', e.target.value)}
          >
            <option value="all">all</option>
            <option value="rule">by a rule</option>
            <option value="hand">picked by hand</option>
          </select>
        </label>
        {some.by === 'rule' && (
          <RuleFields rule={some.rule ?? {}} onPut={(name, value) => put(`rule/${name}`, value)} />
        )}
      </div>
      {some.by === 'hand' && (
        <p className="flex flex-wrap items-center gap-2">
          {words ? (
            <b>{words.replaceAll(PART, 'part ')}</b>
          ) : (
            <span className="text-dim">no letters yet</span>
          )}
          <button
            type="button"
            className="h-7 rounded-md border bg-raised px-2 hover:bg-moss-deep disabled:opacity-40"
            disabled={!picked.length}
            onClick={take}
          >
            {picked.length
              ? `take ${picked.map((k) => span?.letters[k]?.text).join('')} instead`
              : 'pick letters in the picture to change them'}
          </button>
        </p>
      )}
      <OnlyBlocks only={some.blocks ?? []} says="Of" onPut={(only) => put('blocks', only)} />
      <p className="text-dim text-xs">
        Each letter wears the last material in the recipe that is for it. What no other is for wears the one
        for all.
      </p>
    </div>
  );
}

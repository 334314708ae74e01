import { Hint } from '../../ui/controls';
import { useShotStore } from '../context';
import type { Step } from '../open/state';
import { stepTitle } from '../recipe/steps';
import type { ShotStore } from '../store';

type Version = NonNullable<Step['version']>;
const other = (version: Version | undefined): Version => (version === 'B' ? 'A' : 'B');

/** A step as it is put aside. */
function plain({ aside: _aside, version: _version, id: _id, ...rest }: Step): Record<string, unknown> {
  return rest;
}

/** The step with its other version in its place, and itself aside; without another, a second version that is like it. */
export function swapped(step: Step): Step {
  const taken = step.aside ?? plain(step);
  return { ...taken, id: step.id, version: other(step.version), aside: plain(step) } as Step;
}

/** Show the other version of the chosen step, where it has one. */
export function swapVersions(store: ShotStore) {
  const { document, step } = store.getState();
  const index = document?.steps?.findIndex((s) => s.id === step) ?? -1;
  const chosen = document?.steps?.[index];
  if (!chosen?.aside) return;
  const value = swapped(chosen);
  store.edit(
    [{ op: 'replace', path: `/steps/${index}`, value }],
    `version ${value.version} of ${stepTitle(chosen)}`,
  );
}

/** Two versions of a step to compare, one of them at work. */
export function Versions({ step, index }: { step: Step; index: number }) {
  const store = useShotStore();
  const title = stepTitle(step);
  if (!step.aside)
    return (
      <button
        type="button"
        className="font-normal text-dim text-xs underline hover:text-ink"
        onClick={() =>
          store.edit(
            [{ op: 'replace', path: `/steps/${index}`, value: swapped(step) }],
            `second version of ${title}`,
          )
        }
      >
        try a version B
      </button>
    );
  const drop = () =>
    store.edit(
      [
        { op: 'replace', path: `/steps/${index}/aside`, value: null },
        { op: 'replace', path: `/steps/${index}/version`, value: 'A' },
      ],
      `keep version ${step.version} of ${title}`,
    );
  return (
    <>
      <span role="group" aria-label="Version of this step" className="flex overflow-hidden rounded-md border">
        {(['A', 'B'] as const).map((version) => (
          <Hint key={version} text={`Version ${version} of this step`} keys="V">
            <button
              type="button"
              aria-label={`Version ${version}`}
              aria-pressed={step.version === version}
              onClick={() => step.version !== version && swapVersions(store)}
              className={`px-2 text-sm ${step.version === version ? 'bg-raised text-ink shadow-[inset_0_-2px_0_var(--moss)]' : 'text-dim hover:text-ink'}`}
            >
              {version}
            </button>
          </Hint>
        ))}
      </span>
      <button type="button" className="font-normal text-dim text-xs underline hover:text-ink" onClick={drop}>
        keep {step.version} only
      </button>
    </>
  );
}

import { Button } from '../../ui/controls';
import { useShot, useShotStore } from '../context';
import type { Draft } from '../draft';
import { nameOf } from './layout';

const PARTS = ['x', 'y', 'z'];

/** What of the open curves is shown: one curve or several, all parts of a value or one, fitted to which frames. */
export function CurveBar({ draft, lanes }: { draft: Draft; lanes: string[] }) {
  const store = useShotStore();
  const isolated = useShot((s) => s.isolated);
  const fitted = useShot((s) => s.fitted);
  return (
    <fieldset className="flex flex-wrap items-center gap-x-2 gap-y-0.5 px-3 pb-1 text-dim text-xs">
      <legend className="sr-only">Curves</legend>
      {lanes.map((path) => {
        const name = nameOf(path);
        const first = draft.keyed[path]?.[0];
        const count = Array.isArray(first) ? first.length : 1;
        if (count === 1 && lanes.length === 1) return null; // its lane says its name, and there is nothing to choose
        return (
          <span key={path} className="flex items-center gap-1">
            {name}
            {count > 1 && (
              <select
                aria-label={`Curve of ${name}: parts shown`}
                className="rounded border bg-panel text-ink"
                value={isolated[path] ?? ''}
                onChange={(e) => store.isolate(path, e.target.value === '' ? null : Number(e.target.value))}
              >
                <option value="">all</option>
                {Array.from({ length: count }, (_, k) => (
                  <option key={PARTS[k] ?? k} value={k}>
                    {PARTS[k] ?? k + 1} alone
                  </option>
                ))}
              </select>
            )}
            {lanes.length > 1 && (
              <Button
                look="quiet"
                className="h-5! px-1! text-xs!"
                aria-label={`Curve of ${name} alone`}
                onClick={() => store.onlyLane(path)}
              >
                only
              </Button>
            )}
          </span>
        );
      })}
      <span className="flex-1" />
      <Button
        look="quiet"
        className="h-5! px-1.5! text-xs!"
        aria-pressed={fitted}
        onClick={() => store.toggle('fitted')}
      >
        {fitted ? 'fit to all frames' : 'fit to shown frames'}
      </Button>
      <Button look="quiet" className="h-5! px-1.5! text-xs!" onClick={() => store.closeLanes()}>
        close curves
      </Button>
    </fieldset>
  );
}

import { useQuery } from '@tanstack/react-query';
import { useEffect, useState } from 'react';
import { api, ok, type Schemas } from '../../api/client';
import { METER } from '../../api/facts';
import { Button } from '../../ui/controls';
import { useShot, useShotStore } from '../context';
import type { Overlay } from './overlay';

type Reading = Schemas['ReadingOut'];
type What = Schemas['MendOrder']['what'];

const STILL_MS = 400;

const WAYS: [What, string][] = [
  ['lift', 'Bring dark letters up to the others'],
  ['separate', 'Set outlines apart from what is behind them'],
  ['calm', 'Bring white places back into range'],
];

/** A letter in words, as one would say it of a picture. */
function inWords(one: Reading): string {
  const apart = `${one.contrast.toFixed(1)} to 1 ${one.darker ? 'darker than' : 'against'} ${one.behind || 'what is behind'}`;
  const reads =
    one.legible < METER.legible ? `, ${Math.round(one.legible * 100)} % of its outline reads` : '';
  const white = one.clipped > METER.white ? `, ${(one.clipped * 100).toFixed(1)} % white` : '';
  return `${one.text}: ${apart}${reads}${white}, lit by ${one.lit_by}`;
}

const wrong = (one: Reading) => one.legible < METER.legible || one.clipped > METER.white;

/** How the title stands in the frame at the playhead, once that holds still. */
function useReadings() {
  const shot = useShot((s) => s.id);
  const revision = useShot((s) => s.revision);
  const frame = useShot((s) => s.frame);
  const playing = useShot((s) => s.playing);
  const wanted = JSON.stringify([revision, frame]);
  const [still, setStill] = useState(wanted);
  useEffect(() => {
    const timer = setTimeout(() => setStill(wanted), STILL_MS);
    return () => clearTimeout(timer);
  }, [wanted]);
  return useQuery({
    queryKey: ['meter', shot, revision, frame],
    queryFn: () => ok(api.GET('/api/shots/{shot}/meter', { params: { path: { shot }, query: { frame } } })),
    enabled: !playing && still === wanted,
    placeholderData: (old) => old,
    retry: false,
  });
}

/** The light meter: numbers on the letters, words beside them, and ways to mend what is wrong. */
export function Meter(overlay: Overlay) {
  const on = useShot((s) => s.meter);
  return on ? <Metered {...overlay} /> : null;
}

function Metered({ picking, size }: Overlay) {
  const store = useShotStore();
  const view = useShot((s) => s.view);
  const playing = useShot((s) => s.playing);
  const picked = useShot((s) => s.picked);
  const { data, error, isFetching } = useReadings();
  const [tried, setTried] = useState<{ what: What; found: Schemas['MendingOut'] } | null>(null);
  const [working, setWorking] = useState<What | null>(null);
  const [refused, setRefused] = useState('');
  const revision = useShot((s) => s.revision);
  // biome-ignore lint/correctness/useExhaustiveDependencies: what was worked out or refused was of another state
  useEffect(() => {
    setTried(null);
    setRefused('');
  }, [revision]);

  async function work(what: What) {
    setWorking(what);
    setRefused('');
    const { id, revision: at, frame } = store.getState();
    try {
      const body = { revision: at, frame, what };
      const found = await ok(api.POST('/api/shots/{shot}/mend', { params: { path: { shot: id } }, body }));
      setTried({ what, found });
      store.preview(found.patch as never);
    } catch (failed) {
      setRefused(failed instanceof Error ? failed.message : String(failed));
    }
    setWorking(null);
  }

  if (playing) return null;
  const shown = tried?.found.after ?? data ?? [];
  const levels = shown.map((one) => one.level);
  const uneven = levels.length ? Math.max(...levels) / Math.max(Math.min(...levels), 1e-4) : 1;
  const said = picked.length ? shown.filter((one) => picked.includes(one.letter)) : shown.filter(wrong);
  return (
    <>
      {view === 'shot' && (
        <svg
          className="pointer-events-none absolute inset-0 h-full w-full"
          aria-hidden="true"
          data-testid="meter"
          data-letters={shown.length}
        >
          {shown.map((one) => {
            const outline = picking.outline(one.letter);
            if (!outline) return null;
            const x = (outline.reduce((sum, [at]) => sum + at, 0) / outline.length) * size.width;
            const y = Math.max(...outline.map(([, at]) => at)) * size.height + 14;
            return (
              <text
                key={one.letter}
                x={x}
                y={Math.min(y, size.height - 4)}
                textAnchor="middle"
                fontSize="11"
                fill={wrong(one) ? '#ffb27a' : '#e8ece9'}
                stroke="#000"
                strokeWidth="3"
                paintOrder="stroke"
              >
                {one.contrast.toFixed(1)}
              </text>
            );
          })}
        </svg>
      )}
      <section
        aria-label="Light meter"
        aria-busy={isFetching || working !== null}
        className="absolute top-2 left-2 max-w-[min(30rem,90%)] rounded-lg border bg-panel/95 p-2 text-sm shadow-xl"
      >
        <p>
          {error ? error.message : null}
          {!error && !data && 'reading the light …'}
          {data && !shown.length && 'no letter is seen at this frame'}
          {shown.length > 0 &&
            `The lightest face is ${uneven.toFixed(1)} times as light as the darkest${uneven > METER.even ? ', which is uneven' : ''}.`}
        </p>
        {said.length > 0 && (
          <ul className="mt-1 max-h-28 overflow-y-auto text-dim">
            {said.map((one) => (
              <li key={one.letter}>{inWords(one)}</li>
            ))}
          </ul>
        )}
        {shown.length > 0 && !said.length && (
          <p className="text-dim">
            Every outline reads and nothing is white. Pick letters to read them one by one.
          </p>
        )}
        {refused && (
          <p role="alert" className="mt-1 text-warn">
            {refused}
          </p>
        )}
        {tried ? (
          <div className="mt-1.5 flex flex-wrap items-center gap-1.5">
            <span>
              {tried.found.about}: {told(tried.what, tried.found.before)}, now{' '}
              {told(tried.what, tried.found.after)}
            </span>
            <Button
              onClick={() => {
                const { what, found } = tried;
                setTried(null);
                store.edit(found.patch as never, `${what} by light`);
              }}
            >
              keep it
            </Button>
            <Button
              look="quiet"
              onClick={() => {
                setTried(null);
                store.settle();
              }}
            >
              leave it
            </Button>
          </div>
        ) : (
          <div className="mt-1.5 flex flex-wrap items-center gap-1.5">
            {WAYS.map(([what, about]) => (
              <Button
                key={what}
                title={about}
                disabled={working !== null || !shown.length}
                onClick={() => void work(what)}
              >
                {working === what ? `${what}: trying lights …` : what}
              </Button>
            ))}
          </div>
        )}
      </section>
    </>
  );
}

/** What a change is measured by, of all letters. */
function told(what: What, found: Reading[]): string {
  const mean = (of: (one: Reading) => number) =>
    (100 * found.reduce((sum, one) => sum + of(one), 0)) / found.length;
  if (what === 'lift')
    return `the darkest face at ${(100 * Math.min(...found.map((one) => one.level))).toFixed(0)} %`;
  if (what === 'separate') return `${Math.round(mean((one) => one.legible))} % of the outlines read`;
  return `${mean((one) => one.clipped).toFixed(1)} % white`;
}

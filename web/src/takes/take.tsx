import { useQuery, useQueryClient } from '@tanstack/react-query';
import { Download } from 'lucide-react';
import { useEffect, useState } from 'react';
import { Link } from 'wouter';
import { ApiError, api, ok, type Schemas } from '../api/client';
import { renew } from '../api/renew';
import { Button, Mark } from '../ui/controls';
import { toast } from '../ui/toasts';

type Take = Schemas['TakeOut'];
const WORKING = ['queued', 'running', 'stopping'];

/** One delivery: its frames as they come, honest time left, files. */
export function TakePage({ id }: { id: string }) {
  const queries = useQueryClient();
  const { data: take, error } = useQuery({
    queryKey: ['take', id],
    queryFn: () => ok(api.GET('/api/takes/{take}', { params: { path: { take: id } } })),
    refetchInterval: (q) => (!q.state.data || WORKING.includes(q.state.data.state) ? 800 : false),
  });
  const [chosen, setChosen] = useState<number | null>(null);
  useEffect(() => {
    if (take) document.title = `Take ${take.number} of ${take.title}, Moss Crown`;
  }, [take]);

  async function ask(what: 'stop' | 'carry-on') {
    try {
      const path = what === 'stop' ? '/api/takes/{take}/stop' : '/api/takes/{take}/carry-on';
      queries.setQueryData(['take', id], await ok(api.POST(path, { params: { path: { take: id } } })));
    } catch (wrong) {
      toast(wrong instanceof ApiError ? wrong.problem.detail : String(wrong), 'wrong');
    }
    await renew(queries, ['take', id]);
  }

  if (!take) {
    return (
      <main className="grid h-full place-items-center">
        {error ? (
          <p role="alert">
            {(error as Error).message}.{' '}
            <Link className="text-moss underline" href="/">
              To the slate
            </Link>
          </p>
        ) : (
          <p className="text-dim">opening the take …</p>
        )}
      </main>
    );
  }
  const finished = new Map(take.frames.map((f) => [f.frame, f.seconds]));
  const shown = chosen ?? take.frames.at(-1)?.frame ?? null;
  return (
    <div className="flex h-full min-w-[980px] flex-col">
      <header className="flex h-11 shrink-0 items-center gap-2.5 border-b px-3.5">
        <Link href="/" aria-label="Moss Crown, to the slate">
          <Mark />
        </Link>
        <nav aria-label="Where you are" className="flex items-center gap-1.5 text-dim">
          <Link href="/" className="hover:text-ink">
            Slate
          </Link>
          /
          <Link href={`/shots/${take.shot_id}`} className="hover:text-ink">
            {take.title}
          </Link>
          /<b className="text-ink">Take {take.number}</b>
        </nav>
        <span className="flex-1" />
        <Link
          href={`/shots/${take.shot_id}`}
          className="rounded-md border bg-raised px-2.5 py-1 text-sm hover:bg-moss-deep"
        >
          Back to the shot
        </Link>
      </header>
      <div className="grid min-h-0 flex-1 grid-cols-[1fr_340px]">
        <main className="overflow-y-auto px-5.5 py-4.5">
          <Progress take={take} ask={ask} />
          <ul className="grid grid-cols-[repeat(auto-fill,minmax(108px,1fr))] gap-1.5">
            {Array.from({ length: take.total }, (_, k) => take.orders.first + k).map((frame) => (
              <Cell
                key={frame}
                take={take}
                frame={frame}
                done={finished.has(frame)}
                chosen={frame === shown}
                choose={setChosen}
              />
            ))}
          </ul>
        </main>
        <aside
          aria-label="The chosen frame and the files"
          className="overflow-y-auto border-l bg-panel p-4.5"
        >
          <Side take={take} shown={shown} seconds={shown === null ? undefined : finished.get(shown)} />
        </aside>
      </div>
    </div>
  );
}

function span(seconds: number): string {
  const s = Math.round(seconds);
  return s < 60 ? `${s} s` : `${Math.floor(s / 60)} min ${s % 60} s`;
}

const SAID: Record<Take['state'], string> = {
  queued: 'waits for its turn',
  running: 'rendering',
  stopping: 'stops: the frames in hand are let go of',
  stopped: 'stopped',
  done: 'delivered',
  failed: 'failed',
};

function Progress({ take, ask }: { take: Take; ask: (what: 'stop' | 'carry-on') => void }) {
  const share = take.done / Math.max(1, take.total);
  return (
    <>
      <div className="flex items-end gap-3.5">
        <h1 className="font-semibold text-2xl tracking-tight">Take {take.number}</h1>
        <span className="pb-0.5 text-dim">
          frames {take.orders.first} to {take.orders.last}
        </span>
        <span className="flex-1" />
        {(take.state === 'running' || take.state === 'queued') && (
          <Button onClick={() => ask('stop')}>Stop</Button>
        )}
        {(take.state === 'stopped' || take.state === 'failed') && (
          <Button look="main" onClick={() => ask('carry-on')}>
            Carry on
          </Button>
        )}
      </div>
      <div
        role="progressbar"
        aria-label="Frames finished"
        aria-valuemin={0}
        aria-valuemax={take.total}
        aria-valuenow={take.done}
        className="my-3 h-2 overflow-hidden rounded-full bg-raised"
      >
        <div className="h-full bg-moss" style={{ width: `${100 * share}%` }} />
      </div>
      <p
        className="mb-4 flex flex-wrap gap-x-5 tabular-nums"
        role="status"
        data-testid="take-state"
        data-state={take.state}
      >
        <span>
          <b>{take.done}</b> of {take.total} frames, {SAID[take.state]}
        </span>
        {take.a_frame !== null && take.a_frame !== undefined && (
          <span>
            <b>{take.a_frame.toFixed(1)} s</b> <span className="text-dim">a frame</span>
          </span>
        )}
        {take.state === 'running' && take.left !== null && take.left !== undefined && (
          <span>
            <b>{span(take.left)}</b>{' '}
            <span className="text-dim">left, give or take {span(take.give ?? 0)}</span>
          </span>
        )}
        {take.state === 'running' && (
          <span className="text-dim">first, middle and last frame come first</span>
        )}
        {take.message && <span className="text-warn">{take.message}</span>}
      </p>
    </>
  );
}

function Cell({
  take,
  frame,
  done,
  chosen,
  choose,
}: {
  take: Take;
  frame: number;
  done: boolean;
  chosen: boolean;
  choose: (f: number) => void;
}) {
  const ratio = { aspectRatio: `${take.orders.width * take.pixel_shape} / ${take.orders.height}` };
  const number = (
    <span className="absolute bottom-0.5 left-1 rounded bg-black/70 px-1 text-[10px] text-white">
      {frame}
    </span>
  );
  return (
    <li className={`relative overflow-hidden rounded ${chosen ? 'outline-2 outline-ink' : ''}`} style={ratio}>
      {done ? (
        <button
          type="button"
          className="block h-full w-full bg-surround outline-offset-[-3px]"
          aria-label={`Frame ${frame}`}
          aria-pressed={chosen}
          onClick={() => choose(frame)}
        >
          <img
            loading="lazy"
            src={`/api/takes/${take.id}/frames/${frame}`}
            alt=""
            className="h-full w-full"
          />
          {number}
        </button>
      ) : (
        <div className="h-full w-full border bg-panel">{number}</div>
      )}
    </li>
  );
}

function Side({ take, shown, seconds }: { take: Take; shown: number | null; seconds: number | undefined }) {
  const movie = take.files.mp4;
  const megabytes = (n: number) => `${(n / 1e6).toFixed(1)} MB`;
  return (
    <>
      {movie !== undefined && (
        // biome-ignore lint/a11y/useMediaCaption: a title shot has no speech
        <video
          data-testid="movie"
          controls
          loop
          src={`/api/takes/${take.id}/movie`}
          className="mb-4 w-full rounded-md bg-black"
        />
      )}
      {shown !== null && seconds !== undefined && (
        <figure className="mb-4">
          <img
            src={`/api/takes/${take.id}/frames/${shown}`}
            alt={`Frame ${shown}`}
            className="w-full rounded-md bg-surround"
          />
          <figcaption className="mt-1.5 flex justify-between text-dim text-sm">
            <span>
              frame {shown}, {seconds.toFixed(1)} s
            </span>
            <a
              className="underline hover:text-ink"
              href={`/api/takes/${take.id}/frames/${shown}`}
              target="_blank"
              rel="noreferrer"
            >
              open at full size
            </a>
          </figcaption>
        </figure>
      )}
      <dl className="mb-4 grid grid-cols-[auto_1fr] gap-x-3.5 gap-y-1.5 [&>dd]:text-right [&>dt]:text-dim">
        <dt>Size</dt>
        <dd>
          {take.orders.width} × {take.orders.height}
        </dd>
        <dt>Frame rate</dt>
        <dd>{Number(((take.fps.numerator ?? 25) / (take.fps.denominator ?? 1)).toFixed(3))} fps</dd>
        <dt>Samples</dt>
        <dd>
          {take.orders.noise
            ? `at most ${take.orders.samples}, until below ${Math.round(take.orders.noise * 100)} % noise`
            : take.orders.samples}
        </dd>
        <dt>Motion blur</dt>
        <dd>{take.orders.motion_blur ? 'yes' : 'no'}</dd>
        <dt>Shot as of</dt>
        <dd>revision {take.revision}</dd>
      </dl>
      {!take.orders.alpha && (
        <FileRow
          name="Movie, H.264"
          ready={movie === undefined ? null : megabytes(movie)}
          href={`/api/takes/${take.id}/movie`}
          file={`take-${take.number}.mp4`}
        />
      )}
      <FileRow
        name={take.orders.alpha ? 'Frames, PNG with alpha' : 'Frames, PNG'}
        ready={take.done ? `${take.done} ready` : null}
        href={`/api/takes/${take.id}/frames.zip`}
        file={`take-${take.number}.zip`}
      />
      {take.orders.layers && (
        <FileRow
          name="Layers, OpenEXR"
          ready={take.done ? `${take.done} ready` : null}
          href={`/api/takes/${take.id}/layers.zip`}
          file={`take-${take.number}-layers.zip`}
        />
      )}
    </>
  );
}

function FileRow({
  name,
  ready,
  href,
  file,
}: {
  name: string;
  ready: string | null;
  href: string;
  file: string;
}) {
  const look = 'mb-2 flex items-center justify-between rounded-lg border px-3 py-2';
  if (!ready)
    return (
      <div className={look}>
        <span>{name}</span>
        <span className="text-dim">when done</span>
      </div>
    );
  return (
    <a className={`${look} hover:border-moss`} href={href} download={file}>
      <span>{name}</span>
      <span className="flex items-center gap-2 text-dim">
        {ready}
        <Download size={13} />
      </span>
    </a>
  );
}

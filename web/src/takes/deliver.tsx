import { useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import { Link, useLocation } from 'wouter';
import { ApiError, api, ok, type Schemas } from '../api/client';
import type { Shot } from '../shot/open/state';
import { roughly } from '../ui/amounts';
import { Button, Dialog, Field, inputLook } from '../ui/controls';

/** Seconds beyond which an order is worth a second thought. */
const LONG = 86_400;

const QUALITIES: [string, number][] = [
  ['sketch', 4],
  ['good', 16],
  ['final', 48],
  ['finest', 128],
];
const SHARES: [string, number][] = [
  ['full size', 1],
  ['half size', 0.5],
  ['a quarter', 0.25],
  ['one and a half', 1.5],
  ['double', 2],
];

/** Noise before denoising, as a share of the light, below which a part of a frame gets no more samples. */
const NOISES: [string, number][] = [
  ['no', 0],
  ['below 20 % noise', 0.2],
  ['below 14 % noise', 0.14],
  ['below 10 % noise', 0.1],
  ['below 6 % noise', 0.06],
];

/** How the last take of each production was ordered, but for its frames and its size, which are the shot's. */
const KEPT = 'moss-crown.orders-';

interface Props {
  shot: string;
  production: string;
  document: Shot;
  onClose: () => void;
}

/** Order a take: which frames, how large, how fine. It begins with the orders of the shot's last take, else with those
 *  of the production's. */
export function Deliver(props: Props) {
  const { shot } = props;
  const before = useQuery({
    queryKey: ['takes', shot],
    queryFn: () => ok(api.GET('/api/shots/{shot}/takes', { params: { path: { shot } } })),
    gcTime: 0, // as they are now: the last one says how the next is ordered
  });
  if (before.isPending) return null;
  return <Orders {...props} before={before.data ?? []} />;
}

function kept(production: string): Partial<Orders> {
  try {
    return JSON.parse(localStorage.getItem(KEPT + production) ?? '{}');
  } catch {
    return {};
  }
}

interface Size {
  width: number;
  height: number;
}

/** Whether two sizes have the same proportions, but for what rounding to pixels makes of them. */
const alike = (a: Size, b: Size) => Math.abs((a.width * b.height) / (a.height * b.width) - 1) < 0.01;

type Orders = Schemas['TakeOrders'];
type Sized = Pick<Shot, 'width' | 'height' | 'first' | 'last'>;

/** The orders to begin with: those of the shot's last take, else the production's, else what is usual. */
export function ordersFor(document: Sized, before: Schemas['TakeOut'][], production: string) {
  const { width = 1280, height = 720, first = 0, last = 0 } = document;
  const usual = { samples: 16, noise: 0, motion_blur: true, alpha: false, layers: false };
  const whole = { first, last, width, height };
  const old = before[0]?.orders;
  if (!old) return { ...usual, ...kept(production), ...whole };
  // Of a shot that has another length or shape since, all of it as it is.
  const size = alike(old, { width, height }) ? { width: old.width, height: old.height } : { width, height };
  const frames = old.first >= first && old.last <= last;
  return { ...usual, ...old, ...size, ...(frames ? {} : { first, last }) };
}

function Orders({ shot, production, document, onClose, before }: Props & { before: Schemas['TakeOut'][] }) {
  const [, go] = useLocation();
  const width = document.width ?? 1280;
  const height = document.height ?? 720;
  const [orders, setOrders] = useState(() => ordersFor(document, before, production));
  const squeezed = !alike(orders, { width, height });
  const [linked, setLinked] = useState(!squeezed);
  const [wrong, setWrong] = useState('');
  const [busy, setBusy] = useState(false);
  const estimate = useQuery({
    queryKey: ['estimate', shot, orders],
    placeholderData: (last) => last,
    retry: false,
    queryFn: () =>
      ok(api.POST('/api/shots/{shot}/takes/estimate', { params: { path: { shot } }, body: orders })),
  });
  const put = (part: Partial<typeof orders>) => setOrders({ ...orders, ...part });
  const count = orders.last - orders.first + 1;
  const share =
    SHARES.find(
      ([, s]) => Math.round(width * s) === orders.width && Math.round(height * s) === orders.height,
    )?.[0] ?? 'own';
  const quality = QUALITIES.find(([, n]) => n === orders.samples)?.[0] ?? 'own';

  async function order() {
    setBusy(true);
    setWrong('');
    try {
      const take = await ok(
        api.POST('/api/shots/{shot}/takes', { params: { path: { shot } }, body: orders }),
      );
      const { samples, noise, motion_blur, alpha, layers } = orders;
      localStorage.setItem(KEPT + production, JSON.stringify({ samples, noise, motion_blur, alpha, layers }));
      go(`/takes/${take.id}`);
    } catch (error) {
      setWrong(error instanceof ApiError ? error.problem.detail : String(error));
      setBusy(false);
    }
  }
  /** One side of the picture; the other goes with it, unless they are freed of each other. */
  function side(name: 'width' | 'height', n: number) {
    if (!linked || !(n > 0)) return put({ [name]: n });
    const other = name === 'width' ? Math.round((n * height) / width) : Math.round((n * width) / height);
    put(name === 'width' ? { width: n, height: other } : { height: n, width: other });
  }
  const whole = (name: 'first' | 'last' | 'width' | 'height' | 'samples', label: string) => (
    <Field label={label}>
      <input
        type="number"
        className={inputLook}
        value={orders[name]}
        onChange={(e) => {
          const n = Math.round(Number(e.target.value));
          if (name === 'width' || name === 'height') side(name, n);
          else put({ [name]: n });
        }}
      />
    </Field>
  );
  const tick = (name: 'motion_blur' | 'alpha' | 'layers', label: string) => (
    <label className="flex items-center gap-2">
      <input
        type="checkbox"
        checked={orders[name]}
        onChange={(e) => put({ [name]: e.target.checked })}
        className="accent-moss"
      />{' '}
      {label}
    </label>
  );
  return (
    <Dialog
      open
      onOpenChange={(o) => !o && onClose()}
      title="Deliver a take"
      about="The shot as it is now. You can go on editing while it renders."
    >
      <form
        onSubmit={(e) => {
          e.preventDefault();
          void order();
        }}
      >
        <div className="grid grid-cols-2 gap-3">
          {whole('first', 'First frame')}
          {whole('last', 'Last frame')}
          <Field label="Size">
            <select
              className={inputLook}
              value={share}
              onChange={(e) => {
                const s = SHARES.find(([n]) => n === e.target.value)?.[1];
                if (s) put({ width: Math.round(width * s), height: Math.round(height * s) });
              }}
            >
              {SHARES.map(([n]) => (
                <option key={n}>{n}</option>
              ))}
              <option value="own">own size</option>
            </select>
          </Field>
          <Field label="Quality">
            <select
              className={inputLook}
              value={quality}
              onChange={(e) => {
                const n = QUALITIES.find(([q]) => q === e.target.value)?.[1];
                if (n) put({ samples: n });
              }}
            >
              {QUALITIES.map(([q]) => (
                <option key={q}>{q}</option>
              ))}
              <option value="own">own</option>
            </select>
          </Field>
          {whole('width', 'Width, pixels')}
          {whole('height', 'Height, pixels')}
          {whole('samples', 'Samples a pixel')}
          <Field label="Clean parts stop early">
            <select
              className={inputLook}
              value={orders.noise}
              onChange={(e) => put({ noise: Number(e.target.value) })}
            >
              {NOISES.map(([name, n]) => (
                <option key={n} value={n}>
                  {name}
                </option>
              ))}
            </select>
          </Field>
          <div className="flex flex-col justify-end gap-1.5 pb-0.5">
            <label className="flex items-center gap-2">
              <input
                type="checkbox"
                checked={linked}
                onChange={(e) => {
                  setLinked(e.target.checked);
                  if (e.target.checked) put({ height: Math.round((orders.width * height) / width) });
                }}
                className="accent-moss"
              />{' '}
              in proportion
            </label>
            {tick('motion_blur', 'motion blur')}
            {tick('alpha', 'letters only, with alpha')}
            {tick('layers', 'layers for compositing')}
          </div>
        </div>
        <p className="mt-3 text-dim text-sm">
          {count > 0 ? `${count} frames, ` : 'no frames, '}
          {orders.alpha
            ? 'as PNG with straight alpha, without a movie: H.264 has no alpha; the floor and wall light the letters but are not seen'
            : 'as an H.264 movie and as PNG frames'}
          {orders.layers && '; and each frame as OpenEXR: light by lamp, depth, motion, mattes by letter'}
        </p>
        {squeezed && (
          <p role="status" className="mt-1 text-sm text-warn">
            The frame is {width} × {height}: in {orders.width} × {orders.height} pixels it is squeezed.
          </p>
        )}
        <p className="mt-1 min-h-5 text-sm" data-testid="estimate" aria-live="polite">
          {estimate.isError ? (
            <span className="text-warn">{estimate.error.message}</span>
          ) : (
            estimate.data && (
              <span className={estimate.data.seconds > LONG ? 'text-warn' : 'text-dim'}>
                {estimate.data.known ? 'About ' : 'Perhaps '}
                {roughly(estimate.data.seconds)}
                {estimate.data.seconds > LONG && ': a smaller size, fewer frames or samples are sooner there'}
              </span>
            )
          )}
        </p>
        {wrong && (
          <p role="alert" className="mt-2 text-warn">
            {wrong}
          </p>
        )}
        <div className="mt-4 flex justify-end gap-2">
          <Button onClick={onClose}>Cancel</Button>
          <Button look="main" type="submit" disabled={busy}>
            Render the take
          </Button>
        </div>
      </form>
      {before.length > 0 && (
        <div className="mt-4 border-t pt-3">
          <h3 className="mb-1 text-dim text-xs">Takes of this shot</h3>
          <ul className="max-h-40 overflow-auto">
            {before.map((t) => (
              <li key={t.id}>
                <Link
                  href={`/takes/${t.id}`}
                  className="flex justify-between rounded px-1 py-0.5 hover:bg-raised"
                >
                  <span>Take {t.number}</span>
                  <span className="text-dim">
                    {t.state === 'done' ? `${t.total} frames` : `${t.state}, ${t.done} of ${t.total}`},{' '}
                    {t.orders.width} × {t.orders.height}
                  </span>
                </Link>
              </li>
            ))}
          </ul>
        </div>
      )}
    </Dialog>
  );
}

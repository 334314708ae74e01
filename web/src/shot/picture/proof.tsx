import { useQuery } from '@tanstack/react-query';
import { useEffect, useRef, useState } from 'react';
import { createStore, useStore } from 'zustand';
import { api, ok } from '../../api/client';
import { Button, Hint } from '../../ui/controls';
import { useShot, useShotStore } from '../context';
import type { Fineness, Proof, Region, Scopes } from '../open/state';

/** What is looked at in a proof; it belongs to the window, not to the shot. */
const looking = createStore(() => ({ marking: false, exposure: false, scopes: false, against: '' }));
const SMALLEST = 0.03;
/** How fine a proof gets: as good, final and finest takes do. With a bound on noise only so many samples are taken as a part needs. */
const FINENESSES: [string, Fineness][] = [
  ['16 samples', { samples: 16, noise: 0 }],
  ['48 samples', { samples: 48, noise: 0 }],
  ['128 samples', { samples: 128, noise: 0 }],
  ['14 % noise', { samples: 256, noise: 0.14 }],
  ['10 % noise', { samples: 512, noise: 0.1 }],
  ['6 % noise', { samples: 1024, noise: 0.06 }],
];

/** How far a proof of the state and frame at hand has come. */
function progress({ samples, of, noise, working }: Proof): string {
  const bound = `${Math.round(noise * 100)} %`;
  if (!noise) return working ? `${samples} of ${of} samples` : `finished, ${of} samples`;
  if (working) return `${samples} samples, on to noise below ${bound}`;
  return samples < of
    ? `finished, noise below ${bound} with ${samples} samples at most`
    : `finished, ${of} samples where noise is not yet below ${bound}`;
}

function useKept() {
  const shot = useShot((s) => s.id);
  const kept = useShot((s) => s.kept);
  return useQuery({
    queryKey: ['proofs', shot, kept],
    queryFn: () => ok(api.GET('/api/shots/{shot}/proofs', { params: { path: { shot } } })),
  });
}

function Tool({
  name,
  about,
  on,
  onPress,
}: {
  name: string;
  about: string;
  on: boolean;
  onPress: () => void;
}) {
  return (
    <Hint text={about}>
      <Button look="quiet" aria-pressed={on} active={on} onClick={onPress}>
        {name}
      </Button>
    </Hint>
  );
}

/** How fine, region, exposure, scopes, and the proof to compare with. */
export function ProofTools() {
  const store = useShotStore();
  const region = useShot((s) => s.region);
  const fineness = useShot((s) => s.fineness);
  const { marking, exposure, scopes, against } = useStore(looking);
  const { data } = useKept();
  return (
    <>
      <select
        aria-label="How fine"
        title="Samples a pixel as a take has them, or as many as each part needs until its noise, before denoising, is below a share of its light"
        className="h-7 w-28 rounded-md border bg-raised px-1.5 text-sm"
        value={FINENESSES.findIndex(
          ([, { samples, noise }]) => samples === fineness.samples && noise === fineness.noise,
        )}
        onChange={(e) => {
          const [, chosen] = FINENESSES[Number(e.target.value)] ?? [];
          if (chosen) store.setFineness(chosen);
        }}
      >
        {FINENESSES.map(([name], k) => (
          <option key={name} value={k}>
            {name}
          </option>
        ))}
      </select>
      <Tool
        name="region"
        about={region ? 'Prove the whole frame again' : 'Drag over the part of the frame to prove'}
        on={marking || region !== null}
        onPress={() => {
          if (region) store.setRegion(null);
          looking.setState({ marking: !marking && !region });
        }}
      />
      <Tool
        name="exposure"
        about="The light of the finished proof in bands of stops"
        on={exposure}
        onPress={() => looking.setState({ exposure: !exposure })}
      />
      <Tool
        name="scopes"
        about="Histogram, waveform, and what is behind white places"
        on={scopes}
        onPress={() => looking.setState({ scopes: !scopes })}
      />
      <select
        aria-label="Compare with"
        className="h-7 w-36 rounded-md border bg-raised px-1.5 text-sm"
        value={data?.some((p) => p.id === against) ? against : ''}
        onChange={(e) => looking.setState({ against: e.target.value })}
      >
        <option value="">compare with …</option>
        {data?.map((proof) => (
          <option key={proof.id} value={proof.id}>
            {`frame ${proof.frame}, state ${proof.revision}, ${new Date(proof.made_at).toLocaleTimeString([], { hour: '2-digit', minute: '2-digit' })}`}
          </option>
        ))}
      </select>
    </>
  );
}

const around = ([left, top, right, bottom]: Region) => ({
  left: `${left * 100}%`,
  top: `${top * 100}%`,
  width: `${(right - left) * 100}%`,
  height: `${(bottom - top) * 100}%`,
});

/** The proof over the draft: its picture, or a region of it over the last whole one, with what one looks at it by. */
export function ProofView() {
  const store = useShotStore();
  const proof = useShot((s) => s.proof);
  const under = useShot((s) => s.under);
  const frame = useShot((s) => s.frame);
  const revision = useShot((s) => s.revision);
  const { marking, exposure, scopes, against } = useStore(looking);
  const current = proof && proof.frame === frame;
  const picture = proof && exposure && proof.exposure ? proof.exposure : proof?.picture;
  return (
    <>
      {proof?.region && under && (
        <img data-testid="under" src={under} alt="" className="absolute inset-0 h-full w-full" />
      )}
      {proof && (
        <img
          data-testid="proof"
          data-samples={proof.samples}
          data-of={proof.of}
          data-finished={!proof.working}
          data-revision={proof.revision}
          data-exposure={picture === proof.exposure}
          src={picture}
          alt={`Proof of frame ${proof.frame}`}
          className={`absolute ${proof.region ? 'outline outline-1 outline-white/60' : ''}`}
          style={around(proof.region ?? [0, 0, 1, 1])}
        />
      )}
      {against && <Wipe id={against} />}
      {marking && <Marking />}
      {scopes && proof?.scopes && <ScopesView scopes={proof.scopes} working={proof.working} />}
      {exposure && proof && proof.bands.length > 0 && <Bands bands={proof.bands} />}
      <div
        className="absolute bottom-2 left-2 flex items-center gap-2 rounded bg-black/75 px-2 py-1 text-white text-xs"
        role="status"
      >
        {!proof && 'proof of this frame is under way: first look in a few seconds'}
        {proof && !current && `proof of frame ${proof.frame}; frame ${frame} follows`}
        {proof && current && proof.revision < revision && 'edited: a new proof is under way'}
        {proof && current && proof.revision >= revision && progress(proof)}
        {proof?.working && (
          <button type="button" className="underline" onClick={() => store.setMode('draft')}>
            stop
          </button>
        )}
      </div>
    </>
  );
}

/** A region is dragged open; Escape gives up, Enter takes the middle. */
function Marking() {
  const store = useShotStore();
  const [marked, setMarked] = useState<Region | null>(null);
  const from = useRef<[number, number] | null>(null);
  const place = (e: React.PointerEvent): [number, number] => {
    const box = e.currentTarget.getBoundingClientRect();
    const share = (v: number) => Math.min(1, Math.max(0, v));
    return [share((e.clientX - box.left) / box.width), share((e.clientY - box.top) / box.height)];
  };
  const take = (region: Region) => {
    looking.setState({ marking: false });
    if (region[2] - region[0] >= SMALLEST && region[3] - region[1] >= SMALLEST) store.setRegion(region);
  };
  return (
    <button
      type="button"
      aria-label="Drag over the part of the frame to prove; Enter takes the middle"
      className="absolute inset-0 h-full w-full cursor-crosshair"
      onPointerDown={(e) => {
        e.currentTarget.setPointerCapture(e.pointerId);
        from.current = place(e);
      }}
      onPointerMove={(e) => {
        if (!from.current) return;
        const [x, y] = place(e);
        const [a, b] = from.current;
        setMarked([Math.min(a, x), Math.min(b, y), Math.max(a, x), Math.max(b, y)]);
      }}
      onPointerUp={() => {
        from.current = null;
        if (marked) take(marked);
      }}
      onKeyDown={(e) => {
        if (e.key === 'Escape') looking.setState({ marking: false });
        if (e.key === 'Enter') take([0.3, 0.3, 0.7, 0.7]);
      }}
    >
      {marked && <span className="absolute border border-white bg-white/10" style={around(marked)} />}
    </button>
  );
}

/** Another proof on the left of a line that is dragged, or moved by the arrow keys. */
function Wipe({ id }: { id: string }) {
  const [share, setShare] = useState(0.5);
  const held = useRef(false);
  const line = useRef<HTMLButtonElement>(null);
  const move = (clientX: number) => {
    const box = line.current?.parentElement?.getBoundingClientRect();
    if (box) setShare(Math.min(1, Math.max(0, (clientX - box.left) / box.width)));
  };
  return (
    <>
      <img
        data-testid="against"
        src={`/api/proofs/${id}`}
        alt="The proof compared with"
        className="absolute inset-0 h-full w-full"
        style={{ clipPath: `inset(0 ${(1 - share) * 100}% 0 0)` }}
      />
      <button
        ref={line}
        type="button"
        role="slider"
        aria-label="Wipe"
        aria-valuenow={Math.round(share * 100)}
        aria-valuemin={0}
        aria-valuemax={100}
        className="absolute inset-y-0 w-3 -translate-x-1/2 cursor-ew-resize"
        style={{ left: `${share * 100}%` }}
        onPointerDown={(e) => {
          e.currentTarget.setPointerCapture(e.pointerId);
          held.current = true;
        }}
        onPointerMove={(e) => held.current && move(e.clientX)}
        onPointerUp={() => {
          held.current = false;
        }}
        onKeyDown={(e) => {
          const step = { ArrowLeft: -0.02, ArrowRight: 0.02 }[e.key];
          if (!step) return;
          e.preventDefault();
          e.stopPropagation();
          setShare((s) => Math.min(1, Math.max(0, s + step)));
        }}
      >
        <span className="mx-auto block h-full w-px bg-white shadow-[0_0_3px_#000]" />
      </button>
    </>
  );
}

/** What the colours of the exposure mean. */
function Bands({ bands }: { bands: [string, string][] }) {
  return (
    <ul
      aria-label="Bands of exposure"
      className="absolute right-2 bottom-2 flex gap-2 rounded bg-black/75 px-2 py-1 text-white text-xs"
    >
      {bands.map(([name, colour]) => (
        <li key={name} className="flex items-center gap-1">
          <span className="size-2.5" style={{ background: colour }} />
          {name}
        </li>
      ))}
    </ul>
  );
}

const INKS = ['#e0705c', '#7fb86a', '#6f95d8'];
const percent = (share: number) => `${(share * 100).toFixed(share < 0.1 ? 1 : 0)} %`;

function ScopesView({ scopes, working }: { scopes: Scopes; working: boolean }) {
  const id = useShot((s) => s.id);
  const frame = useShot((s) => s.frame);
  const revision = useShot((s) => s.revision);
  const wave = useRef<HTMLCanvasElement>(null);
  const hot = useQuery({
    queryKey: ['hot', id, frame, revision],
    queryFn: () => ok(api.GET('/api/shots/{shot}/hot', { params: { path: { shot: id }, query: { frame } } })),
    enabled: !working && scopes.white > 0.0005,
  });
  useEffect(() => {
    const c = wave.current?.getContext('2d');
    if (!c) return;
    const rows = scopes.waveform;
    const columns = rows[0]?.length ?? 0;
    const pixels = c.createImageData(columns, rows.length);
    rows.forEach((row, y) => {
      row.forEach((share, x) => {
        const to = 4 * ((rows.length - 1 - y) * columns + x);
        pixels.data.set([190, 226, 150, Math.min(255, 900 * Math.sqrt(share))], to);
      });
    });
    c.putImageData(pixels, 0, 0);
  }, [scopes]);
  const most = Math.max(...scopes.histogram.flatMap((row) => row.slice(1, -1)), 1e-6);
  const levels = scopes.histogram[0]?.length ?? 1;
  const path = (row: number[]) =>
    row
      .map((share, k) => `${k ? 'L' : 'M'}${(k / (levels - 1)) * 100} ${40 - 40 * Math.min(1, share / most)}`)
      .join('');
  return (
    <figure
      aria-label="Scopes"
      className="absolute top-2 right-2 w-56 rounded bg-black/75 p-2 text-white text-xs"
      data-white={scopes.white}
    >
      <svg
        viewBox="0 0 100 40"
        preserveAspectRatio="none"
        className="h-16 w-full"
        role="img"
        aria-label="Histogram"
      >
        {scopes.histogram.slice(0, 3).map((row, k) => (
          <path
            key={INKS[k]}
            d={path(row)}
            fill="none"
            stroke={INKS[k]}
            strokeWidth="1.2"
            vectorEffect="non-scaling-stroke"
          />
        ))}
      </svg>
      <canvas
        ref={wave}
        width={scopes.waveform[0]?.length ?? 1}
        height={scopes.waveform.length}
        className="mt-1 h-20 w-full border border-white/20"
        role="img"
        aria-label="Waveform: brightness up, the picture's columns across"
      />
      <figcaption className="mt-1 tabular-nums">
        white {percent(scopes.white)}, black {percent(scopes.black)}
        {scopes.white > 0.0005 && (
          <span className="block text-[#eec45c]" data-testid="hot">
            {hot.data?.length
              ? `white by ${hot.data
                  .slice(0, 2)
                  .map((h) => `${h.light} (${percent(h.share)})`)
                  .join(', ')}`
              : 'looking for what is behind the white …'}
          </span>
        )}
      </figcaption>
    </figure>
  );
}

import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import { Trash2 } from 'lucide-react';
import { useEffect, useRef, useState } from 'react';
import { api, ok, type Schemas } from '../api/client';
import { renew } from '../api/renew';
import { Button, Dialog, inputLook } from '../ui/controls';
import { alongTabs, tabStop } from '../ui/tabs';
import { useAspect, useShot, useShotStore } from './context';

type Motion = Schemas['MotionOut'];
const GROUPS: [Motion['group'], string][] = [
  ['arrive', 'arrive'],
  ['leave', 'leave'],
  ['stay', 'stay'],
  ['rig', 'rigs'],
  ['own', 'kept here'],
];
const WIDTH = 200;
const A_FRAME = 90;

/** Named motions and rigs, each moving on the user's own title. */
export function Motions({ onClose }: { onClose: () => void }) {
  const store = useShotStore();
  const client = useQueryClient();
  const { id, production } = store.getState();
  const revision = useShot((s) => s.revision);
  const aspect = useAspect();
  const [group, setGroup] = useState<Motion['group']>('arrive');
  const [chosen, setChosen] = useState('');
  const [texts, setTexts] = useState('');
  const [keep, setKeep] = useState(false);
  const [name, setName] = useState('');
  const [setting, setSetting] = useState(false);
  const [refused, setRefused] = useState('');
  const params = { path: { shot: id } };
  const { data, error } = useQuery({
    queryKey: ['motions', id, revision],
    queryFn: () => ok(api.GET('/api/shots/{shot}/motions', { params })),
    staleTime: Number.POSITIVE_INFINITY,
  });
  const again = () => renew(client, ['motions', id]);
  const keeping = useMutation({
    mutationFn: () =>
      ok(api.POST('/api/shots/{shot}/motions', { params, body: { name: name.trim() || 'Motion' } })),
    onSuccess: () => {
      setName('');
      setGroup('own');
      void again();
    },
  });
  const removing = useMutation({
    mutationFn: async (motion: string) => {
      await api.DELETE('/api/productions/{production}/motions/{motion}', {
        params: { path: { production: production.id, motion } },
      });
    },
    onSuccess: again,
  });
  const shown = data?.filter((m) => m.group === group) ?? [];
  const held = data?.find((m) => m.id === chosen);
  const wrong = error ?? keeping.error ?? removing.error;
  return (
    <Dialog
      open
      wide
      onOpenChange={(o) => !o && onClose()}
      title="Motions"
      about="Your own title in each. What a motion sets are ordinary steps, which can be opened and changed."
    >
      <div
        role="tablist"
        aria-label="Kinds of motion"
        className="mb-3 flex gap-1 border-b"
        onKeyDown={alongTabs}
      >
        {GROUPS.map(([value, title]) => (
          <button
            key={value}
            type="button"
            role="tab"
            aria-selected={group === value}
            tabIndex={tabStop(group === value)}
            className={`-mb-px border-b-2 px-2.5 pb-1 ${group === value ? 'border-moss text-ink' : 'border-transparent text-dim hover:text-ink'}`}
            onClick={() => setGroup(value)}
          >
            {title} {data && <span className="text-xs">{data.filter((m) => m.group === value).length}</span>}
          </button>
        ))}
      </div>
      <div className="flex gap-4">
        <ul
          aria-label="Motions"
          className="grid h-[54vh] flex-1 auto-rows-max grid-cols-3 content-start gap-2 overflow-y-auto pr-1"
        >
          {!data && !error && <li className="col-span-3 text-dim">moving your title …</li>}
          {data && !shown.length && (
            <li className="col-span-3 text-dim">
              Nothing is kept yet. Give the shot a motion, then keep it under a name of your own.
            </li>
          )}
          {shown.map((motion) => (
            <li key={motion.id} className="relative">
              <button
                type="button"
                aria-pressed={chosen === motion.id}
                className={`block w-full overflow-hidden rounded-lg border text-left ${chosen === motion.id ? 'border-moss' : 'hover:border-dim'}`}
                onClick={() => setChosen(motion.id)}
              >
                <Thumbnail motion={motion} width={WIDTH} aspect={aspect} />
                <span className="block truncate px-2 pt-1 text-sm">{motion.name}</span>
                <span className="line-clamp-2 block px-2 pb-1 text-dim text-xs">{motion.about}</span>
              </button>
              {motion.group === 'own' && (
                <button
                  type="button"
                  aria-label={`Remove ${motion.name}`}
                  className="absolute top-1 right-1 rounded bg-black/60 p-1 text-white"
                  onClick={() => removing.mutate(motion.id)}
                >
                  <Trash2 size={12} />
                </button>
              )}
            </li>
          ))}
        </ul>
        <div className="flex w-[280px] shrink-0 flex-col gap-3">
          {held ? (
            <>
              <div className="overflow-hidden rounded-lg border">
                <Thumbnail motion={held} width={278} aspect={aspect} />
              </div>
              <p>
                <b className="font-semibold">{held.name}</b>
                <span className="block text-dim text-sm">{held.about}</span>
              </p>
              {held.texts && (
                <label className="text-dim text-xs">
                  Texts before your own, a line each
                  <textarea
                    aria-label="Texts before your own, a line each"
                    rows={3}
                    className={`${inputLook} h-auto py-1`}
                    value={texts}
                    onChange={(e) => setTexts(e.target.value)}
                  />
                </label>
              )}
              <label className="flex items-center gap-2 text-sm">
                <input type="checkbox" checked={keep} onChange={(e) => setKeep(e.target.checked)} />
                add it to the motion that is there
              </label>
              <Button
                look="main"
                disabled={setting}
                onClick={async () => {
                  const lines = texts.split('\n').filter((line) => line.trim());
                  setSetting(true);
                  setRefused('');
                  const failed = await store.setMotion(held.id, held.texts ? lines : [], keep);
                  setSetting(false);
                  if (failed) setRefused(failed);
                  else onClose();
                }}
              >
                {setting ? 'setting …' : `Set ${held.name}`}
              </Button>
              {refused && (
                <p role="alert" className="text-sm text-warn">
                  {refused}
                </p>
              )}
            </>
          ) : (
            <p className="text-dim text-sm">Choose a motion to see it larger here.</p>
          )}
          <form
            className="mt-auto border-t pt-3"
            onSubmit={(e) => {
              e.preventDefault();
              keeping.mutate();
            }}
          >
            <label className="text-dim text-xs">
              Keep the motion of this shot as
              <input
                aria-label="Name of the motion to keep"
                className={inputLook}
                maxLength={200}
                value={name}
                onChange={(e) => setName(e.target.value)}
              />
            </label>
            <Button type="submit" className="mt-2" disabled={!name.trim()}>
              Keep
            </Button>
          </form>
          {wrong && (
            <p role="alert" className="text-sm text-warn">
              {wrong.message}
            </p>
          )}
        </div>
      </div>
    </Dialog>
  );
}

const still = () => window.matchMedia('(prefers-reduced-motion: reduce)').matches;

/** A motion drawn flat, over and over; one that should not move stands at its end, and moves under the mouse. */
function Thumbnail({ motion, width, aspect }: { motion: Motion; width: number; aspect: number }) {
  const canvas = useRef<HTMLCanvasElement>(null);
  const [moving, setMoving] = useState(!still());
  const height = Math.round(Math.min(width / aspect, width));
  useEffect(() => {
    const c = canvas.current?.getContext('2d');
    if (!c) return;
    const paths = motion.outlines.map((d) => new Path2D(d));
    const last = motion.frames.length - 1;
    const ink = getComputedStyle(document.documentElement).getPropertyValue('--ink');
    const draw = (frame: number) => {
      c.setTransform(1, 0, 0, 1, 0, 0);
      c.clearRect(0, 0, width * 2, height * 2);
      c.fillStyle = ink;
      motion.frames[frame]?.forEach(([a = 0, b = 0, cc = 0, d = 0, e = 0, f = 0, left = 1], k) => {
        const path = paths[motion.which[frame]?.[k] ?? 0];
        if (!path || left <= 0) return;
        // Twice as fine as the page; from -1 to 1 across, up is up.
        c.setTransform(width * a, -width * b, width * cc, -width * d, width * (1 + e), height - width * f);
        c.globalAlpha = left;
        c.fill(path);
      });
      c.globalAlpha = 1;
    };
    if (!moving) {
      draw(motion.group === 'leave' ? 0 : last);
      return;
    }
    let asked = requestAnimationFrame(function tick(now) {
      // It rests a moment at its end before it begins again.
      draw(Math.min(last, Math.floor(now / A_FRAME) % (last + 9)));
      asked = requestAnimationFrame(tick);
    });
    return () => cancelAnimationFrame(asked);
  }, [motion, width, height, moving]);
  return (
    <canvas
      ref={canvas}
      width={width * 2}
      height={height * 2}
      className="block w-full bg-bark"
      style={{ aspectRatio: `${width} / ${height}` }}
      role="img"
      aria-label={motion.about}
      onMouseEnter={() => setMoving(true)}
      onMouseLeave={() => setMoving(!still())}
    />
  );
}

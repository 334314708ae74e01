import { useEffect, useLayoutEffect, useMemo, useRef, useState } from 'react';
import { Button } from '../../ui/controls';
import { useShot, useShotStore } from '../context';
import { CONTACT, type Speeds, spanAt } from '../draft';
import type { ShotState, Step } from '../open/state';
import { reaches } from '../reaching';
import { at, now, type Operation, setting } from '../values';
import { ChosenKeys } from './chosen';
import { CurveBar } from './curves';
import { drawSheet, inkOf, turn } from './draw';
import {
  type Chosen,
  countChosen,
  type Grip,
  gripAt,
  grips,
  handleEdit,
  isChosen,
  joined,
  removal,
  ringEdit,
  shifted,
  within,
} from './grips';
import {
  dragged,
  frameToY,
  type Hit,
  hitAt,
  layOut,
  type Shown,
  type Stagger,
  sameTimes,
  scrolled,
  snapped,
  yToFrame,
  zoomed,
} from './layout';

declare global {
  interface Window {
    /** How long the sheet took to draw at last, in milliseconds; for measuring. */
    mossSheet?: { ms: number };
  }
}

/** How near, in pixels of the sheet, what is dragged is drawn to a marker, a beat, a key or the playhead. */
const SNAP = 5;

/** The drive whose diagonal the sheet shows: the chosen step if it is one that is on, else the first that is on. */
function driveOf(steps: Step[] | undefined, chosen: string): { index: number; id: string } {
  const on = (steps ?? [])
    .map((step, index) => ({ step, index }))
    .filter(({ step }) => reaches(step) && step.on !== false);
  const found = on.find(({ step }) => step.id === chosen) ?? on[0];
  return { index: found?.index ?? -1, id: found?.step.id ?? '' };
}

/** Its stagger, while it has no keys: with keys it is moved by them. */
function staggerOf(state: ShotState) {
  const { index } = driveOf(state.document?.steps, state.step);
  const step = state.document?.steps?.[index];
  const place = reaches(step) ? (step.reaches ?? []).findIndex((r) => 'start' in r) : -1;
  const reach = reaches(step) ? step.reaches?.[place] : undefined;
  if (!reach || !('start' in reach)) return null;
  const plain = (v: unknown) => (typeof v === 'number' ? v : null);
  const [start, delay] = [plain(reach.start), plain(reach.delay)];
  const cadence = reach.kind === 'cadence';
  const [whole, bend] = cadence ? [plain(reach.whole ?? 0), plain(reach.bend ?? 0)] : [0, 0];
  if (start === null || delay === null || whole === null || bend === null) return null;
  return { base: `/steps/${index}/reaches/${place}`, cadence, value: { start, delay, whole, bend } };
}

interface Drag {
  from: { x: number; y: number };
  what:
    | {
        kind: 'stagger';
        hit: Hit;
        rank: number;
        most: number;
        before: Stagger;
        now: Stagger;
        bending: boolean;
      }
    | { kind: 'pull'; letter: number; before: number; now: number }
    | { kind: 'playhead' }
    | { kind: 'grip'; grip: Grip; patch: Operation[] }
    | { kind: 'keys'; chosen: Chosen; by: number; copied: boolean }
    | { kind: 'marquee'; to: { x: number; y: number } };
}

/** The exposure sheet: frames run down, a column a letter, shaded by speed; a stagger is a diagonal and drags as one. */
export function Sheet() {
  const store = useShotStore();
  const newest = useShot((s) => s.draft);
  const kept = useRef(newest);
  if (!newest || !kept.current || !sameTimes(kept.current, newest)) kept.current = newest;
  const draft = kept.current;
  const document = useShot((s) => s.document);
  const frame = useShot((s) => s.frame);
  const wanted = useShot((s) => s.lanes);
  const chosen = useShot((s) => s.chosen);
  const shading = useShot((s) => s.shading);
  const range = useShot((s) => s.range);
  const drive = useShot((s) => driveOf(s.document?.steps, s.step).id);
  const across = useShot((s) => s.across);
  const holder = useRef<HTMLDivElement>(null);
  const canvas = useRef<HTMLCanvasElement>(null);
  const [size, setSize] = useState({ width: 320, height: 600 });
  const [cursor, setCursor] = useState('default');
  const [theme, setTheme] = useState(0);
  const [part, setPart] = useState<Shown | null>(null);
  const [carried, setCarried] = useState(0);
  const [frameBox, setFrameBox] = useState<[number, number, number, number] | null>(null);
  const drag = useRef<Drag | null>(null);

  useLayoutEffect(() => {
    const box = holder.current;
    if (!box) return;
    const watch = new ResizeObserver(() => setSize({ width: box.clientWidth, height: box.clientHeight }));
    watch.observe(box);
    const themes = new MutationObserver(() => setTheme((n) => n + 1));
    themes.observe(window.document.documentElement, { attributes: true, attributeFilter: ['data-theme'] });
    return () => {
      watch.disconnect();
      themes.disconnect();
    };
  }, []);

  const span = draft ? spanAt(draft, frame) : undefined;
  const isolated = useShot((s) => s.isolated);
  const fitted = useShot((s) => s.fitted);
  const lanes = useMemo(() => wanted.filter((path) => draft?.keyed[path]), [wanted, draft]);
  const keyed = useMemo(() => {
    const kinds = new Set<Step['kind']>();
    for (const path of Object.keys(draft?.keyed ?? {})) {
      const step = document?.steps?.[Number(path.split('/')[2])];
      if (step) kinds.add(step.kind);
    }
    return kinds;
  }, [draft, document]);
  const whole = useMemo(() => ({ first: draft?.first ?? 0, last: draft?.last ?? 0 }), [draft]);
  const shown = part && part.first >= whole.first && part.last <= whole.last ? part : whole;
  const layout = useMemo(() => {
    if (!draft || !span) return null;
    const [width, height] = across ? [size.height, size.width] : [size.width, size.height];
    return layOut(draft, span, width, height, { paths: lanes, isolated, fitted }, keyed, shown, across);
  }, [draft, span, size, lanes, isolated, fitted, keyed, shown, across]);
  const hold = useMemo(
    () => (layout && document && draft ? grips(layout, document, draft, chosen) : []),
    [layout, document, draft, chosen],
  );

  // biome-ignore lint/correctness/useExhaustiveDependencies: the theme changes the ink
  useEffect(() => {
    // Kept in plain memory: lines and letters are quicker drawn there than the picture's own drawing is interrupted.
    const c = canvas.current?.getContext('2d', { willReadFrequently: true });
    if (!c || !layout || !draft || !document || !canvas.current) return;
    const ratio = window.devicePixelRatio || 1;
    const sides = [Math.round(layout.width * ratio), Math.round(layout.height * ratio)];
    const [width, height] = (layout.across ? sides.reverse() : sides) as [number, number];
    if (canvas.current.width !== width) canvas.current.width = width;
    if (canvas.current.height !== height) canvas.current.height = height;
    const begun = performance.now();
    c.setTransform(ratio, 0, 0, ratio, 0, 0);
    if (layout.across) turn(c);
    drawSheet(
      c,
      layout,
      { draft, document, drive, grips: hold, chosen, shading, carried },
      inkOf(canvas.current),
    );
    window.mossSheet = { ms: performance.now() - begun };
  }, [layout, draft, document, drive, hold, chosen, shading, carried, theme]);

  useEffect(() => {
    const element = canvas.current;
    if (!element) return;
    const roll = (e: WheelEvent) => {
      e.preventDefault();
      if (!layout) return;
      const box = element.getBoundingClientRect();
      if (e.ctrlKey || e.metaKey) {
        const y = layout.across ? e.clientX - box.left : e.clientY - box.top;
        setPart(zoomed(whole, shown, yToFrame(layout, y), e.deltaY > 0 ? 1.25 : 0.8));
      } else setPart(scrolled(whole, shown, (e.deltaY / 100) * Math.max(1, (shown.last - shown.first) / 10)));
    };
    element.addEventListener('wheel', roll, { passive: false });
    return () => element.removeEventListener('wheel', roll);
  }, [layout, whole, shown]);

  function place(e: React.PointerEvent | React.MouseEvent) {
    const box = (canvas.current as HTMLCanvasElement).getBoundingClientRect();
    const [right, down] = [e.clientX - box.left, e.clientY - box.top];
    return across ? { x: down, y: right } : { x: right, y: down };
  }

  function edits(next: Stagger): Operation[] {
    const state = store.getState();
    const stagger = staggerOf(state);
    if (!stagger) return [];
    return (Object.keys(next) as (keyof Stagger)[])
      .filter((name) => next[name] !== stagger.value[name])
      .flatMap((name) => setting(state.document, `${stagger.base}/${name}`, state.frame, next[name]));
  }

  /** The edit that pulls a letter off the diagonal, or with 0 puts it back. */
  function pulling(letter: number, by: number): Operation[] {
    const state = store.getState();
    const stagger = staggerOf(state);
    if (!stagger?.cadence) return [];
    const path = `${stagger.base}/pulled/${letter}`;
    const there = at(state.document, path) !== undefined;
    if (by === 0) return there ? [{ op: 'remove', path }] : [];
    return [{ op: 'add', path, value: by }];
  }

  function press(e: React.PointerEvent) {
    if (!layout || !span || !draft) return;
    e.currentTarget.setPointerCapture(e.pointerId);
    const from = place(e);
    const { x, y } = from;
    const grip = gripAt(hold, x, y);
    if (grip) {
      const keys =
        grip.kind === 'rings' ? grip.keys : grip.kind === 'ring' ? { [grip.lane.path]: [grip.frame] } : {};
      const picked = Object.entries(keys).every(([path, frames]) =>
        frames.every((f) => isChosen(chosen, path, f)),
      );
      if (grip.kind !== 'handle' && e.shiftKey) {
        store.chooseKeys(joined(chosen, keys));
        return;
      }
      const mine = grip.kind === 'handle' ? chosen : picked ? chosen : keys;
      if (grip.kind !== 'handle' && !picked) store.chooseKeys(keys);
      const alone = grip.kind === 'ring' && countChosen(mine) === 1 && !e.altKey;
      drag.current =
        grip.kind === 'handle' || alone
          ? { from, what: { kind: 'grip', grip, patch: [] } }
          : { from, what: { kind: 'keys', chosen: mine, by: 0, copied: e.altKey } };
      return;
    }
    const stagger = staggerOf(store.getState());
    const hit: Hit = stagger ? hitAt(layout, span, drive, x, y) : { kind: 'playhead' };
    if (hit.kind === 'playhead' || !stagger) {
      if (e.shiftKey) {
        drag.current = { from, what: { kind: 'marquee', to: from } };
        return;
      }
      if (countChosen(chosen)) store.chooseKeys({});
      drag.current = { from, what: { kind: 'playhead' } };
      store.seek(yToFrame(layout, y));
      return;
    }
    const before = stagger.value;
    if (hit.kind === 'mark' && e.altKey && stagger.cadence) {
      const pulled = at(store.getState().document, `${stagger.base}/pulled/${hit.letter}`);
      const old = typeof pulled === 'number' ? pulled : 0;
      drag.current = { from, what: { kind: 'pull', letter: hit.letter, before: old, now: old } };
      return;
    }
    const starts = span.starts[drive] ?? [];
    const first = Math.min(...starts);
    const most = Math.max(...starts) - first;
    const own = (starts[hit.letter] ?? first) - first;
    const delay = before.delay || 1;
    const bending = hit.kind === 'body' && e.shiftKey && stagger.cadence;
    const [rank, last] = [Math.abs(own / delay), Math.abs(most / delay)];
    drag.current = { from, what: { kind: 'stagger', hit, rank, most: last, before, now: before, bending } };
  }

  function move(e: React.PointerEvent) {
    if (!layout || !span || !document) return;
    const { x, y } = place(e);
    const d = drag.current;
    if (!d) {
      const grip = gripAt(hold, x, y);
      const hit = hitAt(layout, span, drive, x, y);
      setCursor(
        grip
          ? grip.kind === 'handle'
            ? 'crosshair'
            : 'grab'
          : hit.kind === 'playhead'
            ? 'default'
            : hit.kind === 'mark'
              ? across
                ? 'col-resize'
                : 'row-resize'
              : 'grab',
      );
      return;
    }
    const frames = (y - d.from.y) / layout.perFrame;
    const what = d.what;
    switch (what.kind) {
      case 'playhead':
        store.seek(yToFrame(layout, y));
        return;
      case 'stagger': {
        const { hit, before } = what;
        const whole = hit.kind === 'body' && !what.bending;
        const by = whole ? snapped(frames, [before.start], drawing(), SNAP / layout.perFrame) : frames;
        const next = dragged(hit, what.rank, what.most, before, by, what.bending);
        if (JSON.stringify(next) !== JSON.stringify(what.now)) {
          what.now = next;
          store.preview(edits(next));
        }
        return;
      }
      case 'pull': {
        const next = Math.round((what.before + frames) * 2) / 2;
        if (next !== what.now) {
          what.now = next;
          store.preview(pulling(what.letter, next));
        }
        return;
      }
      case 'grip': {
        const { grip } = what;
        const patch =
          grip.kind === 'handle'
            ? handleEdit(layout, document, grip, x, y)
            : grip.kind === 'ring'
              ? ringEdit(layout, document, grip, x - d.from.x, y - d.from.y)
              : [];
        if (JSON.stringify(patch) === JSON.stringify(what.patch)) return;
        what.patch = patch;
        store.preview(patch);
        return;
      }
      case 'keys':
        what.by = carriedBy(frames, what.chosen);
        setCarried(what.by);
        return;
      case 'marquee':
        what.to = { x, y };
        setFrameBox([
          Math.min(x, d.from.x),
          Math.min(y, d.from.y),
          Math.abs(x - d.from.x),
          Math.abs(y - d.from.y),
        ]);
    }
  }

  /** Frames that draw what is dragged to themselves: markers, beats (the nearest whole frame) and the playhead. */
  function drawing(): number[] {
    const beats = (draft?.beats ?? []).map(([f]) => Math.round(f));
    return [...(document?.markers ?? []).map((m) => m.frame), ...beats, store.getState().frame];
  }

  /** By how many frames keys are moved: one that comes near another key too stands with it. */
  function carriedBy(frames: number, moving: Chosen): number {
    const others = hold.flatMap((g) =>
      g.kind === 'rings'
        ? Object.entries(g.keys).flatMap(([p, f]) => f.filter((k) => !isChosen(moving, p, k)))
        : [],
    );
    return snapped(
      frames,
      Object.values(moving).flat(),
      [...others, ...drawing()],
      SNAP / (layout?.perFrame ?? 1),
    );
  }

  function release() {
    const d = drag.current;
    drag.current = null;
    if (!d) return;
    const what = d.what;
    setFrameBox(null);
    setCarried(0);
    if (what.kind === 'stagger') {
      const patch = edits(what.now);
      const stretched = what.now.delay !== what.before.delay || what.now.whole !== what.before.whole;
      const label = what.bending
        ? 'bend the stagger'
        : stretched
          ? 'stretch the stagger'
          : 'move the stagger';
      if (patch.length) store.edit(patch, label);
      else store.settle();
    } else if (what.kind === 'pull') {
      const patch = what.now === what.before ? [] : pulling(what.letter, what.now);
      if (patch.length) store.edit(patch, what.now ? 'pull a letter off the stagger' : 'put a letter back');
      else store.settle();
    } else if (what.kind === 'grip') {
      if (what.patch.length) {
        store.edit(what.patch, what.grip.kind === 'handle' ? 'ease' : 'move a key');
        const moved = what.patch.find((o) => o.path.endsWith('/frame'));
        if (moved && what.grip.kind === 'ring')
          store.chooseKeys({ [what.grip.lane.path]: [Number(moved.value)] });
      } else store.settle();
    } else if (what.kind === 'keys' && what.by !== 0) {
      void store.moveKeys({ chosen: what.chosen, by: what.by, copied: what.copied });
      store.chooseKeys(shifted(what.chosen, what.by));
    } else if (what.kind === 'marquee') {
      const { x, y } = d.from;
      const [x0, x1] = [Math.min(x, what.to.x), Math.max(x, what.to.x)];
      const [y0, y1] = [Math.min(y, what.to.y), Math.max(y, what.to.y)];
      store.chooseKeys(within(hold, x0, y0, x1, y1));
    }
  }

  function twice(e: React.MouseEvent) {
    if (!layout || !span || !document) return;
    const { x, y } = place(e);
    const hit = hitAt(layout, span, drive, x, y);
    if (hit.kind === 'mark') {
      const patch = pulling(hit.letter, 0);
      if (patch.length) store.edit(patch, 'put a letter back');
      return;
    }
    const lane = layout.lanes.find((l) => x >= l.x && x <= l.x + l.width);
    if (!lane || gripAt(hold, x, y)) return;
    const at = yToFrame(layout, y);
    const value = draft?.keyed[lane.path]?.[at - (draft?.first ?? 0)];
    if (value !== undefined) store.edit(setting(document, lane.path, at, value), 'set a key');
  }

  function keys(e: React.KeyboardEvent) {
    const state = store.getState();
    const picked = countChosen(chosen) > 0;
    const steps: Record<string, number> = across
      ? { ArrowLeft: -1, ArrowRight: 1 }
      : { ArrowUp: -1, ArrowDown: 1 };
    const by = steps[e.key];
    const command = e.ctrlKey || e.metaKey;
    const done = () => {
      e.preventDefault();
      e.stopPropagation();
    };
    if (command && e.key.toLowerCase() === 'c' && picked) {
      done();
      const [path, frames] = Object.entries(chosen)[0] as [string, number[]];
      const value = at(state.document, path) as { keys: { frame: number }[] };
      store.copy(value.keys.filter((k) => frames.includes(k.frame)) as never);
    } else if (command && e.key.toLowerCase() === 'v' && state.copied.length) {
      done();
      const to = lanes.length ? lanes : Object.keys(chosen);
      if (to.length) void store.pasteKeys(to, e.shiftKey);
    } else if ((e.key === 'Delete' || e.key === 'Backspace') && picked && document) {
      done();
      store.edit(
        removal(document, chosen, (path) => now(state, path)),
        'remove keys',
      );
      store.chooseKeys({});
    } else if (e.key === 'Escape' && picked) {
      done();
      store.chooseKeys({});
    } else if (e.key.toLowerCase() === 'r' && picked && !command) {
      done();
      void store.moveKeys({ chosen, reverse: true });
    } else if (e.key === 'a' && command) {
      done();
      store.chooseKeys(within(hold, -1e9, -1e9, 1e9, 1e9));
    } else if (by) {
      done();
      const stagger = staggerOf(state);
      if (!e.altKey) store.seek(state.frame + by * (e.shiftKey ? 10 : 1));
      else if (picked) {
        void store.moveKeys({ chosen, by });
        store.chooseKeys(shifted(chosen, by));
      } else if (stagger && e.shiftKey)
        store.edit(
          edits({ ...stagger.value, delay: stagger.value.delay + by * 0.25 }),
          'stretch the stagger',
        );
      else if (stagger)
        store.edit(edits({ ...stagger.value, start: stagger.value.start + by }), 'move the stagger');
    } else if (e.key === '+' || e.key === '-') {
      done();
      setPart(zoomed(whole, shown, frame, e.key === '+' ? 0.7 : 1.45));
    }
  }

  // Once a draft, not once a frame that is played.
  const [touching, sinking, leaving] = useMemo(
    () =>
      [CONTACT.letters, CONTACT.stage, CONTACT.outside].map(
        (bit) => draft?.spans.some((s) => s.contacts.some((v) => v & bit)) ?? false,
      ),
    [draft],
  );
  const told = useMemo(
    () => ({
      columns: JSON.stringify(
        layout?.columns.filter((c) => c.letter >= 0).map((c) => Math.round(c.x + c.width / 2)),
      ),
      grips: JSON.stringify(hold.map((g) => [g.kind, Math.round(g.x), Math.round(g.y)])),
    }),
    [layout, hold],
  );
  const y = layout ? frameToY(layout, frame) : 0;
  const inside = frame >= shown.first && frame <= shown.last;
  const count = countChosen(chosen);
  return (
    <section
      aria-label="Sheet"
      className={`flex min-h-0 flex-col bg-panel ${across ? 'col-span-3 border-t' : 'border-l'}`}
    >
      <h2 className="flex h-7 items-center gap-2 px-3 pt-1 text-dim text-xs">
        Sheet, frames run {across ? 'across' : 'down'}
        <Button look="quiet" className="h-5! px-1.5! text-xs!" onClick={() => store.toggle('across')}>
          {across ? 'turn back' : 'turn across'}
        </Button>
        <span className="flex-1" />
        {shown !== whole && (
          <Button look="quiet" className="h-5! px-1.5! text-xs!" onClick={() => setPart(null)}>
            all frames
          </Button>
        )}
      </h2>
      {draft && lanes.length > 0 && <CurveBar draft={draft} lanes={lanes} />}
      <div ref={holder} className="relative min-h-0 flex-1">
        <canvas
          ref={canvas}
          data-testid="sheet"
          data-first-start={span?.starts[drive]?.[0]}
          data-last-start={span?.starts[drive]?.at(-1)}
          data-columns={told.columns}
          data-grips={told.grips}
          tabIndex={0}
          role="slider"
          aria-label={`Sheet: playhead. ${across ? 'Left and right' : 'Up and down'} step frames, with Alt they move the chosen keys or the stagger, with Alt and Shift they stretch it. Plus and minus zoom`}
          aria-orientation={across ? 'horizontal' : 'vertical'}
          aria-valuemin={draft?.first ?? 0}
          aria-valuemax={draft?.last ?? 0}
          aria-valuenow={frame}
          className="absolute inset-0 h-full w-full touch-none outline-offset-[-3px]"
          style={{ cursor }}
          onPointerDown={press}
          onPointerMove={move}
          onPointerUp={release}
          onPointerCancel={release}
          onDoubleClick={twice}
          onKeyDown={keys}
        />
        {layout && range && (
          <div
            data-testid="range"
            className="pointer-events-none absolute rounded bg-moss"
            style={onScreen(
              across,
              32,
              frameToY(layout, Math.max(range[0], shown.first)) - layout.perFrame / 2,
              4,
              Math.max(
                0,
                (Math.min(range[1], shown.last) - Math.max(range[0], shown.first) + 1) * layout.perFrame,
              ),
            )}
          />
        )}
        {frameBox && (
          <div
            className="pointer-events-none absolute border border-moss bg-moss/15"
            style={onScreen(across, ...frameBox)}
          />
        )}
        {layout && inside && (
          <div
            className={`pointer-events-none absolute border-ink ${across ? 'inset-y-1 border-l-[1.5px]' : 'inset-x-1 border-t-[1.5px]'}`}
            style={across ? { left: y } : { top: y }}
          >
            <span
              className={`absolute rounded bg-ink px-1.5 font-semibold text-bark text-xs leading-4.5 ${across ? '-translate-x-1/2 top-0 left-0' : 'top-[-9px] left-0'}`}
            >
              {frame}
            </span>
          </div>
        )}
      </div>
      {/* As high whatever is chosen or to be told: what is under the hand on the sheet must not move. */}
      <div
        className={`flex shrink-0 flex-wrap content-center gap-x-3 gap-y-0.5 overflow-hidden border-t px-3 py-1 text-dim text-xs ${across ? 'h-9' : 'h-20'}`}
      >
        {count > 0 ? (
          <ChosenKeys chosen={chosen} />
        ) : (
          <>
            <span>
              <i className="mr-1 inline-block size-2.5 bg-moss" />
              <label>
                speed of{' '}
                <select
                  aria-label="Speed shown"
                  className="rounded border bg-panel text-ink"
                  value={shading}
                  onChange={(e) => store.shadeBy(e.target.value as keyof Speeds)}
                >
                  <option value="all">all</option>
                  <option value="place">place</option>
                  <option value="turn">turn</option>
                  <option value="size">size</option>
                </select>
              </label>
            </span>
            <span>
              <i className="mr-1 inline-block size-2.5 rounded-full border-2 border-key" />
              key
            </span>
            <span>▁ at rest</span>
            {draft?.spans.some((s) => s.away) && (
              <span>
                <i className="mr-1 inline-block h-2.5 w-1.5 bg-dim opacity-60" />
                pieces away
              </span>
            )}
            {touching && (
              <span>
                <i className="mr-1 inline-block h-2.5 w-1 bg-warn" />
                letters meet
                <Way onClick={() => store.arrange({ what: 'keep_apart' })}>keep apart</Way>
              </span>
            )}
            {leaving && <span>{across ? '▸ enters, ◂' : '▾ enters, ▴'} leaves the frame</span>}
            {sinking && (
              <span>
                <i className="mr-1 inline-block h-2.5 w-1 bg-warn" />
                left edge: in floor or wall
                <Way onClick={() => store.arrange({ what: 'clear_motion' })}>lift clear</Way>
              </span>
            )}
            {!touching && !leaving && !sinking && (
              <span>drag the diagonal; a start stretches it, Shift bends it, Alt pulls a letter off</span>
            )}
          </>
        )}
      </div>
    </section>
  );
}

/** What mends a contact, beside the word for it. */
function Way({ children, onClick }: { children: string; onClick: () => void }) {
  return (
    <Button look="quiet" className="ml-1 h-4! px-1! text-xs! underline" onClick={onClick}>
      {children}
    </Button>
  );
}

/** A box of the sheet as it stands on the screen. */
function onScreen(across: boolean, x: number, y: number, width: number, height: number) {
  return across ? { left: y, top: x, width: height, height: width } : { left: x, top: y, width, height };
}

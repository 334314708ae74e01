import { useEffect, useLayoutEffect, useMemo, useRef, useState } from 'react';
import { useShot, useShotStore } from '../context';
import { spanAt } from '../draft';
import type { ShotState, Step } from '../store';
import { setting } from '../values';
import { drawSheet, inkOf } from './draw';
import { dragged, frameToY, type Hit, hitAt, layOut, sameTimes, yToFrame } from './layout';

/** The drive whose diagonal the sheet shows: the chosen step if it is one that is on, else the first that is on. */
function driveOf(steps: Step[] | undefined, chosen: string): { index: number; id: string } {
  const on = (steps ?? [])
    .map((step, index) => ({ step, index }))
    .filter(({ step }) => step.kind === 'drive' && step.on !== false);
  const found = on.find(({ step }) => step.id === chosen) ?? on[0];
  return { index: found?.index ?? -1, id: found?.step.id ?? '' };
}

/** Its stagger, while it has no keys: with keys it is moved by them. */
function staggerOf(state: ShotState) {
  const { index } = driveOf(state.document?.steps, state.step);
  const step = state.document?.steps?.[index];
  if (step?.kind !== 'drive' || !step.reach) return null;
  const start = typeof step.reach.start === 'number' ? step.reach.start : null;
  const delay = typeof step.reach.delay === 'number' ? step.reach.delay : null;
  if (start === null || delay === null) return null;
  return { base: `/steps/${index}/reach`, start, delay, reverse: step.reach.order === 'reverse' };
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
  const lane = useShot((s) => s.lane);
  const drive = useShot((s) => driveOf(s.document?.steps, s.step).id);
  const holder = useRef<HTMLDivElement>(null);
  const canvas = useRef<HTMLCanvasElement>(null);
  const [size, setSize] = useState({ width: 320, height: 600 });
  const [cursor, setCursor] = useState('default');
  const [theme, setTheme] = useState(0);
  const drag = useRef<{
    hit: Hit;
    y: number;
    start: number;
    delay: number;
    rank: number;
    now: { start: number; delay: number };
  } | null>(null);

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
  const open = lane !== '' && draft?.keyed[lane] !== undefined;
  const layout = useMemo(
    () => (draft && span ? layOut(draft, span, size.width, size.height, open) : null),
    [draft, span, size, open],
  );

  // biome-ignore lint/correctness/useExhaustiveDependencies: the theme changes the ink
  useEffect(() => {
    // Kept in plain memory: lines and letters are quicker drawn there than the picture's own drawing is interrupted.
    const c = canvas.current?.getContext('2d', { willReadFrequently: true });
    if (!c || !layout || !draft || !document || !canvas.current) return;
    const ratio = window.devicePixelRatio || 1;
    const [width, height] = [Math.round(layout.width * ratio), Math.round(layout.height * ratio)];
    if (canvas.current.width !== width) canvas.current.width = width;
    if (canvas.current.height !== height) canvas.current.height = height;
    c.setTransform(ratio, 0, 0, ratio, 0, 0);
    drawSheet(c, layout, draft, document, inkOf(canvas.current), open ? lane : '', drive);
  }, [layout, draft, document, lane, open, drive, theme]);

  function place(e: React.PointerEvent) {
    const box = (canvas.current as HTMLCanvasElement).getBoundingClientRect();
    return { x: e.clientX - box.left, y: e.clientY - box.top };
  }

  function edits(next: { start: number; delay: number }) {
    const state = store.getState();
    const stagger = staggerOf(state);
    if (!stagger) return [];
    return [
      ...(next.start === stagger.start
        ? []
        : setting(state.document, `${stagger.base}/start`, state.frame, next.start)),
      ...(next.delay === stagger.delay
        ? []
        : setting(state.document, `${stagger.base}/delay`, state.frame, next.delay)),
    ];
  }

  function press(e: React.PointerEvent) {
    if (!layout || !span) return;
    e.currentTarget.setPointerCapture(e.pointerId);
    const { x, y } = place(e);
    const stagger = staggerOf(store.getState());
    let hit: Hit = hitAt(layout, span, drive, x, y);
    if (!stagger) hit = { kind: 'playhead' };
    const letter = hit.kind === 'playhead' ? 0 : hit.letter;
    const rank = stagger?.reverse ? span.letters.length - 1 - letter : letter;
    const start = stagger?.start ?? 0;
    const delay = stagger?.delay ?? 0;
    drag.current = { hit, y, start, delay, rank, now: { start, delay } };
    if (hit.kind === 'playhead') store.seek(yToFrame(layout, y));
  }

  function move(e: React.PointerEvent) {
    if (!layout || !span) return;
    const { x, y } = place(e);
    const d = drag.current;
    if (!d) {
      const hit = hitAt(layout, span, drive, x, y);
      setCursor(hit.kind === 'playhead' ? 'default' : hit.kind === 'mark' ? 'row-resize' : 'grab');
      return;
    }
    if (d.hit.kind === 'playhead') {
      store.seek(yToFrame(layout, y));
      return;
    }
    const next = dragged(d.hit, d.rank, d.start, d.delay, (y - d.y) / layout.perFrame);
    if (next.start !== d.now.start || next.delay !== d.now.delay) {
      d.now = next;
      store.preview(edits(next));
    }
  }

  function release() {
    const d = drag.current;
    drag.current = null;
    if (d && d.hit.kind !== 'playhead') {
      const patch = edits(d.now);
      if (patch.length)
        store.edit(patch, d.now.delay === d.delay ? 'move the stagger' : 'stretch the stagger');
      else store.settle();
    }
  }

  function keys(e: React.KeyboardEvent) {
    const by = { ArrowUp: -1, ArrowDown: 1 }[e.key];
    if (!by) return;
    e.preventDefault();
    e.stopPropagation();
    const stagger = staggerOf(store.getState());
    if (!e.altKey) store.seek(store.getState().frame + by * (e.shiftKey ? 10 : 1));
    else if (stagger && e.shiftKey)
      store.edit(edits({ start: stagger.start, delay: stagger.delay + by * 0.25 }), 'stretch the stagger');
    else if (stagger)
      store.edit(edits({ start: stagger.start + by, delay: stagger.delay }), 'move the stagger');
  }

  const y = layout ? frameToY(layout, frame) : 0;
  return (
    <section aria-label="Sheet" className="flex min-h-0 flex-col border-l bg-panel">
      <h2 className="flex px-3 pt-2.5 pb-1.5 text-dim text-xs">Sheet, frames run down</h2>
      <div ref={holder} className="relative min-h-0 flex-1">
        <canvas
          ref={canvas}
          data-testid="sheet"
          data-first-start={span?.starts[drive]?.[0]}
          data-last-start={span?.starts[drive]?.at(-1)}
          tabIndex={0}
          role="slider"
          aria-label="Sheet: playhead. Up and down step frames, with Alt they move the stagger, with Alt and Shift they stretch it"
          aria-orientation="vertical"
          aria-valuemin={draft?.first ?? 0}
          aria-valuemax={draft?.last ?? 0}
          aria-valuenow={frame}
          className="absolute inset-0 h-full w-full touch-none outline-offset-[-3px]"
          style={{ cursor }}
          onPointerDown={press}
          onPointerMove={move}
          onPointerUp={release}
          onPointerCancel={release}
          onKeyDown={keys}
        />
        {layout && (
          <div
            className="pointer-events-none absolute inset-x-1 border-ink border-t-[1.5px]"
            style={{ top: y }}
          >
            <span className="absolute top-[-9px] left-0 rounded bg-ink px-1.5 font-semibold text-bark text-xs leading-4.5">
              {frame}
            </span>
          </div>
        )}
      </div>
      <div className="flex flex-wrap gap-x-3 gap-y-0.5 border-t px-3 py-1.5 text-dim text-xs">
        <span>
          <i className="mr-1 inline-block size-2.5 bg-moss" />
          speed
        </span>
        <span>
          <i className="mr-1 inline-block size-2.5 rounded-full border-2 border-key" />
          key
        </span>
        <span>▁ at rest</span>
        <span>drag the diagonal to move it, a start to stretch it</span>
      </div>
    </section>
  );
}

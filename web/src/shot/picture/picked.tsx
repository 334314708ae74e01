import { useRef, useState } from 'react';
import { useShot, useShotStore } from '../context';
import { overriding, ownValue, runsOf } from '../desk/overrides';
import { spanAt } from '../draft';
import type { Operation } from '../values';
import type { Overlay } from './overlay';

const CLICK = 4;
const ADD = 'shiftKey';

type Held =
  | { kind: 'frame'; x: number; y: number; add: boolean }
  | { kind: 'move'; x: number; y: number; moved: boolean }
  | null;

/** Letters picked in the picture: clicked, framed by a drag, moved by dragging them. Alt keeps a move sideways. */
export function Picked({ picking, size, shown }: Overlay) {
  const store = useShotStore();
  const picked = useShot((s) => s.picked);
  const view = useShot((s) => s.view);
  const playing = useShot((s) => s.playing);
  const held = useRef<Held>(null);
  const [frame, setFrame] = useState<[number, number, number, number] | null>(null);
  const pending = useRef<Operation[]>([]);
  const place = (e: { clientX: number; clientY: number; currentTarget: Element }): [number, number] => {
    const box = e.currentTarget.getBoundingClientRect();
    return [(e.clientX - box.left) / box.width, (e.clientY - box.top) / box.height];
  };

  /** The shift that carries the picked letters by so many shares of the picture, in cap heights of their block. */
  const shifting = (dx: number, dy: number): Operation[] => {
    const { document, draft, frame: at, picked: letters } = store.getState();
    const span = draft && spanAt(draft, at);
    if (!document || !span) return [];
    const runs = runsOf(document, draft, at, letters);
    return overriding(document, runs, 'shift', (run) => {
      const letter = run.letters[0] as number;
      const corners = picking.outline(letter);
      const box = span.letters[letter]?.box;
      const block = span.blocks[span.letters[letter]?.block ?? 0];
      const old = ownValue(document, run, 'shift', [0, 0, 0]) as number[];
      if (!corners || !box || !block) return old;
      const across = Math.hypot(
        ((corners[1] as number[])[0] as number) - ((corners[0] as number[])[0] as number),
        ((((corners[1] as number[])[1] as number) - ((corners[0] as number[])[1] as number)) * size.height) /
          size.width,
      );
      const metres = (box[2] - box[0]) / Math.max(across, 1e-6);
      const by = [(dx * metres) / block.size, (-dy * metres * size.height) / size.width / block.size, 0];
      return old.map((v, i) => Number((v + (by[i] as number)).toFixed(4)));
    });
  };

  const walk = view !== 'shot';
  return (
    <svg
      data-testid="picked"
      className="absolute inset-0 h-full w-full"
      // While one walks around, drags belong to the camera and only the outlines are drawn.
      style={{ pointerEvents: walk || playing ? 'none' : 'auto', touchAction: 'none' }}
      viewBox={`0 0 ${size.width} ${size.height}`}
      data-shown={shown}
      onPointerDown={(e) => {
        if (e.button !== 0) return;
        e.currentTarget.setPointerCapture(e.pointerId);
        const [x, y] = place(e);
        const letter = picking.letterAt(x, y);
        if (letter >= 0 && picked.includes(letter) && !e[ADD])
          held.current = { kind: 'move', x, y, moved: false };
        else held.current = { kind: 'frame', x, y, add: e[ADD] };
      }}
      onPointerMove={(e) => {
        const h = held.current;
        if (!h) return;
        const [x, y] = place(e);
        const far = Math.hypot((x - h.x) * size.width, (y - h.y) * size.height) > CLICK;
        if (h.kind === 'frame') {
          if (far) setFrame([Math.min(x, h.x), Math.min(y, h.y), Math.max(x, h.x), Math.max(y, h.y)]);
        } else if (far || h.moved) {
          h.moved = true;
          pending.current = shifting(x - h.x, e.altKey ? 0 : y - h.y);
          store.preview(pending.current);
        }
      }}
      onPointerUp={(e) => {
        const h = held.current;
        held.current = null;
        if (!h) return;
        if (h.kind === 'move') {
          if (h.moved && pending.current.length) store.edit(pending.current, 'move letters');
          pending.current = [];
          return;
        }
        const [x, y] = place(e);
        const letter = picking.letterAt(x, y);
        const found = frame ? picking.lettersWithin(...frame) : letter >= 0 ? [letter] : [];
        setFrame(null);
        const { document, draft, frame: at } = store.getState();
        if (h.add && !frame && letter >= 0 && picked.includes(letter))
          store.pick(picked.filter((k) => k !== letter));
        else store.pick(h.add ? [...new Set([...picked, ...found])] : found);
        const span = draft && spanAt(draft, at);
        const block = span?.letters[found[0] ?? -1]?.block;
        const step = block === undefined ? '' : span?.blocks[block]?.step;
        if (step && document?.steps?.some((s) => s.id === step)) store.selectStep(step);
      }}
    >
      <title>Letters of the title: click or frame them to pick, drag to move</title>
      {picked.map((k) => {
        const corners = picking.outline(k);
        return (
          corners && (
            <polygon
              key={k}
              points={corners.map(([x, y]) => `${x * size.width},${y * size.height}`).join(' ')}
              fill="none"
              stroke="#e6ad4e"
              strokeWidth="1.5"
              strokeDasharray="5 3"
            />
          )
        );
      })}
      {frame && (
        <rect
          x={frame[0] * size.width}
          y={frame[1] * size.height}
          width={(frame[2] - frame[0]) * size.width}
          height={(frame[3] - frame[1]) * size.height}
          fill="#e6ad4e22"
          stroke="#e6ad4e"
        />
      )}
    </svg>
  );
}

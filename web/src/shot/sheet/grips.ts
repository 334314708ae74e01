import type { Draft } from '../draft';
import type { Shot } from '../open/state';
import { at, isKeyed, type Keyed, type Operation } from '../values';
import { frameToY, type Lane, type SheetLayout, valueToX, xToValue } from './layout';

/** What can be taken hold of on the sheet besides the stagger: rings of keys in columns and lanes, handles of eases. */
export type Grip =
  | { kind: 'rings'; keys: Chosen; x: number; y: number }
  | { kind: 'ring'; lane: Lane; index: number; part: number; frame: number; x: number; y: number }
  | {
      kind: 'handle';
      lane: Lane;
      index: number; // of the key that the ease begins at
      part: number;
      side: 'leave' | 'arrive';
      x: number;
      y: number;
    };

/** Chosen keys: frames by the path of their value. */
export type Chosen = Record<string, number[]>;

const REACH = 7;

export const isChosen = (chosen: Chosen, path: string, frame: number) =>
  chosen[path]?.includes(frame) ?? false;
export const countChosen = (chosen: Chosen) => Object.values(chosen).reduce((sum, f) => sum + f.length, 0);

/** Two choices together; what both have is taken out, so that a second press lets go. */
export function joined(a: Chosen, b: Chosen): Chosen {
  const all = { ...a };
  for (const [path, frames] of Object.entries(b)) {
    const old = all[path] ?? [];
    const both = frames.every((f) => old.includes(f));
    const next = both ? old.filter((f) => !frames.includes(f)) : [...new Set([...old, ...frames])];
    if (next.length) all[path] = next.sort((x, y) => x - y);
    else delete all[path];
  }
  return all;
}

/** The keys of steps of some kinds, by frame. */
export function keysOf(document: Shot, draft: Draft, kinds: string[]): Map<number, Chosen> {
  const found = new Map<number, Chosen>();
  for (const path of Object.keys(draft.keyed)) {
    const step = document.steps?.[Number(path.split('/')[2])];
    const value = at(document, path);
    if (!step || !kinds.includes(step.kind) || !isKeyed(value)) continue;
    for (const { frame } of value.keys) {
      const here = found.get(frame) ?? {};
      here[path] = [frame];
      found.set(frame, here);
    }
  }
  return found;
}

const rows = (value: unknown) => (Array.isArray(value) ? (value as number[]) : [value as number]);

/** Everything that can be taken hold of, the smallest last. */
export function grips(l: SheetLayout, document: Shot, draft: Draft, chosen: Chosen): Grip[] {
  const found: Grip[] = [];
  for (const column of l.columns) {
    if (column.letter >= 0) continue;
    for (const [frame, keys] of keysOf(document, draft, column.kinds)) {
      if (frame < l.first || frame > l.last) continue;
      found.push({ kind: 'rings', keys, x: column.x + column.width / 2, y: frameToY(l, frame) });
    }
  }
  for (const lane of l.lanes) {
    const value = at(document, lane.path);
    if (!isKeyed(value) || typeof rows(value.keys[0]?.value)[0] !== 'number') continue;
    value.keys.forEach((key, index) => {
      rows(key.value).forEach((v, part) => {
        if (lane.part !== null && part !== lane.part) return;
        found.push({
          kind: 'ring',
          lane,
          index,
          part,
          frame: key.frame,
          x: valueToX(lane, v),
          y: frameToY(l, key.frame),
        });
      });
    });
    found.push(...handlesOf(l, lane, value, chosen));
  }
  return found;
}

/** The handles of the ways next to chosen keys. */
function handlesOf(l: SheetLayout, lane: Lane, value: Keyed, chosen: Chosen): Grip[] {
  const found: Grip[] = [];
  for (let index = 0; index + 1 < value.keys.length; index++) {
    const [from, to] = [value.keys[index], value.keys[index + 1]];
    if (!from || !to || from.hold) continue;
    const near = isChosen(chosen, lane.path, from.frame) || isChosen(chosen, lane.path, to.frame);
    if (!near && value.keys.length > 3) continue;
    rows(from.value).forEach((v, part) => {
      const change = (rows(to.value)[part] ?? 0) - v;
      if (Math.abs(change) < 1e-9 || (lane.part !== null && part !== lane.part)) return;
      for (const side of ['leave', 'arrive'] as const) {
        if ((side === 'leave' ? from : to).smooth) continue;
        const [time, share] = from.ease[side] ?? [0.5, 0.5];
        found.push({
          kind: 'handle',
          lane,
          index,
          part,
          side,
          x: valueToX(lane, v + share * change),
          y: frameToY(l, from.frame + time * (to.frame - from.frame)),
        });
      }
    });
  }
  return found;
}

/** The grip under a point; of several the one drawn last. */
export function gripAt(all: Grip[], x: number, y: number): Grip | null {
  let best: Grip | null = null;
  let nearest = REACH;
  for (const grip of all) {
    const away = Math.hypot(grip.x - x, grip.y - y);
    if (away <= nearest) {
      best = grip;
      nearest = away;
    }
  }
  return best;
}

/** Keys whose rings lie in a rectangle. */
export function within(all: Grip[], x0: number, y0: number, x1: number, y1: number): Chosen {
  let found: Chosen = {};
  for (const grip of all) {
    if (grip.x < x0 || grip.x > x1 || grip.y < y0 || grip.y > y1) continue;
    const keys =
      grip.kind === 'rings' ? grip.keys : grip.kind === 'ring' ? { [grip.lane.path]: [grip.frame] } : null;
    if (!keys) continue;
    for (const [path, frames] of Object.entries(keys))
      found = { ...found, [path]: [...new Set([...(found[path] ?? []), ...frames])] };
  }
  return found;
}

const tidy = (v: number, decimals: number) => Number(v.toFixed(decimals));

/** The edit for a handle that was dragged to a point. */
export function handleEdit(
  l: SheetLayout,
  document: Shot,
  grip: Extract<Grip, { kind: 'handle' }>,
  x: number,
  y: number,
): Operation[] {
  const value = at(document, grip.lane.path) as Keyed;
  const [from, to] = [value.keys[grip.index], value.keys[grip.index + 1]];
  if (!from || !to) return [];
  const frame = (y - l.top) / l.perFrame + l.first - 0.5;
  const time = Math.min(1, Math.max(0, (frame - from.frame) / (to.frame - from.frame)));
  const start = rows(from.value)[grip.part] ?? 0;
  const change = (rows(to.value)[grip.part] ?? 0) - start;
  const share = Math.min(10, Math.max(-10, (xToValue(grip.lane, x) - start) / change));
  const ease = { ...from.ease, [grip.side]: [tidy(time, 3), tidy(share, 3)] };
  return [{ op: 'replace', path: `${grip.lane.path}/keys/${grip.index}/ease`, value: ease }];
}

/** The edit for a key of a lane that was dragged by some pixels: its frame between its neighbours, and its value. */
export function ringEdit(
  l: SheetLayout,
  document: Shot,
  grip: Extract<Grip, { kind: 'ring' }>,
  dx: number,
  dy: number,
  decimals = 3,
): Operation[] {
  const { lane, index, part } = grip;
  const value = at(document, lane.path) as Keyed;
  const key = value.keys[index];
  if (!key) return [];
  const low = (value.keys[index - 1]?.frame ?? -1e6) + 1;
  const high = (value.keys[index + 1]?.frame ?? 1e6) - 1;
  const frame = Math.min(high, Math.max(low, Math.round(key.frame + dy / l.perFrame)));
  const per = (lane.to - lane.from) / (lane.width - 16);
  const old = rows(key.value)[part] ?? 0;
  // A small sideways drift of the hand while a key is moved in time leaves its value alone.
  const next = Math.abs(dx) < 4 ? old : tidy(old + dx * per, decimals);
  const whole = Array.isArray(key.value) ? key.value.map((v, k) => (k === part ? next : v)) : next;
  const path = `${lane.path}/keys/${index}`;
  return [
    ...(frame === key.frame ? [] : [{ op: 'replace', path: `${path}/frame`, value: frame } as Operation]),
    ...(next === old ? [] : [{ op: 'replace', path: `${path}/value`, value: whole } as Operation]),
  ];
}

/** The edit that takes the chosen keys away; a value that loses all of them stays as it is now. */
export function removal(document: Shot, chosen: Chosen, now: (path: string) => unknown): Operation[] {
  return Object.entries(chosen).flatMap(([path, frames]): Operation[] => {
    const value = at(document, path);
    if (!isKeyed(value)) return [];
    if (value.keys.every((k) => frames.includes(k.frame))) return [{ op: 'replace', path, value: now(path) }];
    return value.keys
      .map((key, k) => ({ key, k }))
      .filter(({ key }) => frames.includes(key.frame))
      .reverse()
      .map(({ k }) => ({ op: 'remove', path: `${path}/keys/${k}` }) as Operation);
  });
}

/** Chosen keys as many frames later. */
export function shifted(chosen: Chosen, by: number): Chosen {
  return Object.fromEntries(
    Object.entries(chosen).map(([path, frames]) => [path, frames.map((f) => f + by)]),
  );
}

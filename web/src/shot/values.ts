import type { Schemas } from '../api/client';
import type { Draft } from './draft';

export type Ease = Schemas['Ease'];
export interface Key<T = unknown> {
  frame: number;
  value: T;
  ease: Ease;
  hold: boolean;
  press?: number;
  smooth?: boolean;
}
export interface Keyed<T = unknown> {
  keys: Key<T>[];
  before: string;
  after: string;
  exposed?: number;
  spread?: number;
}
export interface Formula {
  formula: string;
}
export interface Link {
  link: string;
  factor?: number;
  offset?: number;
}
export type Operation = {
  op: 'add' | 'replace' | 'remove' | 'move';
  path: string;
  value?: unknown;
  from?: string;
};

export const SMOOTH: Ease = { leave: [0.4, 0], arrive: [0.35, 1] };

/** Names for eases that people ask for; the handles themselves are what is stored. */
export const EASES: { name: string; ease: Ease }[] = [
  { name: 'smooth', ease: SMOOTH },
  { name: 'straight', ease: { leave: [1 / 3, 1 / 3], arrive: [2 / 3, 2 / 3] } },
  { name: 'slow start', ease: { leave: [0.6, 0], arrive: [0.8, 0.7] } },
  { name: 'slow end', ease: { leave: [0.16, 0.55], arrive: [0.3, 1] } },
  { name: 'past and back', ease: { leave: [0.3, 0.3], arrive: [0.4, 1.45] } },
];

export function easeName(ease: Ease): string {
  const same = (a: number[], b: number[]) => a.every((x, i) => Math.abs(x - (b[i] ?? 0)) < 1e-3);
  return EASES.find((e) => same(e.ease.leave, ease.leave) && same(e.ease.arrive, ease.arrive))?.name ?? 'own';
}

export function isKeyed(value: unknown): value is Keyed {
  // Not `'keys' in value`: every array has a method of that name.
  return typeof value === 'object' && value !== null && Array.isArray((value as Keyed).keys);
}

export const isFormula = (value: unknown): value is Formula =>
  typeof value === 'object' && value !== null && typeof (value as Formula).formula === 'string';
export const isLink = (value: unknown): value is Link =>
  typeof value === 'object' && value !== null && typeof (value as Link).link === 'string';
/** Is it worked out anew at each frame: by keys, a formula or a link? */
export const isMoving = (value: unknown) => isKeyed(value) || isFormula(value) || isLink(value);

/** The name of a value for links and formulas: the id of its step, then the members that lead to it. */
export function nameOf(document: { steps?: { id: string }[] } | null, path: string): string {
  const [, , index, ...rest] = path.split('/');
  return [document?.steps?.[Number(index)]?.id ?? '', ...rest].join('/');
}

/** The value at a JSON pointer. */
export function at(document: unknown, path: string): unknown {
  return path
    .split('/')
    .slice(1)
    .reduce<unknown>((node, part) => (node as Record<string, unknown> | undefined)?.[part], document);
}

/** What a value is at the playhead: as the core worked it out where it has keys. */
export function now(
  { document, draft, frame }: { document: unknown; draft: Draft | null; frame: number },
  path: string,
): unknown {
  const stored = at(document, path);
  if (!isMoving(stored)) return stored;
  const first = isKeyed(stored) ? stored.keys[0]?.value : undefined;
  return draft?.keyed[path]?.[frame - draft.first] ?? first;
}

/** The patch that makes a value be `value` at a frame: a key there when it has keys, the constant otherwise. */
export function setting(document: unknown, path: string, frame: number, value: unknown): Operation[] {
  const now = at(document, path);
  // A member of a dictionary, such as a variable axis, may not be there yet.
  if (!isKeyed(now)) return [{ op: now === undefined || now === null ? 'add' : 'replace', path, value }];
  const index = now.keys.findIndex((k) => k.frame === frame);
  if (index >= 0) return [{ op: 'replace', path: `${path}/keys/${index}/value`, value }];
  const after = now.keys.findIndex((k) => k.frame > frame);
  const place = after < 0 ? now.keys.length : after;
  const ease = now.keys[Math.max(0, place - 1)]?.ease ?? SMOOTH;
  return [{ op: 'add', path: `${path}/keys/${place}`, value: { frame, value, ease, hold: false } }];
}

/** The patch for a press on a value's key mark: sets a key, takes the one at this frame away, or starts keying. */
export function keying(document: unknown, path: string, frame: number, shown: unknown): Operation[] {
  const now = at(document, path);
  if (!isKeyed(now)) {
    const key = { frame, value: isMoving(now) ? shown : (now ?? shown), ease: SMOOTH, hold: false };
    return [
      {
        op: now === undefined ? 'add' : 'replace',
        path,
        value: { keys: [key], before: 'hold', after: 'hold' },
      },
    ];
  }
  const index = now.keys.findIndex((k) => k.frame === frame);
  if (index < 0) return setting(document, path, frame, shown);
  if (now.keys.length === 1) return [{ op: 'replace', path, value: now.keys[0]?.value }];
  return [{ op: 'remove', path: `${path}/keys/${index}` }];
}

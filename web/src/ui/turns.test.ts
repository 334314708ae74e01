import { describe, expect, it } from 'vitest';
import { Turns } from './turns';

describe('turns', () => {
  const three = () => {
    const turns = new Turns(2);
    const begun: string[] = [];
    const ends = ['a', 'b', 'c'].map((name) => turns.take(() => begun.push(name)));
    return { turns, begun, ends };
  };

  it('begin in order, so many at a time', () => {
    const { begun, ends } = three();
    expect(begun).toEqual(['a', 'b']);
    ends[1]?.();
    expect(begun).toEqual(['a', 'b', 'c']);
  });

  it('come first where asked to', () => {
    const { turns, begun, ends } = three();
    turns.take(() => begun.push('large'), true);
    ends[0]?.();
    expect(begun).toEqual(['a', 'b', 'large']);
  });

  it('are given up while they wait, and given back once', () => {
    const { turns, begun, ends } = three();
    ends[2]?.();
    ends[0]?.();
    ends[0]?.();
    for (const name of ['d', 'e']) turns.take(() => begun.push(name));
    expect(begun).toEqual(['a', 'b', 'd']);
  });
});

import { useState } from 'react';
import type { Schemas } from '../../api/client';
import { FACTS } from '../../api/facts';
import { inputLook } from '../../ui/controls';
import { useShot, useShotStore } from '../context';
import { stepTitle } from '../recipe/steps';

type Order = Schemas['Arrangement'];
const SIDES: [NonNullable<Order['side']>, string][] = [
  ['left', 'left'],
  ['centre', 'centre'],
  ['right', 'right'],
  ['top', 'top'],
  ['middle', 'middle'],
  ['bottom', 'bottom'],
];
const AREAS: [NonNullable<Order['to']>, string][] = [
  ['frame', 'the frame'],
  ['action_safe', 'action safe'],
  ['title_safe', 'title safe'],
  ['blocks', 'the other blocks'],
];
const look = 'h-7 rounded-md border bg-raised px-2 text-sm hover:bg-moss-deep';

const amount = (unit: string, label: string, value: string, change: (value: string) => void) => (
  <>
    <span className="ml-2 text-dim">{unit}</span>
    <input
      aria-label={label}
      className={`${inputLook} w-14!`}
      inputMode="decimal"
      value={value}
      onChange={(e) => change(e.target.value)}
    />
  </>
);

/** Put a block in its place: the core works out where that is. */
export function Arrange({ step }: { step: string }) {
  const store = useShotStore();
  const blocks = useShot((s) => s.document?.steps?.filter((x) => FACTS[x.kind].letters).length);
  const staged = useShot((s) => s.document?.steps?.some((x) => x.kind === 'stage'));
  const [to, setTo] = useState<NonNullable<Order['to']>>('frame');
  const [share, setShare] = useState('80');
  const [angle, setAngle] = useState('12');
  return (
    <div className="col-span-full mt-1 flex flex-wrap items-center gap-1.5 border-t pt-2 text-sm">
      <span className="text-dim">align with</span>
      <select
        aria-label="Align with"
        className={`${inputLook} w-36!`}
        value={to}
        onChange={(e) => setTo(e.target.value as NonNullable<Order['to']>)}
      >
        {AREAS.map(([id, name]) => (
          <option key={id} value={id} disabled={id === 'blocks' && (blocks ?? 0) < 2}>
            {name}
          </option>
        ))}
      </select>
      {SIDES.map(([side, name]) => (
        <button
          key={side}
          type="button"
          className={look}
          onClick={() => store.arrange({ what: 'align', step, side, to })}
        >
          {name}
        </button>
      ))}
      {amount('width, % of the frame', "Share of the frame's width, in hundredths", share, setShare)}
      <button
        type="button"
        className={look}
        onClick={() => store.arrange({ what: 'fit_width', step, share: Number(share) / 100 })}
      >
        fit
      </button>
      {staged && (
        <>
          <button type="button" className={look} onClick={() => store.arrange({ what: 'stand', step })}>
            stand on the stage
          </button>
          <button type="button" className={look} onClick={() => store.arrange({ what: 'hang', step })}>
            hang on the wall
          </button>
          {amount('back, °', 'Lean back, degrees', angle, setAngle)}
          <button
            type="button"
            className={look}
            onClick={() => store.arrange({ what: 'lean', step, angle: Number(angle) })}
          >
            lean on the wall
          </button>
          <button type="button" className={look} onClick={() => store.arrange({ what: 'clear_rest' })}>
            clear of floor and wall
          </button>
        </>
      )}
      {(blocks ?? 0) > 2 && (
        <button type="button" className={look} onClick={() => store.arrange({ what: 'space_evenly' })}>
          space all blocks evenly
        </button>
      )}
    </div>
  );
}

/** Blocks whose lines run around a drum: the stage can be a globe inside of each. */
export function Rings() {
  const store = useShotStore();
  const steps = useShot((s) => s.document?.steps);
  const rings = (steps ?? []).filter((s) => s.kind === 'block' && s.baseline?.kind === 'drum');
  if (!rings.length) return null;
  return (
    <div className="col-span-full flex flex-wrap items-center gap-1.5 text-sm">
      <span className="text-dim">a globe</span>
      {rings.map((ring) => (
        <button
          key={ring.id}
          type="button"
          className={look}
          onClick={() => store.arrange({ what: 'inside_ring', step: ring.id })}
        >
          inside the ring of {stepTitle(ring)}
        </button>
      ))}
    </div>
  );
}

import type { Schemas } from '../../api/client';
import { useShot, useShotStore } from '../context';
import type { Step } from '../open/state';
import { OnlyBlocks } from './some';

type Lights = Extract<Step, { kind: 'lights' }>;
type Kit = NonNullable<Schemas['Lighting']['kit']>;
type Effect = NonNullable<Schemas['Lighting']['effect']>;

/** Several lights at once, by their names and what they do. */
export const KITS: [Kit, string, string][] = [
  ['key_and_fill', 'Key and fill', 'a warm key from the upper left, a cool fill'],
  ['key_and_rim', 'Key and rim', 'edges drawn in cool light from behind'],
  ['soft_front', 'Soft front', 'one large source, calm shadows'],
  ['footlights', 'Footlights', 'a warm row at the foot of the letters'],
  ['through_window', 'Through a window', 'three narrow panes from the side'],
  ['low_sun', 'Low sun', 'hard, long shadows over wall and floor'],
  ['top_light', 'Top light', 'from straight above'],
  ['side_pair', 'Side pair', 'a cool and a warm strip'],
  ['stacked', 'Stacked shadows', 'one shadow in five widths, for flat styles'],
  ['glow_only', 'Glow only', 'no lights: what glows lights the rest'],
];

const EFFECTS: [Effect, string][] = [
  ['highlight', 'highlight here'],
  ['edge', 'edge glows here'],
  ['shadow', 'shadow falls there'],
];

const look = 'rounded-md border bg-raised px-2 text-left text-sm hover:bg-moss-deep';

/** Several lights at once, placed around the title by the core, and one more by hand. */
export function LightKits({ step, index }: { step: Lights; index: number }) {
  const store = useShotStore();
  return (
    <div className="col-span-full">
      <ul aria-label="Kits of lights" className="grid grid-cols-3 gap-1.5">
        {KITS.map(([kit, name, about]) => (
          <li key={kit}>
            <button type="button" className={`${look} w-full py-1`} onClick={() => store.light({ kit })}>
              <span className="block">{name}</span>
              <span className="block truncate text-dim text-xs">{about}</span>
            </button>
          </li>
        ))}
      </ul>
      <button
        type="button"
        className={`${look} mt-2 h-7`}
        disabled={(step.lights?.length ?? 0) >= 16}
        onClick={() =>
          store.edit(
            [
              {
                op: 'add',
                path: `/steps/${index}/lights/-`,
                value: { name: `light ${(step.lights?.length ?? 0) + 1}` },
              },
            ],
            'add a light',
          )
        }
      >
        add one light
      </button>
    </div>
  );
}

/** Put a light by pointing at its effect in the picture; or take the light away. */
export function PointLight({ step, index, light }: { step: Lights; index: number; light: number }) {
  const store = useShotStore();
  const pointing = useShot((s) => s.pointing);
  return (
    <div className="col-span-full flex flex-wrap items-center gap-1.5 text-sm">
      <span className="text-dim">point in the picture:</span>
      {EFFECTS.map(([effect, name]) => {
        const held = pointing?.step === step.id && pointing.light === light && pointing.effect === effect;
        return (
          <button
            key={effect}
            type="button"
            aria-pressed={held}
            className={`${look} h-7 ${held ? 'border-moss bg-moss-deep' : ''}`}
            onClick={() => store.point(held ? null : { step: step.id, light, effect })}
          >
            {name}
          </button>
        );
      })}
      <span className="flex-1" />
      <button
        type="button"
        className="text-dim text-xs underline hover:text-ink"
        onClick={() =>
          store.edit(
            [{ op: 'remove', path: `/steps/${index}/lights/${light}` }],
            `remove ${step.lights?.[light]?.name}`,
          )
        }
      >
        remove this light
      </button>
      <OnlyBlocks
        only={step.lights?.[light]?.only ?? []}
        says="Shines on"
        onPut={(value) =>
          store.edit(
            [{ op: 'replace', path: `/steps/${index}/lights/${light}/only`, value }],
            'what a light shines on',
          )
        }
      />
    </div>
  );
}

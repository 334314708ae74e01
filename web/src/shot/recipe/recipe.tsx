import {
  Bomb,
  Camera,
  CircleDashed,
  CircleDot,
  Cylinder,
  Dices,
  Globe,
  Grid2x2,
  Group,
  Layers,
  Lightbulb,
  Power,
  Puzzle,
  Rainbow,
  Repeat2,
  Replace,
  Scroll,
  Shapes,
  Signature,
  Spline,
  Sun,
  Tornado,
  Type,
  Vibrate,
  Waves,
  WavesLadder,
  Wind,
} from 'lucide-react';
import { DropdownMenu } from 'radix-ui';
import { type ComponentType, useState } from 'react';
import { FACTS } from '../../api/facts';
import { Hint } from '../../ui/controls';
import { useShot, useShotStore } from '../context';
import { EmblemDialog } from '../desk/assets';
import type { Step } from '../open/state';
import type { ShotStore } from '../store';
import { addStep } from './adding';
import { addable, stepAbout, stepTitle, WORKS, workOf } from './steps';

const ICON: Record<Step['kind'], ComponentType<{ size?: number }>> = {
  block: Type,
  emblem: Shapes,
  form: Layers,
  drive: Wind,
  follow: Spline,
  drum: Cylinder,
  swap: Repeat2,
  shiver: Vibrate,
  grow: Signature,
  bend: Rainbow,
  curl: Scroll,
  twist: Tornado,
  wave: Waves,
  wrap: Globe,
  ripple: WavesLadder,
  blast: Bomb,
  inflate: CircleDashed,
  pieces: Puzzle,
  bodies: Dices,
  become: Replace,
  group: Group,
  material: CircleDot,
  environment: Sun,
  lights: Lightbulb,
  stage: Grid2x2,
  camera: Camera,
};

/** Move a step up or down: the order is the order of computation. */
export function moveStep(store: ShotStore, index: number, by: number) {
  const steps = store.getState().document?.steps ?? [];
  const to = index + by;
  if (to < 0 || to >= steps.length) return;
  store.edit([{ op: 'move', from: `/steps/${index}`, path: `/steps/${to}` }], 'move a step');
}

/** The steps of the shot, in the order in which they are computed. */
export function Recipe() {
  const store = useShotStore();
  const document = useShot((s) => s.document);
  const chosen = useShot((s) => s.step);
  const work = useShot((s) => s.work);
  const draft = useShot((s) => s.draft);
  const triangles = useShot((s) => s.triangles);
  const steps = document?.steps ?? [];
  const above = (index: number) =>
    steps.slice(0, index).reduce((sum, { id }) => sum + (triangles[id] ?? 0), 0);
  const shown = steps
    .map((step, index) => ({ step, index }))
    .filter(({ step }) => work === 'all' || workOf(step) === work);
  return (
    <nav aria-label="Recipe" className="flex min-h-0 flex-1 flex-col border-r bg-panel">
      <h2 className="px-3 pt-2.5 pb-1.5 text-dim text-xs">Recipe, computed from top to bottom</h2>
      <div role="group" aria-label="Kinds of work" className="flex flex-wrap gap-1 px-3 pb-2">
        {WORKS.map((s) => (
          <button
            key={s}
            type="button"
            aria-pressed={work === s}
            onClick={() => store.setWork(s)}
            className={`rounded-full border px-2 py-0.5 text-xs ${work === s ? 'border-moss text-ink' : 'border-transparent text-dim hover:text-ink'}`}
          >
            {s}
          </button>
        ))}
      </div>
      <ol className="min-h-0 flex-1 overflow-y-auto pb-3">
        {shown.map(({ step, index }) => {
          const Icon = ICON[step.kind];
          const keyed = Object.keys(draft?.keyed ?? {}).some((p) => p.startsWith(`/steps/${index}/`));
          const warned = draft?.notes.some((n) => n.step === step.id);
          const off = step.on === false;
          return (
            <li
              key={step.id}
              className={`flex items-center border-l-3 ${chosen === step.id ? 'border-moss bg-moss-deep' : 'border-transparent'} ${off ? 'italic' : ''}`}
            >
              <button
                type="button"
                aria-current={chosen === step.id ? 'step' : undefined}
                className="grid min-w-0 flex-1 grid-cols-[16px_1fr_auto] items-center gap-2 py-1.5 pr-1 pl-2.5 text-left outline-offset-[-2px]"
                title="up and down choose, with Alt they move this step"
                onClick={() => store.selectStep(step.id)}
                data-step={step.id}
                onKeyDown={(e) => {
                  const by = { ArrowUp: -1, ArrowDown: 1 }[e.key];
                  if (!by || e.ctrlKey || e.metaKey) return;
                  e.preventDefault();
                  e.stopPropagation();
                  if (e.altKey) return moveStep(store, index, by);
                  const list = e.currentTarget.closest('ol');
                  const all = [...(list?.querySelectorAll<HTMLElement>('[data-step]') ?? [])];
                  const next = all[all.indexOf(e.currentTarget) + by];
                  next?.focus();
                  next?.click();
                }}
              >
                <Icon size={14} />
                <span className="min-w-0">
                  <span className="block truncate">
                    {stepTitle(step)}
                    {step.aside && <span className="ml-1.5 text-key text-xs">version {step.version}</span>}
                  </span>
                  <span className={`block truncate text-xs ${chosen === step.id ? 'text-ink' : 'text-dim'}`}>
                    {off ? 'off' : stepAbout(step, draft, above(index))}
                  </span>
                </span>
                <span className="flex items-center gap-1">
                  {warned && (
                    <span className="font-bold text-warn" title="see the desk">
                      !<span className="sr-only"> has a note</span>
                    </span>
                  )}
                  {keyed && (
                    <span className="size-2 rounded-full border-2 border-key" title="has keys">
                      <span className="sr-only">has keys</span>
                    </span>
                  )}
                </span>
              </button>
              {!FACTS[step.kind].needed && (
                <Hint text={off ? 'Switch this step on' : 'Switch this step off'}>
                  <button
                    type="button"
                    aria-label={`${stepTitle(step)}: ${off ? 'switch on' : 'switch off'}`}
                    className="mr-1.5 grid size-6 place-items-center rounded text-dim hover:text-ink"
                    onClick={() =>
                      store.edit(
                        [{ op: 'replace', path: `/steps/${index}/on`, value: off }],
                        off ? 'switch on' : 'switch off',
                      )
                    }
                  >
                    <Power size={12} />
                  </button>
                </Hint>
              )}
            </li>
          );
        })}
      </ol>
      <AddStep />
    </nav>
  );
}

function AddStep() {
  const store = useShotStore();
  const steps = useShot((s) => s.document?.steps) ?? [];
  const [choosing, setChoosing] = useState(false);
  const add = (kind: Step['kind'], more?: Record<string, unknown>) => addStep(store, kind, more);
  return (
    <>
      <DropdownMenu.Root>
        <DropdownMenu.Trigger className="border-t px-3 py-2.5 text-left text-dim outline-offset-[-2px] hover:text-ink">
          + add a step
        </DropdownMenu.Trigger>
        <DropdownMenu.Portal>
          <DropdownMenu.Content
            side="top"
            align="start"
            className="z-50 max-h-[var(--radix-dropdown-menu-content-available-height)] w-80 overflow-y-auto rounded-lg border bg-panel p-1 shadow-2xl"
          >
            {addable(steps).map(({ kind, title, about }) => (
              <DropdownMenu.Item
                key={kind}
                aria-label={title}
                aria-describedby={`about-${kind}`}
                onSelect={() => (kind === 'emblem' ? setChoosing(true) : add(kind))}
                className="cursor-pointer rounded-md px-2.5 py-1.5 data-[highlighted]:bg-moss-deep"
              >
                {title}
                <span id={`about-${kind}`} className="block text-dim text-xs">
                  {about}
                </span>
              </DropdownMenu.Item>
            ))}
          </DropdownMenu.Content>
        </DropdownMenu.Portal>
      </DropdownMenu.Root>
      <EmblemDialog
        open={choosing}
        onClose={() => setChoosing(false)}
        onChoose={(emblem) => {
          setChoosing(false);
          add('emblem', { emblem });
        }}
      />
    </>
  );
}

import { ArrowDown, ArrowUp } from 'lucide-react';
import { useEffect, useRef, useState } from 'react';
import { FACTS } from '../../api/facts';
import { Hint } from '../../ui/controls';
import { alongTabs, tabStop } from '../../ui/tabs';
import { useShot, useShotStore } from '../context';
import type { Step } from '../open/state';
import { deforms, reaches } from '../reaching';
import { newId } from '../recipe/adding';
import { moveStep } from '../recipe/recipe';
import { stepTitle } from '../recipe/steps';
import { Arrange, Rings } from './arrange';
import { useFamilies } from './families';
import { fieldsOf, isMain, PARTS, partName, reachGroup, sheetsOf } from './fields';
import { Letters } from './letters';
import { LightKits, PointLight } from './lights';
import { MaterialChoice, PartMaterials, useTextureControls } from './materials';
import { drawnPath, PathBoard } from './path';
import { Patterns } from './patterns';
import { ReachHead, ResponseBoard } from './reaches';
import { SectionBoard } from './section';
import { GroupMembers, SomeLetters } from './some';
import { DriveStarts } from './starts';
import { CameraSubject } from './subject';
import { OwnSurroundings } from './surround';
import { ValueField } from './value';
import { Versions } from './versions';

/** The values of the chosen step. */
export function Desk() {
  const store = useShotStore();
  const document = useShot((s) => s.document);
  const chosen = useShot((s) => s.step);
  const index = document?.steps?.findIndex((s) => s.id === chosen) ?? -1;
  const step = document?.steps?.[index];
  const draft = useShot((s) => s.draft);
  const notes = draft?.notes;
  const ridges = useShot((s) => s.ridges);
  const picked = useShot((s) => s.picked);
  const across = useShot((s) => s.across);
  const controls = useTextureControls();
  const [wanted, setWanted] = useState('');
  const entered = useShot((s) => s.entered);
  const place = useRef<HTMLElement>(null);
  const family = useFamilyOf(document?.steps, index);
  const blocks = (document?.steps ?? [])
    .slice(0, index)
    .filter((s) => s.kind === 'block' || s.kind === 'emblem')
    .map((s) => ({ id: s.id, name: stepTitle(s) }));
  const fields = step ? fieldsOf(step, { family, controls, blocks }) : [];
  const fieldWanted = useShot((s) => s.field);
  const inGroup = fields.find((f) => f.path === fieldWanted)?.group;
  // biome-ignore lint/correctness/useExhaustiveDependencies: each time it is entered, and not when fields change
  useEffect(() => {
    if (!entered) return;
    if (inGroup) setWanted(inGroup);
    const control = ':is(input, select, textarea, button)';
    const of = fieldWanted ? `[data-path="/steps/${index}${fieldWanted}"]` : '[data-path]';
    // Once the dialog that asked for it has given the focus back.
    const soon = setTimeout(() => {
      const held = place.current?.querySelector<HTMLElement>(of);
      // The control itself, and not the marks above it.
      const controls = [...(held?.querySelectorAll<HTMLElement>(control) ?? [])];
      (controls.find((c) => !c.closest('[data-marks]')) ?? controls[0])?.focus();
    }, 80);
    return () => clearTimeout(soon);
  }, [entered]);
  if (!document || !step) {
    return (
      <section aria-label="Desk" className="h-[236px] bg-panel p-4 text-dim">
        Choose a step of the recipe.
      </section>
    );
  }
  let facts = '';
  const said = notes?.filter((n) => n.step === step.id).map((n) => n.text) ?? [];
  if (step.kind === 'follow') {
    const over = draft?.overshoots[step.id] ?? 0;
    const settled = draft && draft.rest < 1e6 ? `at rest at frame ${Math.ceil(draft.rest)}` : 'never at rest';
    facts = `${over > 0.001 ? `goes ${(over * 100).toFixed(0)} % past` : 'does not go past'}, ${settled}`;
  }
  if (step.kind === 'form' && ridges.length)
    said.push(`the edge is wider than a stem and meets in a ridge: ${ridges.join(' ')}`);
  const groups = [...new Set(fields.map((field) => field.group ?? ''))];
  if (step.kind === 'block') groups.splice(1, 0, 'Letters', 'Patterns');
  if (step.kind === 'lights') groups.push('Kits');
  if (step.kind === 'material') groups.push('Worn by');
  const group = groups.includes(wanted) ? wanted : (groups[0] as string);
  const reachAt = reaches(step)
    ? (step.reaches ?? []).findIndex((r, k, all) => reachGroup(r.kind, k, all.length) === group)
    : -1;
  const part = PARTS.find(([, title]) => title === group)?.[0];
  const sheet = step.kind === 'stage' && sheetsOf(step).find(([, title]) => title === group)?.[0];
  const drawn = step.kind === 'block' && group !== 'Baseline' ? null : drawnPath(step);
  return (
    <section
      ref={place}
      aria-label="Desk"
      className={`@container shrink-0 overflow-y-auto bg-panel px-4 pt-2.5 pb-2 ${across ? 'min-h-0 border-l' : 'h-[264px] border-t'}`}
    >
      <h2 className="mb-2 flex flex-wrap items-baseline gap-x-2.5 font-semibold text-base">
        {stepTitle(step)}
        <em className="font-normal text-dim text-sm not-italic">{facts || aboutStep(step)}</em>
        <span className="flex-1" />
        <Versions step={step} index={index} />
        <MoveStep index={index} count={document.steps?.length ?? 0} name={stepTitle(step)} />
        {!FACTS[step.kind].once && (
          <button
            type="button"
            className="font-normal text-dim text-xs underline hover:text-ink"
            onClick={() => {
              const id = newId(step.kind);
              const value = { ...step, id, name: `${stepTitle(step)} again`.slice(0, 80) };
              store.edit([{ op: 'add', path: `/steps/${index + 1}`, value }], `duplicate ${stepTitle(step)}`);
              store.selectStep(id);
            }}
          >
            duplicate
          </button>
        )}
        {(step.kind !== 'block' || (document.steps ?? []).filter((s) => s.kind === 'block').length > 1) && (
          <button
            type="button"
            className="font-normal text-dim text-xs underline hover:text-ink"
            onClick={() => {
              store.edit([{ op: 'remove', path: `/steps/${index}` }], `remove ${stepTitle(step)}`);
              store.selectStep(document.steps?.[Math.max(0, index - 1)]?.id ?? '');
            }}
          >
            remove this step
          </button>
        )}
      </h2>
      {said.map((text) => (
        <p key={text} role="status" className="mb-2 text-sm text-warn">
          ! {text}
        </p>
      ))}
      {groups.length > 1 && (
        <div
          role="tablist"
          aria-label="Groups of values"
          className="mb-2 flex flex-wrap gap-1 border-b"
          onKeyDown={alongTabs}
        >
          {groups.map((name) => (
            <button
              key={name}
              type="button"
              role="tab"
              aria-selected={name === group}
              tabIndex={tabStop(name === group)}
              className={`-mb-px border-b-2 px-2 pb-1 text-sm ${name === group ? 'border-moss text-ink' : 'border-transparent text-dim hover:text-ink'}`}
              onClick={() => setWanted(name)}
            >
              {name}
              {name === 'Letters' && picked.length > 0 && ` ${picked.length}`}
            </button>
          ))}
        </div>
      )}
      {group === 'Letters' ? (
        <Letters index={index} />
      ) : group === 'Patterns' ? (
        <Patterns index={index} />
      ) : (
        <div className="flex flex-wrap gap-4">
          <div className="grid min-w-[264px] flex-1 grid-cols-[repeat(auto-fill,minmax(124px,1fr))] content-start gap-x-4 gap-y-2">
            {step.kind === 'lights' && group === 'Kits' && <LightKits step={step} index={index} />}
            {step.kind === 'lights' && group !== 'Kits' && (
              <PointLight step={step} index={index} light={groups.indexOf(group)} />
            )}
            {reaches(step) && reachAt >= 0 && (
              <ReachHead step={step} index={index} at={reachAt} onGroup={setWanted} />
            )}
            {reaches(step) && group === 'Response' && <ResponseBoard step={step} index={index} />}
            {reaches(step) && group === 'Response' && !step.reaches?.length && (
              <ReachHead step={step} index={index} at={-1} onGroup={setWanted} />
            )}
            {step.kind === 'drive' && group === 'Offset' && <DriveStarts step={step} index={index} />}
            {step.kind === 'camera' && <CameraSubject step={step} index={index} />}
            {step.kind === 'environment' && <OwnSurroundings step={step} index={index} />}
            {step.kind === 'group' && group === 'Together' && <GroupMembers step={step} index={index} />}
            {step.kind === 'material' && group === 'Worn by' && <SomeLetters step={step} index={index} />}
            {step.kind === 'material' && part && (
              <>
                <PartMaterials step={step} index={index} side={part} />
                <MaterialChoice
                  of={partName(part)}
                  material={step[part] ?? undefined}
                  path={`/steps/${index}/${part}`}
                  pair={isMain(part) ? index : undefined}
                />
              </>
            )}
            {step.kind === 'stage' && sheet && (
              <MaterialChoice
                of={group.toLowerCase()}
                material={step[sheet]}
                path={`/steps/${index}/${sheet}`}
              />
            )}
            {fields
              .filter((field) => (field.group ?? '') === group)
              .map((field) => (
                <ValueField key={`${step.id}${field.path}`} field={field} base={`/steps/${index}`} />
              ))}
            {step.kind === 'stage' && !sheet && <Rings />}
            {(step.kind === 'emblem' || group === 'Place') && <Arrange step={step.id} />}
          </div>
          {drawn && !part && reachAt < 0 && <PathBoard step={step} index={index} path={drawn} />}
          {step.kind === 'form' && (
            <SectionBoard step={step} index={index} side={group === 'Rear profile' ? 'rear' : 'front'} />
          )}
        </div>
      )}
    </section>
  );
}

/** The family of a block, or of the block whose letters a drive moves: that above it. */
function useFamilyOf(steps: Step[] | undefined, index: number) {
  const { data: families } = useFamilies();
  const step = steps?.[index];
  const block = step?.kind === 'drive' ? steps?.slice(0, index).findLast((s) => s.kind === 'block') : step;
  return block?.kind === 'block' ? families?.find((f) => f.id === block.family) : undefined;
}

/** Steps are computed in their order: this moves the chosen one. */
function MoveStep({ index, count, name }: { index: number; count: number; name: string }) {
  const store = useShotStore();
  return (
    <span className="flex gap-1">
      {([-1, 1] as const).map((by) => (
        <Hint
          key={by}
          text={by < 0 ? 'Compute it earlier' : 'Compute it later'}
          keys={by < 0 ? 'Alt ↑' : 'Alt ↓'}
        >
          <button
            type="button"
            aria-label={`${name}: ${by < 0 ? 'earlier' : 'later'}`}
            disabled={index + by < 0 || index + by >= count}
            className="grid size-5 place-items-center rounded text-dim hover:text-ink disabled:opacity-30"
            onClick={() => moveStep(store, index, by)}
          >
            {by < 0 ? <ArrowUp size={13} /> : <ArrowDown size={13} />}
          </button>
        </Hint>
      ))}
    </span>
  );
}

function aboutStep(step: Step): string {
  if (deforms(step)) return 'bends what stands above it; steps below carry it on as it is bent';
  switch (step.kind) {
    case 'drive':
      return 'offset times reach; the rest place is final';
    case 'follow':
      return 'of what the steps above it do to the letters';
    case 'drum':
      return 'letters on the faces of a turning prism; the last face is the letter itself';
    case 'swap':
      return 'the block turns from each text to the next; the last is its own';
    case 'inflate':
      return 'letters are as they were at a reach of 0, and full at 1';
    case 'pieces':
      return 'letters are whole until pieces go; drives and shivers can act by piece';
    case 'bodies':
      return 'until they are let go letters do what the steps above say';
    case 'become':
      return 'at a reach of 0 the one is there, at 1 the other; cut them to have them go in pieces';
    case 'shiver':
      return 'small unrest of each letter by itself';
    case 'group':
      return 'blocks above it under one pivot, and copies that come later';
    case 'block':
      return 'lines of lettering; their place, turn and scale';
    case 'emblem':
      return 'a drawing whose parts act as letters';
    case 'form':
      return 'weight, counters and wall come first, then depth, then the edges';
    case 'material':
      return 'face: and the rear; edge: bevels and return';
    case 'lights':
      return 'size softens, power stays';
    case 'stage':
      return 'takes the shadows';
    case 'camera':
      return 'what a take sees';
    default:
      return '';
  }
}

import { useState } from 'react';
import { useShot, useShotStore } from '../context';
import { stepTitle } from '../recipe/steps';
import type { Step } from '../store';
import { Arrange } from './arrange';
import { useFamilies } from './families';
import { fieldsOf, PARTS } from './fields';
import { Letters } from './letters';
import { LightKits, PointLight } from './lights';
import { MaterialChoice, PartMaterials, useTextureControls } from './materials';
import { PathBoard } from './path';
import { Patterns } from './patterns';
import { SectionBoard } from './section';
import { CameraSubject } from './subject';
import { OwnSurroundings } from './surround';
import { ValueField } from './value';

/** The values of the chosen step. */
export function Desk() {
  const store = useShotStore();
  const document = useShot((s) => s.document);
  const chosen = useShot((s) => s.step);
  const index = document?.steps?.findIndex((s) => s.id === chosen) ?? -1;
  const step = document?.steps?.[index];
  const notes = useShot((s) => s.draft?.notes);
  const ridges = useShot((s) => s.ridges);
  const picked = useShot((s) => s.picked);
  const { data: families } = useFamilies();
  const controls = useTextureControls();
  const [wanted, setWanted] = useState('');
  if (!document || !step) {
    return (
      <section aria-label="Desk" className="h-[236px] bg-panel p-4 text-dim">
        Choose a step of the recipe.
      </section>
    );
  }
  const said = notes?.filter((n) => n.step === step.id).map((n) => n.text) ?? [];
  if (step.kind === 'form' && ridges.length)
    said.push(`the edge is wider than a stem and meets in a ridge: ${ridges.join(' ')}`);
  const family = step.kind === 'block' ? families?.find((f) => f.id === step.family) : undefined;
  const fields = fieldsOf(step, { family, controls });
  const groups = [...new Set(fields.map((field) => field.group ?? ''))];
  if (step.kind === 'block') groups.splice(1, 0, 'Letters', 'Patterns');
  if (step.kind === 'lights') groups.push('Kits');
  const group = groups.includes(wanted) ? wanted : (groups[0] as string);
  const part = PARTS.find(([, title]) => title === group)?.[0];
  const drawn =
    step.kind === 'block' && group === 'Baseline' && step.baseline?.kind === 'path' && !step.baseline.emblem
      ? step
      : null;
  return (
    <section
      aria-label="Desk"
      className="h-[264px] shrink-0 overflow-y-auto border-t bg-panel px-4 pt-2.5 pb-2"
    >
      <h2 className="mb-2 flex items-baseline gap-2.5 font-semibold text-base">
        {stepTitle(step)}
        <em className="font-normal text-dim text-sm not-italic">{aboutStep(step)}</em>
        <span className="flex-1" />
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
        <div role="tablist" aria-label="Groups of values" className="mb-2 flex gap-1 border-b">
          {groups.map((name) => (
            <button
              key={name}
              type="button"
              role="tab"
              aria-selected={name === group}
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
        <div className="flex gap-4">
          <div
            className={`grid flex-1 content-start gap-x-4 gap-y-2 ${drawn ? 'grid-cols-3' : 'grid-cols-4'}`}
          >
            {step.kind === 'lights' && group === 'Kits' && <LightKits step={step} index={index} />}
            {step.kind === 'lights' && group !== 'Kits' && (
              <PointLight step={step} index={index} light={groups.indexOf(group)} />
            )}
            {step.kind === 'camera' && <CameraSubject step={step} index={index} />}
            {step.kind === 'environment' && <OwnSurroundings step={step} index={index} />}
            {step.kind === 'material' && part && (
              <>
                <PartMaterials step={step} index={index} side={part} />
                <MaterialChoice step={step} index={index} side={part} />
              </>
            )}
            {fields
              .filter((field) => (field.group ?? '') === group)
              .map((field) => (
                <ValueField key={`${step.id}${field.path}`} field={field} base={`/steps/${index}`} />
              ))}
            {(step.kind === 'emblem' || group === 'Place') && <Arrange step={step.id} />}
          </div>
          {drawn && <PathBoard step={drawn} index={index} />}
          {step.kind === 'form' && (
            <SectionBoard step={step} index={index} side={group === 'Rear profile' ? 'rear' : 'front'} />
          )}
        </div>
      )}
    </section>
  );
}

function aboutStep(step: Step): string {
  switch (step.kind) {
    case 'drive':
      return 'every letter arrives: full offset before its start, at rest after its duration';
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

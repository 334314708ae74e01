import type { Draft } from '../draft';
import type { Step } from '../store';
import { isKeyed } from '../values';

export const STAGES = ['all', 'letter', 'form', 'look', 'motion', 'camera'] as const;

const STAGE_OF: Record<Step['kind'], string> = {
  block: 'letter',
  emblem: 'letter',
  form: 'form',
  drive: 'motion',
  material: 'look',
  environment: 'look',
  lights: 'look',
  stage: 'look',
  camera: 'camera',
};
const TITLE: Record<Step['kind'], string> = {
  block: 'Title',
  emblem: 'Emblem',
  form: 'Depth and bevel',
  drive: 'Arrive',
  material: 'Material',
  environment: 'Environment',
  lights: 'Lights',
  stage: 'Floor and wall',
  camera: 'Camera',
};

const ORDER: Step['kind'][] = [
  'block',
  'emblem',
  'form',
  'drive',
  'material',
  'environment',
  'lights',
  'stage',
  'camera',
];
const ONE_OF_A_KIND: Step['kind'][] = ['environment', 'stage', 'camera'];

/** The kinds of step that can be added to a recipe. */
export function addable(steps: Step[]): { kind: Step['kind']; title: string }[] {
  return ORDER.filter((kind) => !ONE_OF_A_KIND.includes(kind) || !steps.some((s) => s.kind === kind)).map(
    (kind) => ({
      kind,
      title: kind === 'block' ? 'Block of lettering' : kind === 'drive' ? 'Drive' : TITLE[kind],
    }),
  );
}

/** Where a new step goes: after the last one that is computed no later than its kind usually is. */
export function placeFor(steps: Step[], kind: Step['kind']): number {
  const rank = ORDER.indexOf(kind);
  return steps.reduce((place, step, index) => (ORDER.indexOf(step.kind) <= rank ? index + 1 : place), 0);
}

export const stageOf = (step: Step) => STAGE_OF[step.kind];

export function stepTitle(step: Step): string {
  if (step.name) return step.name;
  if (step.kind === 'block' && typeof step.text === 'string') return step.text.split('\n').join(' / ');
  return TITLE[step.kind];
}

const plain = (value: unknown, unit = '') => (isKeyed(value) ? 'keyed' : `${value}${unit}`);

/** What the step is and acts on, in a line. */
export function stepAbout(step: Step, draft: Draft | null): string {
  const letters = draft?.spans[0]?.letters.length ?? 0;
  switch (step.kind) {
    case 'block': {
      const lines = typeof step.text === 'string' ? step.text.split('\n').length : 1;
      return `${letters} letters, ${lines} ${lines === 1 ? 'line' : 'lines'}`;
    }
    case 'emblem':
      return `${plain(step.size, ' m')} high`;
    case 'form':
      return `${plain(step.depth, ' m')} deep, ${plain(step.front?.profile)} ${step.front?.profile === 'square' ? '' : plain(step.front?.width, ' m')}`;
    case 'drive':
      return `${letters} letters, cadence from frame ${plain(step.reach?.start)}`;
    case 'material':
      return 'face, and edge';
    case 'environment':
      return `${plain(step.preset).replace('_', ' ')}, turned ${plain(step.turn, '°')}`;
    case 'lights':
      return `${step.lights?.length ?? 0} lights`;
    case 'stage':
      return step.floor && step.wall
        ? 'floor, and wall'
        : step.floor
          ? 'floor'
          : step.wall
            ? 'wall'
            : 'nothing';
    case 'camera':
      return `${plain(step.lens, ' mm')}, ${plain(step.shutter, '°')} shutter`;
  }
}

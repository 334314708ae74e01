import { FACTS, KINDS } from '../../api/facts';
import type { Draft } from '../draft';
import type { Step } from '../open/state';
import { deforms } from '../reaching';
import { isFormula, isKeyed, isLink } from '../values';

export const WORKS = ['all', 'letter', 'form', 'look', 'motion', 'camera'] as const;

/** The kinds of step that can be added to a recipe. */
export function addable(steps: Step[]): { kind: Step['kind']; title: string; about: string }[] {
  return KINDS.filter((kind) => !FACTS[kind].once || !steps.some((s) => s.kind === kind)).map((kind) => ({
    kind,
    title: FACTS[kind].added_as || FACTS[kind].title,
    about: FACTS[kind].about,
  }));
}

/** Where a new step goes: after the last one that is computed no later than its kind usually is. */
export function placeFor(steps: Step[], kind: Step['kind']): number {
  const rank = KINDS.indexOf(kind);
  return steps.reduce((place, step, index) => (KINDS.indexOf(step.kind) <= rank ? index + 1 : place), 0);
}

export const workOf = (step: Step) => FACTS[step.kind].work;

export function stepTitle(step: Step): string {
  if (step.name) return step.name;
  if (step.kind === 'block' && typeof step.text === 'string') return step.text.split('\n').join(' / ');
  return FACTS[step.kind].title;
}

const plain = (value: unknown, unit = '') =>
  isKeyed(value) ? 'keyed' : isFormula(value) ? 'formula' : isLink(value) ? 'linked' : `${value}${unit}`;

const WAY: Record<string, string> = { arrive: 'arrive', leave: 'leave', pass: 'pass' };

/** What a drive does, in a line: how many it acts on, and by what. */
function aboutDrive(step: Extract<Step, { kind: 'drive' }>, letters: number): string {
  const scope = typeof step.scope === 'string' ? step.scope : 'letter';
  const who = scope === 'letter' ? `${letters} letters` : `by the ${scope}`;
  const [reach, ...more] = step.reaches ?? [];
  const also = more.length ? ` and ${more.length} more` : '';
  if (!reach) return `${who}, everywhere`;
  if (reach.kind === 'cadence') {
    const way = typeof reach.way === 'string' ? WAY[reach.way] : 'keyed';
    return `${who} ${way} from frame ${plain(reach.start)}${also}`;
  }
  return `${who}, ${reach.kind}${also}`;
}

/** What a stage is made of, in a line. */
function aboutStage({
  shape = 'corner',
  floor,
  wall,
  haze,
  horizon,
}: Extract<Step, { kind: 'stage' }>): string {
  const own = { corner: wall ? 'wall' : '', card: 'card', sweep: 'sweep', steps: 'steps', globe: 'globe' };
  const named = typeof shape === 'string' ? own[shape] : 'keyed';
  const floored = floor && (shape === 'corner' || shape === 'card');
  const parts = [floored ? 'floor' : '', named, haze ? 'haze' : '', horizon ? 'horizon' : ''].filter(Boolean);
  return parts.join(', and ') || 'nothing';
}

/** Who wears a material, in a line. */
function aboutWearers({ some }: Extract<Step, { kind: 'material' }>): string {
  if (some?.by === 'hand')
    return some.hand?.map((h) => h.of.slice(h.first, h.last + 1)).join(', ') || 'no letters';
  if (some?.by === 'rule')
    return `${some.rule?.pick?.replaceAll('_', ' ')} ${some.rule?.unit} of each ${some.rule?.within}`;
  return some?.blocks?.length ? 'some blocks' : 'face, and edge';
}

/** How many letters there are, without those of copies. */
function ownLetters(draft: Draft | null): number {
  const span = draft?.spans[0];
  if (!span) return 0;
  const ids = span.blocks.map((block) => block.step);
  return span.letters.filter((letter) => ids.indexOf(ids[letter.block] ?? '') === letter.block).length;
}

/** What the step is and acts on, in a line; of what bends letters also how many triangles these need for it. */
export function stepAbout(step: Step, draft: Draft | null, triangles = 0): string {
  const about = lineAbout(step, draft);
  return triangles && deforms(step) ? `${triangles.toLocaleString('en-GB')} triangles, ${about}` : about;
}

function lineAbout(step: Step, draft: Draft | null): string {
  const letters = ownLetters(draft);
  switch (step.kind) {
    case 'block': {
      const lines = typeof step.text === 'string' ? step.text.split('\n').length : 1;
      return `${letters} letters, ${lines} ${lines === 1 ? 'line' : 'lines'}`;
    }
    case 'emblem':
      return `${plain(step.size, ' m')} high`;
    case 'form':
      return `${plain(step.depth, ' m')} deep, ${plain(step.front?.profile)} ${step.front?.profile === 'square' ? '' : plain(step.front?.width, step.front?.of_stem === true ? ' of a stem' : ' m')}`;
    case 'drive':
      return aboutDrive(step, letters);
    case 'follow':
      return step.way === 'lag'
        ? `lag of ${plain(step.lag, ' s')}`
        : `spring, ${plain(step.tempo, ' Hz')}, damping ${plain(step.damping)}`;
    case 'drum':
      return `${letters} letters, ${plain(step.sides)} sides, from frame ${plain(step.start)}`;
    case 'swap': {
      const texts =
        typeof step.texts === 'string' ? step.texts.split('\n').filter((text) => text.trim()).length + 1 : 0;
      return `${texts ? `${texts} texts` : 'texts'}, ${plain(step.turn, ' frames')} a turn, from frame ${plain(step.start)}`;
    }
    case 'shiver':
      return `${letters} letters, ${plain(step.tempo, ' times a second')}`;
    case 'grow':
      return `${letters} letters, ${plain(step.grows)}`;
    case 'inflate':
      return `${step.stretch ? 'stretching' : 'foil'}, pressure ${plain(step.pressure)}`;
    case 'pieces':
      return step.cut === 'line'
        ? 'cut along a line'
        : `${plain(step.cut)}, ${step.by === 'size' ? plain(step.size, ' cap heights') : `about ${plain(step.number)} a letter`}`;
    case 'become':
      return `one block into another, by ${step.matched}`;
    case 'bodies': {
      const what = step.of === 'piece' ? 'pieces' : 'letters';
      const at = plain(step.start);
      return step.backward ? `${what} come whole at frame ${at}` : `${what} are let go from frame ${at}`;
    }
    case 'bend':
    case 'twist':
      return `${plain(step.angle, '°')}, about the ${plain(step.about)}`;
    case 'curl':
      return `from the ${plain(step.rolls)}, ${plain(step.rolled)} rolled`;
    case 'wave':
      return `${plain(step.crests)}, ${plain(step.height, ' m')} high, ${plain(step.width, ' m')} apart`;
    case 'wrap':
      if (step.onto === 'path') return `along a drawn path, ${plain(step.wrapped)} wrapped`;
      if (step.onto === 'stage') return `around the globe of the stage, ${plain(step.wrapped)} wrapped`;
      return `around a ${plain(step.onto)}, radius ${plain(step.radius, ' m')}`;
    case 'ripple':
      return `${plain(step.height, ' m')} high, ${plain(step.speed)} times a second`;
    case 'blast':
      return `${plain(step.outward, ' m')} outward`;
    case 'group': {
      const held = step.members?.length ? `${step.members.length} held` : 'all blocks above';
      return step.copies?.count ? `${held}, copies: ${plain(step.copies.count)}` : held;
    }
    case 'material':
      return aboutWearers(step);
    case 'environment':
      return `${plain(step.preset).replace('_', ' ')}, turned ${plain(step.turn, '°')}`;
    case 'lights':
      return step.lights?.length === 1 ? '1 light' : `${step.lights?.length ?? 0} lights`;
    case 'stage':
      return aboutStage(step);
    case 'camera':
      return `${plain(step.lens, ' mm')}, ${plain(step.shutter, '°')} shutter`;
  }
}

import type { Step } from './open/state';

export const DEFORMERS = ['bend', 'curl', 'twist', 'wave', 'wrap', 'ripple', 'blast'] as const;
/** A step that bends letters. */
export type Deformer = Extract<Step, { kind: (typeof DEFORMERS)[number] }>;
/** A step that acts as strongly as reaches say. */
export type Reaching = Deformer | Extract<Step, { kind: 'drive' | 'grow' | 'inflate' | 'pieces' | 'become' }>;

export const deforms = (step: Step | undefined): step is Deformer =>
  DEFORMERS.some((kind) => kind === step?.kind);
export const reaches = (step: Step | undefined): step is Reaching =>
  step?.kind === 'drive' ||
  step?.kind === 'grow' ||
  step?.kind === 'inflate' ||
  step?.kind === 'pieces' ||
  step?.kind === 'become' ||
  deforms(step);

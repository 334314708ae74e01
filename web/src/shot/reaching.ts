import type { Step } from './open/state';

export const DEFORMERS = ['bend', 'curl', 'twist', 'wave', 'wrap', 'ripple', 'blast'] as const;
/** A step that bends letters. */
export type Deformer = Extract<Step, { kind: (typeof DEFORMERS)[number] }>;
const OTHERS = ['drive', 'grow', 'inflate', 'pieces', 'become'] as const;
/** A step that acts as strongly as reaches say. */
export type Reaching = Deformer | Extract<Step, { kind: (typeof OTHERS)[number] }>;

export const deforms = (step: Step | undefined): step is Deformer =>
  DEFORMERS.some((kind) => kind === step?.kind);
export const reaches = (step: Step | undefined): step is Reaching =>
  OTHERS.some((kind) => kind === step?.kind) || deforms(step);

import type { Schemas } from './client';
import facts from './facts.json';

export type StepKind = NonNullable<Schemas['Shot']['steps']>[number]['kind'];

/** What is true of every step of a kind; the core says it (`Facts`), and `moss_crown.cli facts` writes it down. */
export interface Facts {
  title: string;
  about: string;
  work: string;
  column: string;
  added_as: string;
  letters: boolean;
  moves: boolean;
  rests: boolean;
  by_letter: boolean;
  held: boolean;
  once: boolean;
  looks: boolean;
  needed: boolean;
}

export const FACTS = facts.steps as Record<StepKind, Facts>;
/** In the order in which a recipe usually has them. */
export const KINDS = Object.keys(facts.steps) as StepKind[];

/** What bounds a value: of a number, or of each part of a vector; what it is chosen from. It lies `above` its least. */
export interface Bound {
  least?: number;
  most?: number;
  above?: boolean;
  whole?: boolean;
  choices?: string[];
}

/** Bounds of a step's values by their paths; an element of a list is named by its kind there, or by a star. */
export const BOUNDS = facts.bounds as Record<StepKind, Record<string, Bound>>;

/** What is said of a kind of step, and of the parts that it is made of: the part's name, empty for the step; the words. */
export const WORDS = facts.words as unknown as Record<StepKind, [string, string][]>;

/** What is wanted of a letter in the light meter: the share of its outline that reads at least, that of it that is white at
 *  most; and how many times as light as the darkest face the lightest may be. */
export const METER = facts.meter;

/** The columns of a draft's tables. */
export const TABLES = facts.tables;

/** What shaders share with the renderer, in GLSL: constants, and functions whose names end in an underscore. */
export const SHADERS = facts.shaders;

/** The table of the display transform: how many places it has each way, for which light (exponents of 2 about `middle`). */
export const DISPLAY = facts.display;

import { createStore, type StoreApi } from 'zustand/vanilla';
import type { Schemas } from '../../api/client';
import type { Place } from '../../help/pages';
import type { Draft, Speeds } from '../draft';
import type { Key } from '../values';

export type Shot = Schemas['Shot'];
export type Step = NonNullable<Shot['steps']>[number];
export type Mode = 'draft' | 'proof';
export type View = 'shot' | 'walk' | 'front' | 'side' | 'top';

export interface Proof {
  picture: string;
  samples: number;
  of: number;
  noise: number; // with a bound on it `of` is how many samples a part gets at most
  frame: number;
  revision: number;
  working: boolean;
  region: Region | null; // the part of the frame that it shows; null for all
  scopes: Scopes | null;
  exposure: string; // the finished picture's exposure in colours
  bands: [string, string][]; // their names and colours
}
/** Left, top, right, bottom in shares of the frame. */
export type Region = [number, number, number, number];
/** Samples a pixel of a proof; with a bound on noise so many at most, see the orders of a take. */
export interface Fineness {
  samples: number;
  noise: number;
}
/** As the core measures a proof: shares by level, and of white and black. */
export interface Scopes {
  histogram: number[][];
  waveform: number[][];
  white: number;
  black: number;
}

export interface ShotState {
  id: string;
  document: Shot | null;
  production: { id: string; name: string };
  revision: number;
  undo: string;
  redo: string;
  saving: 'saved' | 'saving' | 'away';
  draft: Draft | null;
  solved: number | null; // until this frame it is known what is solved frame by frame; null for all of it
  failed: string;
  frame: number;
  playing: boolean;
  loop: boolean;
  shading: keyof Speeds; // what the sheet shades letters by
  range: [number, number] | null; // what is played, null for all
  everyFrame: boolean; // play each frame, however long it takes
  step: string;
  work: string;
  mode: Mode;
  view: View;
  guides: boolean;
  help: Place | null; // where the help is open
  guided: number; // the step of the guided first title that one is at; -1 for none
  meter: boolean; // is said how light each letter is, and how it stands apart?
  across: boolean; // do the frames of the sheet run across?
  lanes: string[]; // values whose curves are open
  isolated: Record<string, number>; // of those, the one part that is shown
  fitted: boolean; // their curves fill their lanes over the frames that are shown, not over all
  chosen: Record<string, number[]>; // keys chosen in the sheet: frames by path
  proof: Proof | null;
  under: string; // the last finished proof of a whole frame, under one of a region
  region: Region | null;
  fineness: Fineness;
  kept: number; // rises when a proof was kept
  ridges: string[];
  triangles: Record<string, number>; // of the letters of each block or emblem, by its step, as the draft draws them
  pointing: { step: string; light: number; effect: NonNullable<Schemas['Lighting']['effect']> } | null; // a light being placed
  picked: number[]; // letters of the span at the playhead
  copied: Key[]; // keys that were copied
  field: string; // of the step that is entered: the path of the value that takes the focus, or empty
  entered: number; // rises when the desk is to be entered: its first field takes the focus
}

export type State = StoreApi<ShotState>;

/** What is known of a shot that is being opened: nothing yet. */
export function unopened(id: string, across: boolean): State {
  return createStore<ShotState>(() => ({
    id,
    document: null,
    production: { id: '', name: '' },
    revision: 0,
    undo: '',
    redo: '',
    saving: 'saved',
    draft: null,
    solved: null,
    failed: '',
    frame: 0,
    playing: false,
    loop: true,
    shading: 'all',
    range: null,
    everyFrame: false,
    step: '',
    work: 'all',
    mode: 'draft',
    view: 'shot',
    guides: false,
    help: null,
    guided: -1,
    meter: false,
    across,
    lanes: [],
    isolated: {},
    fitted: false,
    chosen: {},
    proof: null,
    under: '',
    region: null,
    fineness: { samples: 16, noise: 0 },
    kept: 0,
    ridges: [],
    triangles: {},
    pointing: null,
    picked: [],
    copied: [],
    field: '',
    entered: 0,
  }));
}

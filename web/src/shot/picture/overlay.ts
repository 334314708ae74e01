import type { Picking } from './picking';

/** What is laid over the picture of the draft: where things are in it, and when it was drawn anew. */
export interface Overlay {
  picking: Picking;
  size: { width: number; height: number };
  shown: number;
}

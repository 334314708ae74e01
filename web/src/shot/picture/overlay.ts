import type { DraftStage } from './stage';

/** What is laid over the picture of the draft: where that stands, and when it was drawn anew. */
export interface Overlay {
  stage: DraftStage;
  size: { width: number; height: number };
  shown: number;
}

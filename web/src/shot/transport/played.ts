export interface Played {
  first: number;
  last: number;
  from: number; // where it began
  loop: boolean;
}

/** How many frames are due after a time. A browser tells the time at which it began a picture, and that may lie before
 *  the moment at which playing began. */
export function due(ms: number, fps: number): number {
  return Math.max(0, Math.floor((ms / 1000) * fps));
}

/** The frame that shows after so many frames; null once all have been played. */
export function played({ first, last, from, loop }: Played, gone: number): number | null {
  const count = last - first + 1;
  const passed = gone + (from - first);
  if (passed >= count && !loop) return null;
  return first + (passed % count);
}

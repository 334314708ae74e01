import type { KeyboardEvent } from 'react';

/** Arrow keys, Home and End go from tab to tab and open each, as the pattern for tabs has it (WAI-ARIA). */
export function alongTabs(e: KeyboardEvent<HTMLElement>) {
  const tabs = [...e.currentTarget.querySelectorAll<HTMLElement>('[role="tab"]')];
  const here = tabs.indexOf(e.target as HTMLElement);
  const to = {
    ArrowRight: here + 1,
    ArrowDown: here + 1,
    ArrowLeft: here - 1,
    ArrowUp: here - 1,
    Home: 0,
    End: tabs.length - 1,
  }[e.key];
  if (to === undefined || here < 0 || e.altKey || e.ctrlKey || e.metaKey) return;
  e.preventDefault();
  e.stopPropagation();
  const tab = tabs[(to + tabs.length) % tabs.length];
  tab?.focus();
  tab?.click();
}

/** Only the open tab is a stop of the Tab key. */
export const tabStop = (open: boolean) => (open ? 0 : -1);

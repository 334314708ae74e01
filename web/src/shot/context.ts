import { createContext, useContext } from 'react';
import { useStore } from 'zustand';
import type { ShotState } from './open/state';
import type { ShotStore } from './store';

export const ShotContext = createContext<ShotStore | null>(null);

export function useShotStore(): ShotStore {
  const store = useContext(ShotContext);
  if (!store) throw new Error('used outside a shot');
  return store;
}

export function useShot<T>(pick: (state: ShotState) => T): T {
  return useStore(useShotStore(), pick);
}

/** How many times as wide as high the frame is seen. */
export function useAspect(): number {
  return useShot(({ document }) =>
    document ? ((document.width ?? 16) * (document.pixel_shape ?? 1)) / (document.height ?? 9) : 16 / 9,
  );
}

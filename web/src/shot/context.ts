import { createContext, useContext } from 'react';
import { useStore } from 'zustand';
import type { ShotState, ShotStore } from './store';

export const ShotContext = createContext<ShotStore | null>(null);

export function useShotStore(): ShotStore {
  const store = useContext(ShotContext);
  if (!store) throw new Error('used outside a shot');
  return store;
}

export function useShot<T>(pick: (state: ShotState) => T): T {
  return useStore(useShotStore(), pick);
}

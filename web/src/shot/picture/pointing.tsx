import { useShot, useShotStore } from '../context';

const ABOUT = {
  highlight: 'Click a letter where the highlight falls; it spreads over the letters that are picked',
  edge: 'Click a letter beside the edge that glows',
  shadow: 'Click floor or wall where the shadow falls',
};

/** While a light is placed by pointing, a click in the picture says where its effect falls. */
export function Pointing() {
  const store = useShotStore();
  const pointing = useShot((s) => s.pointing);
  const view = useShot((s) => s.view);
  if (!pointing || view !== 'shot') return null;
  return (
    <>
      <button
        type="button"
        aria-label={`${ABOUT[pointing.effect]}; Enter takes the middle of the picture`}
        className="absolute inset-0 h-full w-full cursor-crosshair"
        onClick={(e) => {
          const box = e.currentTarget.getBoundingClientRect();
          const byKey = e.detail === 0;
          const x = byKey ? 0.5 : (e.clientX - box.left) / box.width;
          const y = byKey ? 0.5 : (e.clientY - box.top) / box.height;
          const { picked } = store.getState();
          void store.light({
            ...pointing,
            x,
            y,
            ...(pointing.effect === 'highlight' ? { letters: picked } : {}),
          });
        }}
      />
      <p className="absolute bottom-3 left-3 rounded bg-black/70 px-2 py-1 text-sm text-white">
        {ABOUT[pointing.effect]}{' '}
        <button type="button" className="underline" onClick={() => store.point(null)}>
          done
        </button>
      </p>
    </>
  );
}

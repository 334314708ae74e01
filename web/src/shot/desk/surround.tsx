import { useShot, useShotStore } from '../context';
import type { Step } from '../open/state';
import { setting } from '../values';
import { Bring, useAssets } from './assets';

type Environment = Extract<Step, { kind: 'environment' }>;

/** Pictures of the production as the environment: equirectangular, of any brightness. */
export function OwnSurroundings({ step, index }: { step: Environment; index: number }) {
  const store = useShotStore();
  const frame = useShot((s) => s.frame);
  const { data } = useAssets('picture');
  const choose = (id: string, name: string) =>
    store.edit(
      setting(store.getState().document, `/steps/${index}/preset`, frame, id),
      `environment from ${name}`,
    );
  return (
    <div className="col-span-full flex flex-wrap items-center gap-1.5">
      <span className="text-dim text-xs">Own pictures, all around (twice as wide as high)</span>
      {data?.map((asset) => (
        <button
          key={asset.id}
          type="button"
          aria-pressed={step.preset === asset.id}
          className={`rounded-full border px-2 py-0.5 text-xs ${step.preset === asset.id ? 'border-moss text-ink' : 'text-dim hover:text-ink'}`}
          onClick={() => choose(asset.id, asset.name)}
        >
          {asset.name}
        </button>
      ))}
      <Bring kind="picture" label="Bring in a picture" onBrought={(asset) => choose(asset.id, asset.name)} />
    </div>
  );
}

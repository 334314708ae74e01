import { useQuery } from '@tanstack/react-query';
import { useMemo, useState } from 'react';
import { api, ok, type Schemas } from '../../api/client';
import { Button, Dialog, inputLook } from '../../ui/controls';
import { useShotStore } from '../context';
import type { Step } from '../open/state';
import type { Operation } from '../values';
import { isMain, PARTS, type PartName, partName } from './fields';

type MaterialStep = Extract<Step, { kind: 'material' }>;
type Curated = Schemas['MaterialOut'];

export function useMaterials() {
  return useQuery({
    queryKey: ['materials'],
    queryFn: async () => (await ok(api.GET('/api/materials'))) as Curated[],
    staleTime: Infinity,
  });
}

/** What the values of each texture mean, by pattern. */
export function useTextureControls(): Record<string, Record<string, string>> | undefined {
  return useQuery({
    queryKey: ['textures'],
    queryFn: () => ok(api.GET('/api/textures')),
    staleTime: Infinity,
  }).data;
}

/** The patch that puts a material of the catalogue on face and edge of a step, and calls the step by it. */
export const onFaceAndEdge = (index: number, made: Curated): Operation[] =>
  Object.entries({ face: made.material, edge: made.material, name: made.name }).map(([member, value]) => ({
    op: 'replace',
    path: `/steps/${index}/${member}`,
    value,
  }));

const same = (a: unknown, b: unknown) => JSON.stringify(a) === JSON.stringify(b);

/** Which material of the catalogue something has, and the way to another. With a `pair`, the index of a
 *  step, it can go on its face and edge at once. */
export function MaterialChoice({
  of,
  material,
  path,
  pair,
}: {
  of: string;
  material: Schemas['Material'] | undefined;
  path: string;
  pair?: number | undefined;
}) {
  const store = useShotStore();
  const { data } = useMaterials();
  const [open, setOpen] = useState(false);
  const chosen = useMemo(() => data?.find((m) => same(m.material, material)), [data, material]);
  function put(made: Curated, both: boolean) {
    setOpen(false);
    const alone: Operation[] = [{ op: 'replace', path, value: made.material }];
    store.edit(both && pair !== undefined ? onFaceAndEdge(pair, made) : alone, made.name);
  }
  return (
    <div className="col-span-2">
      <div className="mb-0.5 h-4.5 text-dim text-xs">Material</div>
      <button
        type="button"
        className={`${inputLook} flex items-center gap-2 text-left`}
        aria-label={`Material of the ${of}: ${chosen?.name ?? 'own'}`}
        onClick={() => setOpen(true)}
      >
        {chosen && (
          <img
            src={`/api/materials/${chosen.id}/swatch`}
            alt=""
            className="-my-1 h-6 w-8 rounded object-cover"
          />
        )}
        {chosen?.name ?? 'own values: choose another'}
      </button>
      {data && open && (
        <MaterialDialog
          of={of}
          paired={pair !== undefined}
          materials={data}
          onClose={() => setOpen(false)}
          onPut={put}
        />
      )}
    </div>
  );
}

/** Which parts have a material of their own: more can get one, and give it back. */
export function PartMaterials({ step, index, side }: { step: MaterialStep; index: number; side: PartName }) {
  const store = useShotStore();
  const free = PARTS.filter(([part]) => !isMain(part) && !step[part]);
  const put = (part: PartName, value: unknown, label: string) =>
    store.edit([{ op: 'replace', path: `/steps/${index}/${part}`, value }], label);
  return (
    <div className="col-span-full flex flex-wrap items-center gap-1.5 text-sm">
      {free.length > 0 && <span className="text-dim">a material of its own for:</span>}
      {free.map(([part]) => (
        <button
          key={part}
          type="button"
          className="h-7 rounded-md border bg-raised px-2 hover:bg-moss-deep"
          onClick={() =>
            put(part, part === 'rear' ? step.face : step.edge, `material of the ${partName(part)}`)
          }
        >
          {partName(part)}
        </button>
      ))}
      <span className="flex-1" />
      {!isMain(side) && (
        <button
          type="button"
          className="text-dim text-xs underline hover:text-ink"
          onClick={() => put(side, null, `no own material of the ${partName(side)}`)}
        >
          like the {side === 'rear' ? 'face' : 'edge'} again
        </button>
      )}
    </div>
  );
}

function MaterialDialog({
  of,
  paired,
  materials,
  onClose,
  onPut,
}: {
  of: string;
  paired: boolean;
  materials: Curated[];
  onClose: () => void;
  onPut: (material: Curated, both: boolean) => void;
}) {
  const [wanted, setWanted] = useState('');
  // From the face it is that of the whole letter, and says so; from the edge it is the edge's.
  const [both, setBoth] = useState(paired && of === 'face');
  const groups = [...new Set(materials.map((m) => m.group))];
  const shown = materials.filter((m) =>
    `${m.name} ${m.group}`.toLowerCase().includes(wanted.trim().toLowerCase()),
  );
  return (
    <Dialog
      open
      wide
      onOpenChange={(o) => !o && onClose()}
      title={both ? 'Material of face and edge' : `Material of the ${of}`}
      about="Each is a start: every value of it can be changed afterwards."
    >
      <div className="mb-3 flex items-center gap-3">
        <input
          className={`${inputLook} max-w-60`}
          placeholder="Find a material"
          aria-label="Find a material"
          value={wanted}
          onChange={(e) => setWanted(e.target.value)}
        />
        {paired && (
          <label className="flex items-center gap-2 text-sm">
            <input type="checkbox" checked={both} onChange={(e) => setBoth(e.target.checked)} />
            on face and edge alike
          </label>
        )}
      </div>
      <div className="max-h-[56vh] overflow-y-auto pr-1">
        {groups.map((group) => {
          const own = shown.filter((m) => m.group === group);
          if (!own.length) return null;
          return (
            <section key={group} aria-label={group} className="mb-3">
              <h3 className="mb-1 text-dim text-sm">{group}</h3>
              <ul className="grid grid-cols-6 gap-2">
                {own.map((material) => (
                  <li key={material.id}>
                    <button
                      type="button"
                      className="w-full overflow-hidden rounded-lg border text-left hover:border-moss"
                      onClick={() => onPut(material, both)}
                    >
                      <img
                        src={`/api/materials/${material.id}/swatch`}
                        alt=""
                        loading="lazy"
                        className="aspect-[4/3] w-full object-cover"
                      />
                      <span className="block truncate px-1.5 py-1 text-xs">{material.name}</span>
                    </button>
                  </li>
                ))}
              </ul>
            </section>
          );
        })}
        {!shown.length && <p className="text-dim">No material of that name.</p>}
      </div>
      <div className="mt-2 flex justify-end">
        <Button look="quiet" onClick={onClose}>
          Leave it as it is
        </Button>
      </div>
    </Dialog>
  );
}
